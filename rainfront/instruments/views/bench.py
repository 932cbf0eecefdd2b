"""The instruments of the bench: what each says now, where it is, what it speaks, whether two agree."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from benchtalk import bridge
from benchtalk.wire import serial_lines
from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.instrument.profile import MOST_BYTES
from rainfront.instruments import actions, asking
from rainfront.instruments.forms import CalibrationForm, CompareForm, FindForm, InstrumentForm, ProfileFileForm
from rainfront.instruments.models import BenchInstrument, Supply
from rainfront.instruments.presenters_bench import (
    AnnouncedRow,
    announced_rows,
    apart,
    bridge_words,
    instrument_rows,
    offered,
    typed,
)
from rainfront.instruments.profiles import FIELDS, all_profiles, heard_lines, profile_called, proposed_template, text_of
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts, require


@require_GET
def bench_page(request: HttpRequest) -> HttpResponse:
    """What each instrument of the bench says now."""
    rows, trouble = _rows()
    meters = asking.power_meters()
    context = {"rows": rows, "trouble": trouble, "meters": meters, "supply": Supply.current()}
    return render(request, "instruments/bench.html", context)


@require_GET
def bench_now(request: HttpRequest) -> HttpResponse:
    """The same list by itself, asked for again and again."""
    rows, trouble = _rows()
    return render(request, "instruments/_bench_now.html", {"rows": rows, "trouble": trouble})


@require_GET
def values(request: HttpRequest) -> JsonResponse:
    """What the instruments read now of one quantity, the youngest first; those that are asked are asked for it."""
    quantity = request.GET.get("quantity", "")[:20]
    found = BenchInstrument.objects.read()
    try:
        told = asking.bench_now() if found else {}
        for one in found:
            if quantity in asking.asked_for(one):
                asking.wish(one, quantity)
    except ReadingError:
        # Nobody reads them now: the page Instruments says so, and a number can be typed.
        told = {}
    some = any(quantity in profile_called(one.profile).measured for one in found)
    unit = request.GET.get("unit", "")[:8]
    return JsonResponse({"values": offered(found, told, quantity, unit), "some": some})


@require_POST
@posts(Right.MEASURE)
def steady(request: HttpRequest) -> JsonResponse:
    """Wait for a reading that stands still; `again` says that nothing is wrong but the hand is not there yet."""
    quantity = request.POST.get("quantity", "")[:20]
    meter = asking.asked_meter(quantity)
    if meter is None:
        return JsonResponse({"error": f"no instrument is asked for {quantity} here", "again": False}, status=422)
    try:
        found = asking.steady_from(meter, quantity, first="lifted" not in request.POST)
    except ReadingError as error:
        return JsonResponse({"error": str(error), "again": error.where == "meter"}, status=422)
    return JsonResponse({"text": typed(quantity, found.value), "source": found.source})


def _rows() -> tuple[list[Any], str]:
    found = list(BenchInstrument.objects.select_related("sheet_meter"))
    told: dict[int, dict[str, Any]] = {}
    trouble = ""
    try:
        told = asking.bench_now() if found else {}
    except ReadingError as error:
        trouble = str(error)
    return instrument_rows(found, told), trouble


@posts(Right.KEEP)
def instrument_page(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Where an instrument is and what it speaks; who calibrated it."""
    instrument = get_object_or_404(BenchInstrument, pk=pk) if pk else None
    if request.method != "POST":
        given = {name: request.GET[name][:80] for name in ("name", "host", "port") if name in request.GET}
        return _page(request, instrument, InstrumentForm(None, instance=instrument, initial=given))
    user = signed_in(request)
    if instrument and request.POST.get("act") == "remove":
        actions.remove_instrument(instrument, user=user)
        asking.renew_bench()
        messages.success(request, f"{instrument} is off the bench.")
        return redirect("bench:bench")
    form = InstrumentForm(request.POST, instance=instrument)
    if not form.is_valid():
        return _page(request, instrument, form)
    made = actions.store_instrument(form, user=user)
    asking.renew_bench()
    if made.way == BenchInstrument.Way.BRIDGE and not (made.pin or made.host in bridge.HERE):
        messages.success(
            request, f"{made} stored. Start its bridge as below, then type the fingerprint that it prints."
        )
        return redirect(made)
    if form.teaches:
        return redirect("bench:lines", made.pk)
    messages.success(request, f"{made} stored.")
    return redirect("bench:bench")


@posts(Right.KEEP)
def find(request: HttpRequest) -> HttpResponse:
    """Look for instruments that announce themselves, on the interface that is chosen, once it is asked for."""
    require(signed_in(request), Right.KEEP)
    form, error, rows = FindForm(request.POST or None), "", list[AnnouncedRow]()
    looked = request.method == "POST" and form.is_valid()
    if looked:
        try:
            rows = announced_rows(asking.announced_at(form.cleaned_data["address"]))
        except ReadingError as problem:
            error, looked = str(problem), False
    context = {"form": form, "error": error, "rows": rows, "looked": looked}
    return render(request, "instruments/found.html", context, status=422 if error or form.errors else 200)


