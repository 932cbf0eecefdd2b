"""The inside page and its probe sheets."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import AmbiguousReadingError, ChargepathError
from chargepath.knowledge import Knowledge
from rainfront.inside import actions, adapters, presenters
from rainfront.inside.actions.sheets import Stored
from rainfront.inside.forms import PhotoForm, SheetForm
from rainfront.inside.live import live_meter, steady_reading
from rainfront.inside.models import Ladder, Photo, Sheet
from rainfront.inside.probed import Probed, probed_on
from rainfront.inside.views.common import get_sheet
from rainfront.jobs.extensions import probe_panels_of
from rainfront.jobs.fetching import complete, get_plain_job
from rainfront.jobs.judging import belief_for
from rainfront.jobs.layers import LayersDrawing, drawn_now
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.presenters.scales import check_scale
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.reference.models import DiodeMeter
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


def _wants_fragment(request: HttpRequest) -> bool:
    """Whether only the sheet is asked for, by htmx or by the script that walks it."""
    return bool(request.htmx) and request.htmx.target == "sheet"  # type: ignore[attr-defined]


@require_GET
def inside_page(request: HttpRequest, job: int) -> HttpResponse:
    """Everything measured inside."""
    found = get_plain_job(job)
    last = Sheet.objects.for_job(found.pk).first()
    meter = last.meter if last else DiodeMeter.objects.first()
    form = SheetForm(
        shop_of(request).known,
        found,
        initial={"meter": meter, "revision": last.revision if last else "", "mode": "diode"},
    )
    return show_inside(request, found, form, attach=find_entry(found, request.GET.get("entry", "")))


def _cell(job: Job, known: Knowledge) -> Any:
    """The cell's volts on their scale, None where nobody has measured them."""
    scene = check_scale(complete(job), known.checks["battery_volts"], known)
    return scene if scene is not None and scene.spots else None


def _layers(request: HttpRequest, job: Job) -> LayersDrawing | None:
    """The device as it lies now, None once the job is closed."""
    if job.is_closed:
        return None
    basis = basis_of(request, complete(job))
    return drawn_now(job, basis.shop, basis.belief.access, basis.core.dangers)


def show_inside(
    request: HttpRequest,
    job: Job,
    form: SheetForm | None = None,
    photo: PhotoForm | None = None,
    attach: Entry | None = None,
    status: int = 200,
) -> HttpResponse:
    """The inside page with its forms; `attach` is the observation that a new photo belongs to."""
    known = shop_of(request).known
    context = {
        "form": form or SheetForm(known, job, initial={"meter": DiodeMeter.objects.first(), "mode": "diode"}),
        "photo_form": photo or PhotoForm(),
        "attach": presenters.attach_to(attach, known) if attach else None,
        "sheets": presenters.sheet_rows(Sheet.objects.for_job(job.pk).for_list(), known),
        "ladders": [presenters.ladder_page(ladder, known) for ladder in Ladder.objects.for_job(job.pk)[:3]],
        "cell": _cell(job, known),
        "layers": _layers(request, job),
        "photos": Photo.objects.of_job(job.pk),
        "pointing": _pointing(request, probed_on(job, known)),
    }
    return show_job(request, "inside/inside.html", job, context, status)


@require_POST
@posts(Right.MEASURE)
def start(request: HttpRequest, job: int) -> HttpResponse:
    """Begin a sheet."""
    found = get_plain_job(job)
    form = SheetForm(shop_of(request).known, found, request.POST)
    if form.is_valid():
        try:
            return redirect(actions.start_sheet(found, form.details(), **hand(request)))
        except ChargepathError as error:
            refused(form, error)
    return show_inside(request, found, form, status=422)


