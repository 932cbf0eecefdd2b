"""The heat desk, and the stations of the bench."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.heat import actions, adapters, presenters
from rainfront.heat.desk import heat_up, lay_on, told_by
from rainfront.heat.forms import DeskForm, MeltForm, OpeningForm, StationForm
from rainfront.heat.models import HotAir, Melted
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of

CAUTIONS = ("hot_air", "fumes", "lead", "lithium")


@require_GET
def desk(request: HttpRequest) -> HttpResponse:
    """What a setting does to a joint and to what stands beside it."""
    known = shop_of(request).known
    form, shown = DeskForm(known, request.GET), None
    if form.is_valid():
        data = form.cleaned_data
        try:
            heated = heat_up(
                form.setting(known),
                form.target_of(known),
                known.heat.alloys[data["alloy"]],
                (data["low_melt"] or 0.0) / 100,
                adapters.fit_for(data["station"], known),
                known,
            )
            shown = presenters.desk_of(heated, known, request.GET)
        except ChargepathError as error:
            refused(form, error)
    asked_by = request.GET.get("job", "")
    context = {
        "form": form,
        "desk": shown,
        "from_job": asked_by if asked_by.isascii() and asked_by.isdigit() and len(asked_by) < 10 else "",
        "from_step": request.GET.get("step", "")[:60],
        "iron": form.data.get("tool") == "iron",
        "cautions": [known.cautions[name] for name in CAUTIONS],
    }
    template = "heat/_desk.html" if request.htmx else "heat/desk.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=422 if form.errors else 200)


@require_GET
def plate(request: HttpRequest) -> HttpResponse:
    """A device on a warm plate until its glue gives way."""
    known = shop_of(request).known
    form, shown = OpeningForm(known, request.GET), None
    if form.is_valid():
        data = form.cleaned_data
        opening, soaked = lay_on(data["opening"], data["plate"], data["minutes"], known)
        shown = presenters.plate_of(opening, data["plate"], data["minutes"], soaked)
    context = {"form": form, "plate": shown, "cautions": [known.cautions["lithium"]]}
    template = "heat/_plate.html" if request.htmx else "heat/plate.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=422 if form.errors else 200)


@posts(Right.MEASURE)
def stations(request: HttpRequest) -> HttpResponse:
    """The stations of the bench; a new one."""
    form = StationForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            made = actions.add_station(
                form.cleaned_data["name"], form.cleaned_data["note"], user=signed_in(request), now=timezone.now()
            )
        except ChargepathError as error:
            refused(form, error, "name")
        else:
            return redirect("heat:station", made.pk)
    context = {"form": form, "stations": HotAir.objects.on_the_bench()}
    return render(request, "heat/stations.html", context, status=422 if form.errors else 200)


@posts(Right.MEASURE)
def station(request: HttpRequest, pk: int) -> HttpResponse:
    """One station: its fit, its melts, one more melt."""
    known, found = shop_of(request).known, get_object_or_404(HotAir, pk=pk)
    rows = list(found.melts.select_related("by"))
    last = rows[-1] if rows else None
    form = MeltForm(known, request.POST or None, initial=usual_melt(last))
    if request.method == "POST" and form.is_valid():
        try:
            actions.log_melt(found, form.values(), user=signed_in(request), now=timezone.now())
        except ChargepathError as error:
            refused(form, error)
        else:
            return redirect("heat:station", pk)
    standing = [row for row in rows if row.struck_at is None]
    fit = adapters.fit_of(standing, known) if standing else None
    context = {
        "station": found,
        "form": form,
        "page": presenters.station_of(rows, told_by(fit, rows, known), fit, known),
        "melting": {row.id: row.liquidus_c for row in known.heat.alloys.values()},
        "cautions": [known.cautions[name] for name in CAUTIONS],
    }
    return render(request, "heat/station.html", context, status=422 if form.errors else 200)


def usual_melt(last: Melted | None) -> dict[str, object]:
    """What the form begins with: the last melt's setting."""
    names = ("target", "alloy", "below", "set_c", "flow_l_min", "nozzle_mm", "distance_mm", "plate_c", "room_c")
    if last is None:
        return {"flow_l_min": 50, "nozzle_mm": 8, "distance_mm": 12}
    found = {name: getattr(last, name) for name in names}
    return {name: f"{value:g}" if isinstance(value, float) else value for name, value in found.items()}


@require_POST
@posts(Right.MEASURE)
def strike(request: HttpRequest, pk: int) -> HttpResponse:
    """Strike a melt out, or let it count again."""
    melt = get_object_or_404(Melted, pk=pk)
    actions.strike_melt(melt, user=signed_in(request), now=timezone.now())
    return redirect("heat:station", melt.station_id)


@require_POST
@posts(Right.MEASURE)
def give_away(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a station off the bench."""
    found = get_object_or_404(HotAir, pk=pk)
    actions.give_away(found, user=signed_in(request), now=timezone.now())
    messages.success(request, f"{found.name} is off the bench. Its melts are kept: add it again under this name.")
    return redirect("heat:stations")