@require_POST
@posts(Right.MEASURE)
def calibrated(request: HttpRequest, pk: int) -> HttpResponse:
    """Note who calibrated an instrument, and when."""
    instrument = get_object_or_404(BenchInstrument, pk=pk)
    form = CalibrationForm(request.POST)
    if not form.is_valid():
        return _page(request, instrument, InstrumentForm(None, instance=instrument), form)
    who, on = form.cleaned_data["who"], form.cleaned_data["on"]
    actions.calibrate(instrument, who, on, user=signed_in(request))
    messages.success(request, f"{instrument}: calibrated by {who}.")
    return redirect("bench:bench")


def _page(
    request: HttpRequest,
    instrument: BenchInstrument | None,
    form: InstrumentForm,
    calibration: CalibrationForm | None = None,
) -> HttpResponse:
    noted = calibration or CalibrationForm(initial={"on": timezone.localdate()})
    bridged = instrument is not None and instrument.way == BenchInstrument.Way.BRIDGE
    context = {
        "form": form,
        "instrument": instrument,
        "calibration": noted,
        "serial": serial_lines(),
        "bridge": bridge_words(instrument) if instrument and bridged else (),
    }
    return render(request, "instruments/instrument.html", context, status=422 if form.errors or noted.errors else 200)


@posts(Right.KEEP)
def lines_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Teach the program what an instrument says: its raw lines, a template of them, what is read in each."""
    require(signed_in(request), Right.KEEP)
    instrument = get_object_or_404(BenchInstrument, pk=pk)
    error, lines = "", list[str]()
    template = request.POST.get("template", "")[:200].strip()
    try:
        lines = asking.heard_from(instrument)
        if request.method == "POST" and "store" in request.POST:
            user, now = signed_in(request), timezone.now()
            actions.store_profile(str(instrument), template, lines, instrument=instrument, user=user, now=now)
            asking.renew_bench()
            messages.success(request, f"What {instrument} says is understood now.")
            return redirect("bench:bench")
    except ChargepathError as problem:
        error = str(problem)
    template = template or proposed_template(lines)
    context = {
        "lines": heard_lines(lines[-8:], template),
        "template": template,
        "error": error,
        "instrument": instrument,
        "fields": FIELDS,
    }
    return render(request, "instruments/lines.html", context, status=422 if error else 200)


@posts(Right.KEEP)
def profiles_page(request: HttpRequest) -> HttpResponse:
    """The profiles that there are, as files; another one brought in."""
    form = ProfileFileForm()
    error = ""
    if request.method == "POST":
        require(signed_in(request), Right.KEEP)
        form = ProfileFileForm(request.POST, request.FILES)
        if form.is_valid():
            raw = form.cleaned_data["file"].read(MOST_BYTES + 1)
            try:
                made = actions.bring_profile_in(raw, user=signed_in(request), now=timezone.now())
                messages.success(request, f"The profile {made} is here.")
                return redirect("bench:profiles")
            except ChargepathError as problem:
                error = str(problem)
    rows = [(name, label, profile_called(name)) for name, label in all_profiles()]
    context = {"rows": rows, "form": form, "error": error}
    return render(request, "instruments/profiles.html", context, status=422 if error or form.errors else 200)


@require_GET
def bridge_out(request: HttpRequest) -> HttpResponse:
    """The one file that serves a serial instrument of another computer."""
    named = {"Content-Disposition": 'attachment; filename="bridge.py"'}
    return HttpResponse(Path(bridge.__file__).read_bytes(), content_type="text/x-python; charset=utf-8", headers=named)


@require_GET
def profile_out(request: HttpRequest, profile: str) -> HttpResponse:
    """A profile as its file."""
    text = text_of(profile)
    if not text:
        raise Http404
    named = {"Content-Disposition": f'attachment; filename="{profile}.toml"'}
    return HttpResponse(text, content_type="application/toml; charset=utf-8", headers=named)


@posts(Right.MEASURE)
def compare(request: HttpRequest) -> HttpResponse:
    """Two instruments on one resistor, diode or cell, one after the other: how far they are apart.

    Never both at once: their test currents would add up. The first one's reading comes back with the form.
    """
    form, error, found, first = CompareForm(request.POST or None), "", None, None
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            first = data["taken"]
            if first is None:
                first = asking.steady_from(data["first"], data["quantity"]).value
            else:
                second = asking.steady_from(data["second"], data["quantity"]).value
                found = apart(data["first"], data["second"], data["quantity"], first, second)
        except ReadingError as problem:
            error = str(problem)
    context = {"form": form, "error": error, "found": found, "first": None if found else first}
    return render(request, "instruments/compare.html", context, status=422 if error or form.errors else 200)


@require_POST
@posts(Right.MEASURE)
def try_out(request: HttpRequest, pk: int) -> HttpResponse:
    """Ask an instrument for one quantity, so that a person sees whether it answers."""
    instrument = get_object_or_404(BenchInstrument, pk=pk)
    try:
        asking.wish(instrument, request.POST.get("quantity", "")[:20])
    except ReadingError as error:
        messages.warning(request, str(error))
    return redirect("bench:bench")
