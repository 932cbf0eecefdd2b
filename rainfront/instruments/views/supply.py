"""The bench supply: where it is, what it shows now, and what the simulated one is to do."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.instruments import actions
from rainfront.instruments.forms import PretendForm, SupplyForm
from rainfront.instruments.models import Supply
from rainfront.instruments.supply import pretend as pretend_lines
from rainfront.instruments.supply import shown, simulated_devices, tell_thermocouple
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


@posts(Right.KEEP)
def supply_page(request: HttpRequest) -> HttpResponse:
    """Where the supply and the thermocouple are."""
    form = SupplyForm(request.POST or None, instance=Supply.current())
    if request.method == "POST" and form.is_valid():
        actions.set_supply(form, user=signed_in(request))
        messages.success(request, "Supply stored.")
        return redirect("instruments:supply")
    return _page(request, form, _pretending(request))


def _pretending(request: HttpRequest, data: QueryDict | None = None) -> PretendForm:
    devices = simulated_devices(Supply.current()) if settings.DEMO else {}
    return PretendForm(shop_of(request).known, devices, data)


def _page(request: HttpRequest, form: SupplyForm, pretend_form: PretendForm) -> HttpResponse:
    context = {"form": form, "pretend": pretend_form}
    status = 422 if form.errors or pretend_form.errors else 200
    return render(request, "instruments/supply.html", context, status=status)


@require_GET
def now(request: HttpRequest) -> HttpResponse:
    """What the supply shows now, as a fragment that asks for itself again; `part` is what is unplugged next."""
    at = Supply.current()
    context = {"supply": at, "part": request.GET.get("part", "")[:30]}
    try:
        context["shown"] = shown(at)
    except ChargepathError as error:
        context["trouble"] = str(error)
    return render(request, "instruments/_supply_now.html", context)


@require_POST
@posts(Right.MEASURE)
def pretend(request: HttpRequest) -> HttpResponse:
    """Tell the simulated supply or thermocouple what a person would do with the real one."""
    form, at = _pretending(request, request.POST), Supply.current()
    if form.is_valid():
        try:
            lines, thermocouple = form.lines(), form.cleaned_data["thermocouple"]
            if lines:
                pretend_lines(at, lines)
            if thermocouple:
                tell_thermocouple(at, thermocouple)
        except ChargepathError as error:
            refused(form, error)
        else:
            if request.htmx:  # type: ignore[attr-defined]
                return HttpResponse("done")
            messages.success(request, "The simulated supply has it.")
            return redirect("instruments:supply")
    if request.htmx:  # type: ignore[attr-defined]
        return HttpResponse("; ".join(str(said) for rows in form.errors.values() for said in rows), status=422)
    return _page(request, SupplyForm(instance=at), form)
