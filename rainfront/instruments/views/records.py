"""Records: handing in, confirming, looking, using."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.trace.table import SHOWN_ROWS, Layout, decode, look
from rainfront.instruments import actions, adapters, asking, presenters
from rainfront.instruments.forms import ConditionsForm, HandInForm, LayoutForm, NamedConditionsForm
from rainfront.instruments.models import Draft, Record, Waiting
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of

# How a person says what the commas of a text are, where that could be either.
COMMAS = {"decimal": True, "columns": False}


def get_record(job: int, pk: int) -> Record:
    """One record of a job, or 404."""
    record: Record = get_object_or_404(Record.objects.whole(), pk=pk, job_id=job)
    return record


@require_GET
def outside_page(request: HttpRequest, job: int) -> HttpResponse:
    """Everything measured from outside: routines, records, handing in."""
    return _outside(request, get_plain_job(job), HandInForm())


def _outside(request: HttpRequest, job: Job, form: HandInForm, status: int = 200) -> HttpResponse:
    known = shop_of(request).known
    context = {
        "form": form,
        "records": Record.objects.for_list().filter(job=job),
        "routines": [routine for routine in known.routines.values() if job.wireless or routine.id != "pad"],
        "meters": asking.power_meters(),
        "waiting": Waiting.objects.under_way(job.pk).last(),
    }
    return show_job(request, "instruments/outside.html", job, context, status)


@takes(120_000_000)
@require_POST
@posts(Right.MEASURE)
def hand_in(request: HttpRequest, job: int) -> HttpResponse:
    """Take a file or a pasted text and show what was understood of it."""
    found = get_plain_job(job)
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
        draft = actions.keep_draft(found, raw, name, origin, **hand(request))
    except ChargepathError as error:
        refused(form, error, "file" if file else "text")
        return _outside(request, found, form, 422)
    return redirect("instruments:confirm", found.pk, draft.pk)


@posts(Right.MEASURE)
def confirm_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """What was understood, for the person to correct before it is stored."""
    draft = get_object_or_404(Draft.objects.select_related("job"), pk=pk, job_id=job)
    with draft.file.open("rb") as file:
        text = decode(file.read())
    layout = look(text, COMMAS.get(request.GET.get("comma", "")))
    form = LayoutForm(layout, request.POST or None)
    start = {"name": draft.name, "percent": draft.job.battery_percent}
    details = NamedConditionsForm(shop_of(request).known, request.POST or None, initial=start)
    if request.method == "POST" and form.is_valid() and details.is_valid():
        try:
            record = actions.store_draft(draft, form.chosen(), details.cleaned_data, **hand(request))
            return redirect(record)
        except ChargepathError as error:
            refused(form, error)
    context = {
        "draft": draft,
        "layout": layout,
        "form": form,
        "details": details,
        "rows": _sample_rows(layout),
        "commas": "," in text,
        "lines": text.rstrip("\n").count("\n") + 1,
    }
    return show_job(
        request, "instruments/confirm.html", draft.job, context, 422 if form.errors or details.errors else 200
    )


def _sample_rows(layout: Layout) -> list[tuple[str, ...]]:
    """The first rows of a text, as they stand."""
    return list(zip(*[column.sample for column in layout.columns], strict=False))[:SHOWN_ROWS]


@require_GET
def record_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """One record: chart, phases, figures, what it says."""
    record = get_record(job, pk)
    if not record.file:
        return redirect("instruments:live", job, pk)
    return _record(request, record, ConditionsForm(shop_of(request).known, instance=record))


def _record(request: HttpRequest, record: Record, form: ConditionsForm, status: int = 200) -> HttpResponse:
    known = shop_of(request).known
    trace, band = adapters.load(record), adapters.band_of(record, known)
    context = {
        "record": record,
        "form": form,
        "band": band,
        "source": known.sources[record.source],
        "phases": presenters.phase_rows(adapters.phases_of(record)),
        "facts": presenters.facts(record),
        "chart": presenters.chart_of(record, trace, band, known),
        "marks": presenters.chart_marks(record, band, known),
        "grade": presenters.headline(record, known),
        "entered": presenters.entered_words(record, known),
        "others": Record.objects.for_list().filter(job=record.job_id).exclude(pk=record.pk).exclude(file=""),
    }
    return show_job(request, "instruments/record.html", record.job, context, status)


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
    known = shop_of(request).known
    chart = presenters.chart_of(record, adapters.load(record), adapters.band_of(record, known), known)
    return render(request, "instruments/still.svg", {"chart": chart}, content_type="image/svg+xml")


@posts(Right.MEASURE)
def columns_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Correct how the columns of a record were read."""
    record = get_record(job, pk)
    if not record.raw:
        return redirect(record)
    layout = adapters.layout_of(record)
    form = LayoutForm(layout, request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            actions.correct_columns(record, form.chosen(), **hand(request))
            return redirect(record)
        except ChargepathError as error:
            refused(form, error)
    context = {"record": record, "layout": layout, "form": form, "rows": _sample_rows(layout)}
    return show_job(request, "instruments/columns.html", record.job, context, 422 if form.errors else 200)


@require_POST
@posts(Right.MEASURE)
def strike(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Strike a record out, or undo that."""
    record = get_record(job, pk)
    try:
        if request.POST.get("do") == "restore":
            actions.restore_record(record, **hand(request))
        else:
            actions.strike_record(record, request.POST.get("why", ""), **hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect(record)


@require_POST
@posts(Right.MEASURE)
def use(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Enter a record as a check."""
    record = get_record(job, pk)
    try:
        actions.use_record(record, request.POST.get("check", ""), **hand(request))
        return redirect("jobs:bench", job)
    except ChargepathError as error:
        messages.warning(request, str(error))
        return redirect(record)


@require_POST
@posts(Right.MEASURE)
def conditions(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Correct the conditions and judge again."""
    record = get_record(job, pk)
    fresh = Record.objects.select_related("job").get(pk=pk)
    form = ConditionsForm(shop_of(request).known, request.POST, instance=fresh)
    if form.is_valid():
        try:
            actions.set_conditions(record, form.cleaned_data, **hand(request))
            return redirect(record)
        except ChargepathError as error:
            refused(form, error)
    return _record(request, record, form, 422)


@require_POST
@posts(Right.TEACH)
def known_good(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Keep the plateau as the model's known-good one."""
    record = get_record(job, pk)
    try:
        kept = actions.keep_known_good(record, **hand(request))
        messages.success(request, f"Known good for {kept}.")
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect(record)
