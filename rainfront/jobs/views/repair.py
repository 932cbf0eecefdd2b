"""Committing to a route and working through it."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.actions.repair import as_advised
from rainfront.jobs.adapters import evidence_of
from rainfront.jobs.fetching import get_job, get_plain_job
from rainfront.jobs.models import Job, Repair
from rainfront.jobs.presenters.card import card_of
from rainfront.jobs.presenters.routes import bill_words, route_row
from rainfront.jobs.presenters.steps import steps_page
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.practice.context import practice_of
from rainfront.web.secrets import hide_code


def choose_page(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """Confirm a route; overruling the advice asks for a reason."""
    if route not in practice_of(request).known.routes:
        raise Http404
    if route in ("prove", "refer"):
        return redirect(f"jobs:{route}", pk)
    error, reason, over_limit = "", request.POST.get("reason", ""), request.POST.get("over_limit", "")
    if request.method == "POST":
        try:
            actions.choose_route(pk, route, reason, over_limit, **hand(request))
            return redirect("jobs:repair", pk)
        except ChargepathError as problem:
            error = str(problem)
    job = get_job(pk)
    basis = basis_of(request, job)
    term = basis.core.term(route)
    context = {
        "next": card_of(basis, basis.advice.next),
        "route": basis.known.routes[route],
        "row": route_row(basis, term) if term else None,
        **(bill_words(basis, term) if term else {}),
        "advised": as_advised(route, basis.advice),
        "error": error,
        "reason": hide_code(reason),
        "over_limit": hide_code(over_limit),
    }
    return show_job(request, "jobs/choose.html", job, context, 422 if error else 200)


def open_repair(pk: int) -> Repair | None:
    """The repair being worked on, if any."""
    found: Repair | None = Repair.objects.still_open(pk).first()
    return found


def repair_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Steps of the open repair with their cautions; finishing it."""
    job, repair = get_plain_job(pk), open_repair(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    error, used = "", request.POST.get("used", repair.used)
    if request.method == "POST":
        try:
            actions.finish_repair(repair, used, **hand(request))
            return redirect("jobs:prove", pk)
        except ChargepathError as problem:
            error = str(problem)
    return _steps(request, job, repair, error, used)


def _steps(request: HttpRequest, job: Job, repair: Repair, error: str = "", used: str = "") -> HttpResponse:
    page = steps_page(repair, evidence_of(job), practice_of(request).known)
    context = {"repair": repair, "page": page, "error": error, "used": hide_code(used)}
    template = "jobs/_repair.html" if request.htmx else "jobs/repair.html"  # type: ignore[attr-defined]
    return show_job(request, template, job, context, 422 if error else 200)


@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    """Tick or untick one step."""
    job, repair = get_plain_job(pk), open_repair(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    text, _, done = request.POST.get("tick", "").partition(" ")
    step, error = int(text) if text.isdecimal() and len(text) < 4 else -1, ""
    try:
        repair = actions.tick_step(repair, step, done == "done", request.POST.get("used"), **hand(request))
    except ChargepathError as problem:
        error = str(problem)
    if not request.htmx and not error:  # type: ignore[attr-defined]
        return redirect("jobs:repair", pk)
    return _steps(request, job, repair, error, request.POST.get("used", repair.used))


@require_POST
def answer(request: HttpRequest, pk: int) -> HttpResponse:
    """Record what a step of the open repair has shown."""
    job, repair = get_plain_job(pk), open_repair(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    try:
        job = actions.record_at_step(repair, request.POST.get("line", ""), **hand(request)).job
    except ChargepathError as problem:
        return _steps(request, job, repair, str(problem), request.POST.get("used", repair.used))
    if not request.htmx:  # type: ignore[attr-defined]
        return redirect("jobs:repair", pk)
    return _steps(request, job, repair, "", request.POST.get("used", repair.used))


@require_POST
def drop(request: HttpRequest, pk: int) -> HttpResponse:
    """Give the open repair up."""
    repair = open_repair(pk)
    if repair is not None:
        try:
            actions.drop_repair(repair, **hand(request))
        except ChargepathError as problem:
            messages.warning(request, str(problem))
    return redirect("jobs:bench", pk)
