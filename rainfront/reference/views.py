"""References: what there is, bringing tables in and out, meters, connectors."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import typed
from chargepath.electrical.goodfile import COLUMNS, write_good
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.reference import actions, adapters, presenters
from rainfront.reference.forms import ConnectorForm, DiodeMeterForm, ReadingsForm
from rainfront.reference.models import BoardConnector, DiodeMeter, GoodReading, GoodValue
from rainfront.web.scenes.pin_map import draw
from rainfront.web.uploads import takes
from rainfront.workshop.context import shop_of

SHOWN_BAD = 200


@require_GET
def overview(request: HttpRequest) -> HttpResponse:
    """Everything there is."""
    return _overview(request, ReadingsForm())


def _overview(request: HttpRequest, form: ReadingsForm, status: int = 200) -> HttpResponse:
    known, meters = shop_of(request).known, list(DiodeMeter.objects.all())
    context = {
        "rows": presenters.board_rows(known, GoodReading.objects.standing().by_board()),
        "removed": presenters.board_rows(known, GoodReading.objects.removed().by_board()),
        "values": presenters.value_rows(known, GoodValue.objects.all().by_board()),
        "meters": meters,
        "shifts": presenters.shift_rows(meters),
        "connectors": BoardConnector.objects.all(),
        "shipped": [*known.connectors.values(), *known.points.values()],
        "form": form,
        "columns": ", ".join(COLUMNS),
    }
    return render(request, "reference/overview.html", context, status=status)


@takes(30_000_000)
@require_POST
@posts(Right.TEACH)
def bring_in(request: HttpRequest) -> HttpResponse:
    """Store a table's good lines and report every bad one."""
    form = ReadingsForm(request.POST, request.FILES)
    if getattr(request, "upload_too_large", False):
        form.errors.clear()
        form.add_error("file", f"the file is too large; up to {actions.MAX_FILE_BYTES / 1e6:.0f} MB")
    if not form.is_valid():
        return _overview(request, form, 422)
    try:
        stored, bad = actions.import_readings(
            shop_of(request).known, form.cleaned_data["file"].read(), user=signed_in(request), now=timezone.now()
        )
    except ChargepathError as error:
        form.add_error("file", str(error))
        return _overview(request, form, 422)
    context = {"stored": stored, "bad": bad, "shown": bad[:SHOWN_BAD], "report": presenters.bad_report(bad)}
    return render(request, "reference/brought_in.html", context)


@require_GET
def take_out(request: HttpRequest) -> StreamingHttpResponse:
    """Everything as a table."""
    response = StreamingHttpResponse(write_good(GoodReading.objects.rows()), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="references.csv"'
    return response


@require_GET
def board(request: HttpRequest) -> HttpResponse:
    """One model's references at one place with one meter, pin by pin."""
    found = presenters.board_page(shop_of(request).known, request.GET)
    if found is None:
        messages.warning(request, "There is no such reference.")
        return redirect("reference:overview")
    return render(request, "reference/board.html", found)


@require_POST
@posts(Right.TEACH)
def forget(request: HttpRequest) -> HttpResponse:
    """Take one model's readings at one place with one meter out of use, or bring them back."""
    keys = ("model_name", "revision", "map_id", "place", "meter_id")
    details = {key: request.POST.get(key, "") for key in keys}
    unit = request.POST.get("unit", "")
    if details["meter_id"].isdecimal() and len(details["meter_id"]) < 10 and unit:
        back = "back" in request.POST
        done = actions.forget_values(
            {**details, "unit": unit[:4]}, back=back, user=signed_in(request), now=timezone.now()
        )
        messages.success(request, f"{done} readings {'are back in use' if back else 'taken out of use'}.")
    elif details["meter_id"].isdecimal() and len(details["meter_id"]) < 10:
        if "back" in request.POST:
            messages.success(
                request, f"{actions.restore_board(details, user=signed_in(request))} readings are back in use."
            )
        else:
            gone = actions.forget_board(details, user=signed_in(request), now=timezone.now())
            messages.success(request, f"{gone} readings taken out of use; they can be brought back below.")
    return redirect("reference:overview")


@posts(Right.TEACH)
def meter_page(request: HttpRequest, pk: int = 0) -> HttpResponse:
    """A multimeter, new or known."""
    meter = get_object_or_404(DiodeMeter, pk=pk) if pk else None
    form = DiodeMeterForm(request.POST if request.method == "POST" else None, instance=meter)
    if request.method == "POST" and form.is_valid():
        actions.store_meter(form, user=signed_in(request))
        messages.success(request, f"{form.instance} stored.")
        return redirect("reference:overview")
    context = {"form": form, "meter": meter}
    return render(request, "reference/meter.html", context, status=422 if form.errors else 200)


@posts(Right.TEACH)
def connector_page(request: HttpRequest) -> HttpResponse:
    """A new board connector."""
    known = shop_of(request).known
    form = ConnectorForm(known, request.POST if request.method == "POST" else None, initial={"per_row": 10, "rows": 2})
    if request.method == "POST" and form.is_valid():
        data = dict(form.cleaned_data)
        try:
            actions.store_connector(known, pins=data.pop("lines"), **data, user=signed_in(request), now=timezone.now())
            return redirect("reference:overview")
        except ChargepathError as error:
            form.add_error(None, str(error))
    context = {"form": form, "nets": [(typed(net.id), net.label) for net in adapters.nets(known).values()]}
    return render(request, "reference/connector.html", context, status=422 if form.errors else 200)


@require_GET
def map_page(request: HttpRequest, map_id: str) -> HttpResponse:
    """One pin map as drawn."""
    found = adapters.find_map(map_id, shop_of(request).known)
    if found is None:
        messages.warning(request, "There is no such connector.")
        return redirect("reference:overview")
    mirrored, way = request.GET.get("side") == "solder", request.GET.get("way", "")
    context = {"map": found, "scene": draw(found, mirrored=mirrored, way=way), "mirrored": mirrored, "way": way}
    return render(request, "reference/map.html", context)
