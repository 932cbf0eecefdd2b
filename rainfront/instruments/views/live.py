"""Live meters, guided routines, waiting."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import show
from rainfront.instruments import actions, adapters, asking, presenters
from rainfront.instruments.forms import ConditionsForm, WaitForm
from rainfront.instruments.models import Record, Waiting
from rainfront.instruments.views.records import get_record
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of

TAIL_POINTS = 1200


@posts(Right.MEASURE)
def routine_page(request: HttpRequest, job: int, routine: str) -> HttpResponse:
    """What a routine asks for, before it starts."""
    known = shop_of(request).known
    found = known.routines.get(routine)
    if found is None:
        raise Http404
    if routine == "wait":
        return redirect("instruments:wait", job)
    owner = get_plain_job(job)
    form = ConditionsForm(known, initial={"percent": owner.battery_percent, "source": "brick_5v2a"})
    check = known.checks[found.check]
    context = {
        "routine": found,
        "check": check,
        "answers": [(f"{check.word} {grade}", check.name(grade)) for grade in check.grades],
        "form": form,
        "meters": asking.power_meters(),
    }
    return show_job(request, "instruments/routine.html", owner, context)


@require_POST
@posts(Right.MEASURE)
def start(request: HttpRequest, job: int) -> HttpResponse:
    """Start a live record, for a routine or by itself."""
    owner = get_plain_job(job)
    known = shop_of(request).known
    form = ConditionsForm(known, request.POST)
    routine = request.POST.get("routine", "")
    details = form.cleaned_data if form.is_valid() else {"percent": owner.battery_percent}
    try:
        record = actions.start_record(owner, routine, details, **hand(request))
        asking.read_into(record, asking.power_meter(request.POST.get("meter", "")))
    except ChargepathError as error:
        messages.warning(request, str(error))
        return (
            redirect("instruments:routine", job, routine)
            if routine in known.routines
            else redirect("instruments:outside", job)
        )
    return redirect("instruments:live", job, record.pk)


@require_GET
def live_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """A record while it runs, or one that broke off and waits to be kept."""
    record = get_record(job, pk)
    if record.file:
        return redirect(record)
    known = shop_of(request).known
    routine = known.routines.get(record.routine)
    greeting = asking.greeting(asking.power_meter()) if settings.DEMO else {}
    context = {
        "record": record,
        "routine": routine,
        "steps": routine.steps if routine else (),
        "marks": presenters.chart_marks(record, adapters.band_of(record, known), known),
        "hands": presenters.Hands.of(record, greeting, known),
    }
    return show_job(request, "instruments/live.html", record.job, context)


@require_GET
def tail(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """The last minutes of a running record, thinned, and how it goes."""
    record = get_record(job, pk)
    if record.is_running:
        actions.mend_stale(job, now=timezone.now())
        record.refresh_from_db(fields=["state", "trouble"])
    seconds = 150 if not record.routine else 300
    chunks = [bytes(chunk.data) for chunk in record.chunks.order_by("-pk")[: seconds * 2]][::-1]
    trace = adapters.of_chunks(chunks) if not record.file else adapters.load(record)
    times, amps, volts = adapters.thin(trace, trace.duration - seconds, trace.duration, TAIL_POINTS)
    elapsed = (record.last_at - record.started_at).total_seconds()
    offset = max(elapsed - trace.duration, 0.0) if not record.file else 0.0
    return JsonResponse(
        {
            "state": record.state,
            "trouble": record.trouble,
            "elapsed": elapsed,
            "t": [round(value + offset, 2) for value in times.tolist()],
            "a": [round(value, 4) for value in amps.tolist()],
            "v": [round(value, 3) if value == value else None for value in volts.tolist()],
        }
    )


@require_POST
@posts(Right.MEASURE)
def stop(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Stop a record, judge it and keep it; a whole routine gives its checks."""
    record = get_record(job, pk)
    try:
        record = actions.finish_record(record, **hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
        return redirect("instruments:outside", job)
    return redirect(record)


@posts(Right.MEASURE)
def wait_page(request: HttpRequest, job: int) -> HttpResponse:
    """A device left on charge: start the timer, read again, stop."""
    owner = get_plain_job(job)
    waiting = Waiting.objects.under_way(job).last()
    form = WaitForm(request.POST or None, waiting.unit if waiting else "")
    if request.method == "POST" and request.POST.get("do") == "stop" and waiting:
        actions.stop_waiting(waiting, **hand(request))
        return redirect("instruments:outside", job)
    if request.method == "POST" and form.is_valid():
        value = form.cleaned_data["value"]
        try:
            if waiting is None:
                actions.start_waiting(owner, value, form.cleaned_data["unit"], **hand(request))
                return redirect("instruments:wait", job)
            waiting = actions.read_waiting(waiting, value, **hand(request))
            return redirect("jobs:bench", job) if waiting.ended_at else redirect("instruments:wait", job)
        except ChargepathError as error:
            refused(form, error)
    known = shop_of(request).known
    check = known.checks["charge_wait"]
    minutes = (timezone.now() - waiting.started_at).total_seconds() / 60 if waiting else 0.0
    context = {
        "waiting": waiting,
        "first": show(waiting.first, waiting.unit) if waiting else "",
        "readings": [(after, show(value, waiting.unit)) for after, value in waiting.readings] if waiting else [],
        "form": form,
        "check": check,
        "minutes": f"{minutes:.0f}",
        "left": f"{max(check.wait_minutes - minutes, 0):.0f}",
        "due": waiting.started_at + timedelta(minutes=check.wait_minutes) if waiting else None,
        "trend": presenters.trend_of(waiting.first, waiting.readings, waiting.unit) if waiting else "",
        "caution": known.cautions["lithium"],
    }
    return show_job(request, "instruments/wait.html", owner, context, 422 if form.errors else 200)


@require_POST
@posts(Right.MEASURE)
def meter_command(request: HttpRequest) -> HttpResponse:
    """Tell the simulated meter what a person would do with the device."""
    device, act = request.POST.get("device", ""), request.POST.get("do", "")
    data: dict[str, object] = {"device": device} if device else {"do": act}
    if device and request.POST.get("percent", "").isdecimal():
        data["percent"] = int(request.POST["percent"][:3])
    lean = request.POST.get("lean", "")
    if lean:
        data = {"do": "lean", "to": lean}
    try:
        problem = asking.told_to(asking.power_meter(), data)
    except ChargepathError as error:
        problem = str(error)
    if request.htmx:  # type: ignore[attr-defined]
        return HttpResponse(problem or "done", status=422 if problem else 200)
    if problem:
        messages.warning(request, problem)
    back = request.POST.get("back", "")
    record = Record.objects.running().filter(pk=int(back)).first() if back.isdecimal() and len(back) < 12 else None
    return redirect("instruments:live", record.job_id, record.pk) if record else redirect("day:list")