@require_GET
def sheet_page(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """One sheet."""
    return _sheet(request, get_sheet(job, pk))


def _pointing(request: HttpRequest, probed: Probed) -> presenters.Pointing | None:
    """Where everything that was probed points to, with the chances of the bench; None where nothing was probed."""
    if probed.location is None:
        return None
    return presenters.pointing(probed.location, belief_for(probed.job, shop_of(request)))


def _sheet(
    request: HttpRequest,
    sheet: Sheet,
    *,
    stored: Stored | None = None,
    pin: str = "",
    status: int = 200,
    **extra: Any,
) -> HttpResponse:
    """A sheet as a page, or as its fragment for the script that walks it; `stored` is the reading it follows."""
    query, known = request.GET, shop_of(request).known
    fragment = _wants_fragment(request)
    sheet.job.fetch_log()
    page = presenters.sheet_page(
        stored.judged if stored else adapters.judge(sheet, known),
        pin or query.get("pin", ""),
        mirrored=query.get("side") == "solder",
        way=query.get("way", ""),
        whole=not fragment,
    )
    context = {"page": page, "sheet": sheet, "pointing": None, **extra}
    if not fragment or page.left == 0:
        probed = stored.probed if stored and stored.probed else None
        if not sheet.good:
            context["pointing"] = _pointing(request, probed or probed_on(sheet.job, known))
    if fragment:
        return render(request, "inside/_sheet.html", {"job": sheet.job, **context}, status=status)
    context["beside_probe"] = probe_panels_of(sheet.job, sheet.map_id, sheet.place, shop_of(request))
    context["photos"] = Photo.objects.of_job(sheet.job_id).filter(sheet=sheet)
    context["photo_form"] = PhotoForm()
    context["live_meter"] = live_meter(sheet)
    return show_job(request, "inside/sheet.html", sheet.job, context, status)


@require_POST
@posts(Right.MEASURE)
def point(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Store one reading, or move on without one."""
    pin, act, text = (request.POST.get(name, "")[:40] for name in ("pin", "act", "value"))
    if act in ("skip", "back"):
        sheet = get_sheet(job, pk)
        return _move(request, sheet, adapters.judge(sheet, shop_of(request).known), pin, act)
    try:
        if act == "take":
            sheet = get_sheet(job, pk)
            touch = {"place": sheet.place, "pin": pin, "map": sheet.map_id}
            taken = steady_reading(sheet, touch, first=request.POST.get("first") != "no")
            stored = actions.store_point(sheet, pin, taken.value, source=taken.source, **hand(request))
        else:
            words = {"open": "OL", "short": "0"}.get(act, text)
            stored = actions.type_point(job, pk, pin, words, **hand(request))
    except ChargepathError as error:
        choices = error.choices if isinstance(error, AmbiguousReadingError) else ()
        return _sheet(request, get_sheet(job, pk), pin=pin, error=str(error), typed=text, choices=choices, status=422)
    fresh, after = stored.judged.sheet, stored.judged.next_pin(pin)
    if not _wants_fragment(request):
        return redirect(f"{fresh.get_absolute_url()}{f'?pin={after}' if after else ''}")
    return _sheet(request, fresh, stored=stored, pin=after)


def _move(request: HttpRequest, sheet: Sheet, judged: adapters.Judged, pin: str, act: str) -> HttpResponse:
    """Skip a pin, or go back to the one before."""
    asked = list(judged.asked)
    if act == "skip":
        to = judged.next_pin(pin) or pin
    else:
        to = asked[asked.index(pin) - 1] if pin in asked else asked[-1]
    if not _wants_fragment(request):
        return redirect(f"{sheet.get_absolute_url()}?pin={to}")
    return _sheet(request, sheet, pin=to)


@require_POST
@posts(Right.MEASURE)
def enter(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Enter what the sheet says on the job."""
    sheet = get_sheet(job, pk)
    try:
        made = actions.enter_sheet(sheet, **hand(request))
        messages.success(request, f"{len(made)} check{'s' if len(made) != 1 else ''} entered from the sheet.")
        return redirect("jobs:bench", job)
    except ChargepathError as error:
        return _sheet(request, sheet, error=str(error), status=422)


@require_POST
@posts(Right.TEACH)
def keep(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Keep the sheet as known good."""
    sheet = get_sheet(job, pk)
    try:
        kept = actions.keep_good(sheet, **hand(request))
        messages.success(request, f"{kept} readings kept as known good for {sheet.job.model_name}.")
    except ChargepathError as error:
        return _sheet(request, sheet, error=str(error), status=422)
    return redirect(sheet)


@require_POST
@posts(Right.MEASURE)
def lift(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Begin the sheet after a chip was lifted."""
    sheet = get_sheet(job, pk)
    try:
        made = actions.start_lift(sheet, request.POST.get("chip", ""), **hand(request))
        return redirect(made)
    except ChargepathError as error:
        return _sheet(request, sheet, error=str(error), status=422)


@require_GET
def points_log(request: HttpRequest, job: int, pk: int) -> HttpResponse:
    """Every reading of a sheet, replaced ones too."""
    sheet = get_sheet(job, pk)
    rows = [(point, presenters.shown(point.value, sheet)) for point in sheet.points.all()]
    return show_job(request, "inside/points.html", sheet.job, {"sheet": sheet, "rows": rows})


def find_entry(job: Job, text: str) -> Entry | None:
    """The observation a photo is to hang on, None where none is named."""
    if not text.isdecimal() or len(text) > 9:
        return None
    found: Entry = get_object_or_404(Entry, pk=int(text), job=job)
    return found


def find_sheet(job: Job, text: str) -> Sheet | None:
    """The sheet a photo is to hang on, None where none is named."""
    if not text.isdecimal() or len(text) > 9:
        return None
    found: Sheet = get_object_or_404(Sheet, pk=int(text), job=job)
    return found
