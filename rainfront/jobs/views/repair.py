"""Committing to a route, or giving it up."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.jobs import actions
from rainfront.jobs.actions.repair import as_advised
from rainfront.jobs.adapters import device_of
from rainfront.jobs.extensions import also_of, pages_of, under_of
from rainfront.jobs.fetching import get_job, get_plain_job
from rainfront.jobs.models import Repair, Stage
from rainfront.jobs.planning import picks_for, plan_for
from rainfront.jobs.presenters.card import card_of
from rainfront.jobs.presenters.plans import layout_words, plan_words
from rainfront.jobs.presenters.routes import bill_words, route_row
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.secrets import hide_code
from rainfront.workshop.context import shop_of


@posts(Right.REPAIR)
def choose_page(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """Confirm a route; overruling the advice asks for a reason."""
    if route not in shop_of(request).known.routes:
        raise Http404
    if route in NO_REPAIR:
        return redirect(pages_of(get_plain_job(pk))[route].href)
    error, reason, over_limit = "", request.POST.get("reason", ""), request.POST.get("over_limit", "")
    if request.method == "POST":
        try:
            actions.choose_route(pk, route, reason, over_limit, **hand(request))
            return redirect(pages_of(get_plain_job(pk))[Stage.REPAIR].href)
        except ChargepathError as problem:
            error = str(problem)
    job = get_job(pk)
    basis = basis_of(request, job)
    term = basis.core.term(route)
    spared = picks_for(basis.judged, job, route, basis.shop)
    plan = plan_for(
        device_of(job),
        route,
        basis.shop,
        basis.belief.access,
        spared,
        dangers=basis.danger_ids,
        model_name=job.model_name,
    )
    context = {
        "glued": any("part_glue" in row.step.acts for row in plan.steps),
        "next": card_of(basis, basis.advice.next),
        "route": basis.known.routes[route],
        "plan": plan_words(plan, basis.known),
        "row": route_row(basis, term) if term else None,
        **(bill_words(basis, term) if term else {}),
        "spared": [basis.known.procedures.slots[slot] for slot in spared],
        "there": basis.judged.shelf.get(route),
        "advised": as_advised(route, basis.advice, basis.known.costs.tie),
        "layout": layout_words(plan, basis.known, timezone.now()),
        "lies": under_of(job, basis.shop).get(route, ""),
        "also": also_of(job),
        "error": error,
        "reason": hide_code(reason),
        "over_limit": hide_code(over_limit),
    }
    return show_job(request, "jobs/choose.html", job, context, 422 if error else 200)


@require_POST
@posts(Right.REPAIR)
def drop(request: HttpRequest, pk: int) -> HttpResponse:
    """Give the open repair up."""
    repair = Repair.objects.still_open(pk).first()
    if repair is not None:
        try:
            actions.drop_repair(repair, **hand(request))
        except ChargepathError as problem:
            messages.warning(request, str(problem))
    return redirect("jobs:bench", pk)
