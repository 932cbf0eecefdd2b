"""Knowledge, prices and what was learned."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.learning.examples import to_json
from chargepath.repair.jumper import GAUGES, MOST_DROP_MV, MOST_RISE_K, jumper, thinnest
from rainfront.people.context import signed_in
from rainfront.people.forms import MeForm
from rainfront.people.models import Workshop
from rainfront.people.presenters import workshop_changes
from rainfront.people.rights import Right, may, own, posts
from rainfront.workshop import actions, presenters
from rainfront.workshop.adapters import Shop
from rainfront.workshop.context import shop_of
from rainfront.workshop.forms import ChangeForm, MinutesForm, PartForm, WireForm, WorkshopForm
from rainfront.workshop.models import KnowledgeChange, Learned, PartPrice, ShopMinutes
from rainfront.workshop.words import path_label


def _changed() -> dict[str, KnowledgeChange]:
    return {row.path: row for row in KnowledgeChange.objects.standing().select_related("by")}


@login_not_required
@require_GET
def emergency(request: HttpRequest) -> HttpResponse:
    """What to do when somebody is in danger: for everybody, signed in or not, and on paper for the wall."""
    cards = list(Shop.as_shipped().known.emergencies.values())
    context = {"large": [card for card in cards if card.large], "others": [card for card in cards if not card.large]}
    return render(request, "workshop/emergency.html", context)


@require_GET
def knowledge(request: HttpRequest) -> HttpResponse:
    """Every fault, searchable, and the changes."""
    query, shop = request.GET.get("q", "")[:80], shop_of(request)
    station = request.GET.get("station", "")
    station = station if station in shop.known.stations else ""
    changes = [
        (row, path_label(shop_of(request).shipped, row.path)) for row in KnowledgeChange.objects.for_list()[:100]
    ]
    context = {
        "rows": presenters.fault_rows(shop, query, station),
        "line": presenters.where_faults_sit(shop, station),
        "station": shop.known.stations[station].label if station else "",
        "q": query,
        "changes": changes,
        "general": list(presenters.GENERAL.items()),
        "checks": list(shop_of(request).shipped.checks.values()),
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "workshop/knowledge.html", context)


@require_GET
def fault(request: HttpRequest, fault: str) -> HttpResponse:
    """One fault with its signs, checks, routes, numbers and their basis."""
    known = shop_of(request).known
    if fault not in known.faults:
        raise Http404
    context = {
        **presenters.fault_page(shop_of(request), known.faults[fault], _changed()),
        "why": known.reasons.faults[fault],
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "workshop/fault.html", context)


@posts(Right.LEAD)
def work(request: HttpRequest) -> HttpResponse:
    """What can be done in several ways, what each costs, and how this shop does it."""
    error = ""
    if request.method == "POST":
        slot, _, option = request.POST.get("way", "").partition(" ")
        try:
            actions.set_method(slot, option, user=signed_in(request), now=timezone.now())
            return redirect("workshop:work")
        except ChargepathError as problem:
            error = str(problem)
    context = {
        "rows": presenters.method_rows(shop_of(request)),
        "error": error,
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "workshop/work.html", context, status=422 if error else 200)


@require_GET
def wire(request: HttpRequest) -> HttpResponse:
    """Which jumper wire will do: gauge, drop and how warm it gets, by length and current."""
    form = WireForm(request.GET or None)
    rows, best, error = [], None, ""
    if form.is_bound and form.is_valid():
        length, amps = form.cleaned_data["length_mm"], form.cleaned_data["amps"]
        try:
            rows = [jumper(gauge, length, amps) for gauge in GAUGES]
            best = thinnest(length, amps)
        except ChargepathError as problem:
            error = str(problem)
    limits = {"drop": MOST_DROP_MV, "rise": MOST_RISE_K}
    context = {"form": form, "rows": rows, "best": best, "error": error, "limits": limits}
    return render(request, "workshop/wire.html", context, status=422 if error or form.errors else 200)


@require_GET
def check(request: HttpRequest, check: str) -> HttpResponse:
    """One check with its numbers and their basis."""
    known = shop_of(request).known
    if check not in known.checks:
        raise Http404
    lead = may(signed_in(request), Right.LEAD)
    context = {**presenters.check_page(shop_of(request), known.checks[check], _changed()), "lead": lead}
    return render(request, "workshop/fault.html", context)


@require_GET
def general(request: HttpRequest, stem: str) -> HttpResponse:
    """Numbers that belong to no single fault."""
    if stem not in presenters.GENERAL:
        raise Http404
    lead = may(signed_in(request), Right.LEAD)
    return render(
        request,
        "workshop/fault.html",
        {**presenters.general_page(shop_of(request), stem, _changed()), "lead": lead},
    )


@posts(Right.LEAD)
def change(request: HttpRequest) -> HttpResponse:
    """Change a number: first what it would do to the reference cases, then, said why, the change."""
    user, back = signed_in(request), request.GET.get("back", "")[:40]
    path = (request.POST if request.method == "POST" else request.GET).get("path", "")[:120]
    try:
        ships = actions.shipped_number(path)
    except ChargepathError as error:
        raise Http404(str(error)) from error
    own = _changed().get(path)
    now = own.value if own else ships
    form = ChangeForm(request.POST if request.method == "POST" else None, initial={"path": path, "value": now})
    rows, tried = None, False
    if form.is_bound:
        form.fields["reason"].required = request.POST.get("act") == "change"
        if form.is_valid():
            value = form.cleaned_data["value"]
            try:
                if request.POST.get("act") == "change":
                    actions.change_number(path, value, form.cleaned_data["reason"], user=user, now=timezone.now())
                    messages.success(request, f"{path_label(shop_of(request).shipped, path)} is {value:g} now.")
                    return redirect("workshop:knowledge")
                rows = presenters.difference_rows(shop_of(request).changed, actions.try_change(path, value))
                tried = True
            except ChargepathError as error:
                form.add_error("value", str(error))
    context = {
        "form": form,
        "label": path_label(shop_of(request).shipped, path),
        "path": path,
        "ships": ships,
        "now": now,
        "learned": presenters.learned_at(shop_of(request), path),
        "rows": rows,
        "tried": tried,
        "lead": may(user, Right.LEAD),
        "back": back,
    }
    return render(request, "workshop/change.html", context, status=422 if form.errors else 200)


@require_POST
@posts(Right.LEAD)
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    """Go back to what ships."""
    row = get_object_or_404(KnowledgeChange, pk=pk, undone_at__isnull=True)
    try:
        actions.undo_change(row, user=signed_in(request), now=timezone.now())
        messages.success(
            request,
            f"{path_label(shop_of(request).shipped, row.path)} is {row.shipped} again, or what was set before.",
        )
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("workshop:knowledge")


@posts(Right.PARTS)
def costs(request: HttpRequest) -> HttpResponse:
    """The shop's minutes and part prices."""
    which = request.POST.get("which", "") if request.method == "POST" else ""
    minutes = MinutesForm(shop_of(request).shipped, request.POST if which == "minutes" else None)
    parts = PartForm(shop_of(request).shipped, request.POST if which == "part" else None)
    user, now = signed_in(request), timezone.now()
    try:
        if which == "minutes" and minutes.is_valid():
            data = minutes.cleaned_data
            actions.set_minutes(data["key"], data["family"], data["minutes"], user=user, now=now)
            return redirect("workshop:costs")
        if which == "part" and parts.is_valid():
            data = parts.cleaned_data
            actions.set_part(
                data["route"], data["family"], data["price"], data["days"], data["sold_with"], user=user, now=now
            )
            return redirect("workshop:costs")
    except ChargepathError as error:
        (minutes if which == "minutes" else parts).add_error(None, str(error))
    shop = shop_of(request)
    context = {
        "minutes_form": minutes,
        "part_form": parts,
        "minutes": presenters.minutes_rows(shop, list(ShopMinutes.objects.standing().select_related("by"))),
        "parts": presenters.part_rows(shop, list(PartPrice.objects.standing().select_related("by"))),
        "replaced": presenters.replaced_rows(shop),
        "costs": shop.known.costs,
        "shop": shop.settings,
        "lead": may(user, Right.LEAD),
    }
    return render(request, "workshop/costs.html", context, status=422 if minutes.errors or parts.errors else 200)


