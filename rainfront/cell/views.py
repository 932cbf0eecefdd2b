"""The cell desk: what a flat cell may be given, and the watch while it is."""

from __future__ import annotations

from django.contrib import messages
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.repair.watch import Watch
from rainfront.cell import actions, presenters, tending, watching
from rainfront.cell.extension import LOOK
from rainfront.cell.forms import CellForm
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.instruments.supply import measured
from rainfront.jobs.adapters import device_of
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.errors import page
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


@require_GET
def plan(request: HttpRequest) -> HttpResponse:
    """The desk without a job: what a cell may be given."""
    known = shop_of(request).known
    usual = {"kind": next(iter(known.cells.kinds)), "by": "supply", "capacity": "3000", "volts": "2.80", "temp": "22"}
    form, page = CellForm(known, request.GET if "volts" in request.GET else usual), None
    if form.is_valid():
        page = presenters.cell_of(form.cell(), form.feed(), known)
    context = {"form": form, "page": page, "caution": known.cautions["lithium"]}
    template = "cell/_plan.html" if request.htmx else "cell/plan.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=422 if form.errors else 200)


@posts(Right.MEASURE)
def desk(request: HttpRequest, job: int) -> HttpResponse:
    """A job's cell: work it out, and charge it under the watch."""
    owner, known = get_plain_job(job), shop_of(request).known
    tending.tend_quietly()
    posted = request.method == "POST"
    asked = request.POST if posted else request.GET if "volts" in request.GET else None
    form, page = CellForm(known, asked, usual_of(owner)), None
    if form.is_valid():
        try:
            page = presenters.cell_of(form.cell(), form.feed(), known)
            if posted:
                return redirect(_begin(request, job, form))
        except ChargepathError as error:
            refused(form, error)
    context = {
        "form": form,
        "page": page,
        "runs": CellRun.objects.of_job(job)[:8],
        "supply": Supply.current(),
        "caution": known.cautions["lithium"],
    }
    status = 422 if form.errors else 200
    if request.htmx:  # type: ignore[attr-defined]
        return render(request, "cell/_plan.html", {**context, "job": owner}, status=status)
    return show_job(request, "cell/desk.html", owner, context, status)


def usual_of(job: Job) -> dict[str, str]:
    """What the desk begins with: what the cell read last, how the device is built. Its capacity is printed on it."""
    reading = Entry.objects.evidence().filter(job=job, name=LOOK).order_by("-pk").first()
    volts = reading.values.get("volts") if reading else None
    return {"series": str(device_of(job).series)} | ({} if volts is None else {"volts": f"{volts:.2f}"})


def _begin(request: HttpRequest, job: int, form: CellForm) -> CellRun:
    """Refuse first, then reach for the supply, then switch it on."""
    known, at = shop_of(request).known, Supply.current()
    cell, feed = form.cell(), form.feed()
    actions.refuse(job, cell, feed, **hand(request))
    measured(at)
    run = actions.start_run(job, cell, feed, unattended=form.cleaned_data["unattended"], **hand(request))
    watching.start(run, Watch.begin(cell, feed, known), at)
    return run


@require_GET
def run_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """A cell on the supply: what it reads now, and the way to stop it."""
    tending.tend_quietly()
    found = get_object_or_404(CellRun.objects.select_related("job", "by"), pk=pk, job=job)
    known = shop_of(request).known
    kind = known.cells.kinds.get(found.kind)
    context = {
        "run": found,
        "page": presenters.run_of(found, known),
        "kind": kind.label if kind else "",
        "caution": known.cautions["lithium"],
    }
    if request.htmx:  # type: ignore[attr-defined]
        return render(request, "cell/_run.html", {**context, "job": found.job})
    return show_job(request, "cell/run.html", found.job, context)


@require_POST
@posts(Right.MEASURE)
def stop(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Switch the output off before anything else is done, or say that nothing is on the cell any more."""
    found = get_object_or_404(CellRun, pk=pk, job=job)
    if found.is_running:
        off = watching.stop(found)
        try:
            actions.ask_to_stop(found, user=signed_in(request), now=timezone.now())
        except DatabaseError:
            title = "The output is off" if off else "The supply is not confirmed off"
            text = "It reads back off." if off else "Switch it off by hand, now."
            return page(request, 503, title, f"{text} That could not be stored yet: the disk is full or busy.")
    elif found.still_on and watching.is_off():
        actions.found_off(found, now=timezone.now())
    elif found.still_on and request.POST.get("leads") == "off":
        actions.leads_off(found, user=signed_in(request), now=timezone.now())
    elif found.still_on:
        text = "The supply is not confirmed off: it reads back on, or does not answer. Take the leads off the cell."
        messages.warning(request, text)
    tending.tend_quietly()
    return redirect(found)
