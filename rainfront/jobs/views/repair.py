"""Committing to a route and working through it."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions, adapters
from rainfront.jobs.actions.repair import as_advised
from rainfront.jobs.models import Job, Repair
from rainfront.jobs.presenters import BenchPresenter, steps_of
from rainfront.jobs.views.common import evidence_of, get_job
from rainfront.people.context import signed_in, workshop_of


def choose_page(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """Confirm a route; overruling the advice asks for a reason."""
    known = adapters.knowledge()
    if route not in known.routes:
        raise Http404
    if route == "prove":
        return redirect("jobs:prove", pk)
    if route == "refer":
        return redirect("jobs:refer", pk)
    job = get_job(pk)
    error, reason = "", request.POST.get("reason", "")
    if request.method == "POST":
        try:
            actions.choose_route(job, route, reason, user=signed_in(request), now=timezone.now())
            return redirect("jobs:repair", pk)
        except ChargepathError as problem:
            error = str(problem)
    workshop = workshop_of(request)
    judged = adapters.judge(job, evidence_of(job), rate=float(workshop.hourly_rate) / 60)
    bench = BenchPresenter(job, judged, workshop.currency).build()
    row = next((row for row in bench.routes if row.id == route), None)
    advised = as_advised(route, judged.advice.next, judged.advice.equals)
    context = {
        "job": job,
        "bench": bench,
        "route": known.routes[route],
        "row": row,
        "advised": advised,
        "error": error,
        "reason": reason,
    }
    return render(request, "jobs/choose.html", context, status=422 if error else 200)


def open_repair(pk: int) -> Repair | None:
    """The repair being worked on, if any."""
    found: Repair | None = Repair.objects.still_open(pk).select_related("job").first()
    return found


def repair_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Steps of the open repair with their cautions; finishing it."""
    job = get_object_or_404(Job, pk=pk)
    repair = open_repair(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    error, used = "", request.POST.get("used", "")
    if request.method == "POST":
        try:
            actions.finish_repair(repair, used, user=signed_in(request), now=timezone.now())
            return redirect("jobs:prove", pk)
        except ChargepathError as problem:
            error = str(problem)
    return _render_repair(request, job, repair, error, used)


def _render_repair(request: HttpRequest, job: Job, repair: Repair, error: str = "", used: str = "") -> HttpResponse:
    known = adapters.knowledge()
    route = known.routes[repair.route]
    steps = [
        (index, step.text, known.cautions.get(step.caution), index in repair.steps_done)
        for index, step in enumerate(route.steps)
    ]
    context = {
        "job": job,
        "repair": repair,
        "route": route,
        "steps": steps,
        "current": next((index for index, _, _, done in steps if not done), None),
        "ready": all(done for *_, done in steps),
        "error": error,
        "used": used,
        "stages": steps_of(job),
    }
    template = "jobs/_repair.html" if request.htmx else "jobs/repair.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=422 if error else 200)


@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    """Tick or untick one step."""
    job = get_object_or_404(Job, pk=pk)
    repair = open_repair(pk)
    if repair is None:
        return redirect("jobs:bench", pk)
    text = request.POST.get("step", "")
    step = int(text) if text.isdecimal() and len(text) < 4 else -1
    error = ""
    try:
        repair = actions.tick_step(
            repair, step, request.POST.get("done") == "yes", user=signed_in(request), now=timezone.now()
        )
    except ChargepathError as problem:
        error = str(problem)
    if not request.htmx and not error:  # type: ignore[attr-defined]
        return redirect("jobs:repair", pk)
    return _render_repair(request, job, repair, error)


@require_POST
def drop(request: HttpRequest, pk: int) -> HttpResponse:
    """Give the open repair up."""
    repair = open_repair(pk)
    if repair is not None:
        actions.drop_repair(repair, user=signed_in(request), now=timezone.now())
    return redirect("jobs:bench", pk)