@require_GET
def learned(request: HttpRequest) -> HttpResponse:
    """What the closed jobs taught."""
    row = Learned.objects.select_related("by").first()
    context = {
        **presenters.learned_page(shop_of(request).shipped, shop_of(request).estimates, request.GET.get("part", "")),
        "row": row,
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "workshop/learned.html", context)


@require_POST
@posts(Right.LEAD)
def set_learning(request: HttpRequest) -> HttpResponse:
    """Go on, freeze, switch off, or begin anew."""
    try:
        actions.set_learning(request.POST.get("state", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("workshop:learned")


@require_GET
def export(request: HttpRequest) -> JsonResponse:
    """Everything learned, as JSON."""
    found = shop_of(request).estimates
    response = JsonResponse(to_json(found) if found else {"format": "rainfront-learned", "version": 1, "jobs": 0})
    response["Content-Disposition"] = 'attachment; filename="learned.json"'
    return response


@own
def settings_page(request: HttpRequest) -> HttpResponse:
    """My meter and initials; the workshop's figures for the lead."""
    user, shop = signed_in(request), shop_of(request)
    data = request.POST if request.method == "POST" else None
    me, ours = MeForm(data, instance=user, prefix="me"), None
    if may(user, Right.LEAD):
        ours = WorkshopForm(shop.shipped, data, instance=Workshop.current(), prefix="shop")
    if data is not None and me.is_valid() and (ours is None or ours.is_valid()):
        actions.store_settings(me, ours, user=user, now=timezone.now())
        messages.success(request, "Settings stored.")
        return redirect("workshop:settings")
    status = 422 if data is not None else 200
    context = {"me": me, "shop": ours, "changes": workshop_changes() if ours else []}
    return render(request, "workshop/settings.html", context, status=status)
