"""Records: handing in, confirming, looking, using."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.knowledge import shipped
from chargepath.trace.table import SHOWN_ROWS, decode, look
from rainfront.instruments import actions, adapters, presenters
from rainfront.instruments.forms import ConditionsForm, HandInForm, LayoutForm, NamedConditionsForm
from rainfront.instruments.models import Draft, Meter, Record, Waiting
from rainfront.jobs.models import Job
from rainfront.jobs.presenters import steps_of
from rainfront.people.context import signed_in


def get_record(job: int, pk: int) -> Record:
    """One record of a job, or 404."""
    record: Record = get_object_or_404(Record.objects.whole(), pk=pk, job_id=job)
    return record


@require_GET
def outside_page(request: HttpRequest, job: int) -> HttpResponse:
    """Everything measured from outside: routines, records, handing in."""
    return _outside(request, get_object_or_404(Job, pk=job), HandInForm())


def _outside(request: HttpRequest, job: Job, form: HandInForm, status: int = 200) -> HttpResponse:
    context = {
        "job": job,
        "stages": steps_of(job),
        "form": form,
        "records": Record.objects.for_list().filter(job=job),
        "routines": [routine for routine in shipped().routines.values() if job.wireless or routine.id != "pad"],
        "meter": Meter.current(),
        "waiting": Waiting.objects.under_way(job.pk).last(),
    }
    return render(request, "instruments/outside.html", context, status=status)


@require_POST
def hand_in(request: HttpRequest, job: int) -> HttpResponse:
    """Take a file or a pasted text and show what was understood of it."""
    found = get_object_or_404(Job, pk=job)
    form = HandInForm(request.POST, request.FILES)
    if getattr(request, "upload_too_large", False):
        form.errors.clear()
        form.add_error("file", "the file is too large; up to 120 MB or 2 million samples")
        return _outside(request, found, form, 422)
    if not form.is_valid():
        return _outside(request, found, form, 422)
    file = form.cleaned_data["file"]
    raw = file.read() if file else form.cleaned_data["text"].encode()
    origin = Record.Origin.FILE if file else Record.Origin.PASTED
    try:
        look(decode(raw))
        name = file.name if file else "Typed readings"
        draft = actions.keep_draft(found, raw, name, origin, user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        form.add_error("file" if file else "text", str(error))
        return _outside(request, found, form, 422)
    return redirect("instruments:confirm", found.pk, draft.pk)


def confirm_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """What was understood, for the person to correct before it is stored."""
    draft = get_object_or_404(Draft.objects.select_related("job"), pk=pk, job_id=job)
    with draft.file.open("rb") as file:
        text = decode(file.read())
    layout = look(text)
    form = LayoutForm(layout, request.POST or None)
    start = {"name": draft.name, "percent": draft.job.battery_percent}
    details = NamedConditionsForm(request.POST or None, initial=start)
    if request.method == "POST" and form.is_valid() and details.is_valid():
        try:
            record = actions.store_draft(
                draft, form.chosen(), details.cleaned_data, user=signed_in(request), now=timezone.now()
            )
            return redirect(record)
        except ChargepathError as error:
            form.add_error(None, str(error))
    context = {
        "job": draft.job,
        "draft": draft,
        "layout": layout,
        "form": form,
        "details": details,
        "rows": list(zip(*[column.sample for column in layout.columns], strict=False))[:SHOWN_ROWS],
        "lines": text.rstrip("\n").count("\n") + 1,
        "stages": steps_of(draft.job),
    }
    return render(request, "instruments/confirm.html", context, status=422 if form.errors or details.errors else 200)


@require_GET
def record_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """One record: chart, phases, figures, what it says."""
    record = get_record(job, pk)
    if not record.file:
        return redirect("instruments:live", job, pk)
    return _record(request, record, ConditionsForm(instance=record))


def _record(request: HttpRequest, record: Record, form: ConditionsForm, status: int = 200) -> HttpResponse:
    trace, band = adapters.load(record), adapters.band_of(record)
    context = {
        "job": record.job,
        "stages": steps_of(record.job),
        "record": record,
        "form": form,
        "band": band,
        "source": shipped().sources[record.source],
        "phases": presenters.phase_rows(adapters.phases_of(record)),
        "facts": presenters.facts(record),
        "chart": presenters.chart_of(record, trace, band),
        "marks": presenters.chart_marks(record, band),
        "grade": shipped().checks["charger_current"].name(record.grade),
        "others": Record.objects.for_list().filter(job=record.job_id).exclude(pk=record.pk).exclude(file=""),
    }
    return render(request, "instruments/record.html", context, status=status)


def _time(text: str | None, default: float) -> float:
    try:
        value = float(text or "")
    except ValueError:
        return default
    return value if value == value else default


@require_GET
def record_data(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Samples of a stretch, thinned with the extremes kept."""
    record = get_record(job, pk)
    trace = adapters.load(record)
    start, stop = _time(request.GET.get("from"), 0.0), _time(request.GET.get("to"), trace.duration)
    return JsonResponse(presenters.chart_data(record, trace, min(start, stop), max(start, stop)))


@require_GET
def still(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """The record as a still SVG."""
    record = get_record(job, pk)
    chart = presenters.chart_of(record, adapters.load(record), adapters.band_of(record))
    return render(request, "instruments/still.svg", {"chart": chart}, content_type="image/svg+xml")


@require_POST
def use(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Enter a record as a check."""
    record = get_record(job, pk)
    try:
        actions.use_record(record, request.POST.get("check", ""), user=signed_in(request), now=timezone.now())
        return redirect("jobs:bench", job)
    except ChargepathError as error:
        messages.warning(request, str(error))
        return redirect(record)


@require_POST
def conditions(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Correct the conditions and judge again."""
    record = get_record(job, pk)
    form = ConditionsForm(request.POST, instance=Record.objects.select_related("job").get(pk=pk))
    if form.is_valid():
        actions.set_conditions(record, form.cleaned_data, user=signed_in(request), now=timezone.now())
        return redirect(record)
    return _record(request, record, form, 422)


@require_POST
def known_good(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Keep the plateau as the model's known-good one."""
    record = get_record(job, pk)
    try:
        kept = actions.keep_known_good(record, user=signed_in(request), now=timezone.now())
        messages.success(request, f"Known good for {kept}.")
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect(record)
