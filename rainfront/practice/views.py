"""Knowledge, prices and what was learned."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.learning.lessons import to_json
from chargepath.repair.jumper import GAUGES, MOST_DROP_MV, MOST_RISE_K, jumper, thinnest
from rainfront.people.context import signed_in
from rainfront.people.forms import MeForm
from rainfront.people.models import Workshop
from rainfront.people.presenters import workshop_changes
from rainfront.people.rights import Right, may, own, posts
from rainfront.practice import actions, presenters
from rainfront.practice.context import practice_of
from rainfront.practice.forms import ChangeForm, MinutesForm, PartForm, WireForm, WorkshopForm
from rainfront.practice.models import KnowledgeChange, Learned, PartPrice, ShopMinutes
from rainfront.practice.words import path_label


def _changed() -> dict[str, KnowledgeChange]:
    return {row.path: row for row in KnowledgeChange.objects.standing().select_related("by")}


@require_GET
def knowledge(request: HttpRequest) -> HttpResponse:
    """Every fault, searchable, and the changes."""
    query = request.GET.get("q", "")[:80]
    changes = [
        (row, path_label(practice_of(request).shipped, row.path)) for row in KnowledgeChange.objects.for_list()[:100]
    ]
    context = {
        "rows": presenters.fault_rows(practice_of(request), query),
        "q": query,
        "changes": changes,
        "general": list(presenters.GENERAL.items()),
        "checks": list(practice_of(request).shipped.checks.values()),
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "practice/knowledge.html", context)


@require_GET
def fault(request: HttpRequest, fault: str) -> HttpResponse:
    """One fault with its signs, checks, routes, numbers and their basis."""
    known = practice_of(request).known
    if fault not in known.faults:
        raise Http404
    context = {
        **presenters.fault_page(practice_of(request), known.faults[fault], _changed()),
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "practice/fault.html", context)


@posts(Right.LEAD)
def work(request: HttpRequest) -> HttpResponse:
    """What can be done in several ways, what each costs, and how this shop does it."""
    error = ""
    if request.method == "POST":
        slot, _, option = request.POST.get("way", "").partition(" ")
        try:
            actions.set_method(slot, option, user=signed_in(request), now=timezone.now())
            return redirect("practice:work")
        except ChargepathError as problem:
            error = str(problem)
    context = {
        "rows": presenters.method_rows(practice_of(request)),
        "error": error,
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "practice/work.html", context, status=422 if error else 200)


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
    return render(request, "practice/wire.html", context, status=422 if error or form.errors else 200)


@require_GET
def check(request: HttpRequest, check: str) -> HttpResponse:
    """One check with its numbers and their basis."""
    known = practice_of(request).known
    if check not in known.checks:
        raise Http404
    lead = may(signed_in(request), Right.LEAD)
    context = {**presenters.check_page(practice_of(request), known.checks[check], _changed()), "lead": lead}
    return render(request, "practice/fault.html", context)


@require_GET
def general(request: HttpRequest, stem: str) -> HttpResponse:
    """Numbers that belong to no single fault."""
    if stem not in presenters.GENERAL:
        raise Http404
    lead = may(signed_in(request), Right.LEAD)
    return render(
        request,
        "practice/fault.html",
        {**presenters.general_page(practice_of(request), stem, _changed()), "lead": lead},
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
                    messages.success(request, f"{path_label(practice_of(request).shipped, path)} is {value:g} now.")
                    return redirect("practice:knowledge")
                rows = presenters.difference_rows(practice_of(request).changed, actions.try_change(path, value))
                tried = True
            except ChargepathError as error:
                form.add_error("value", str(error))
    context = {
        "form": form,
        "label": path_label(practice_of(request).shipped, path),
        "path": path,
        "ships": ships,
        "now": now,
        "learned": presenters.learned_at(practice_of(request), path),
        "rows": rows,
        "tried": tried,
        "lead": may(user, Right.LEAD),
        "back": back,
    }
    return render(request, "practice/change.html", context, status=422 if form.errors else 200)


@require_POST
@posts(Right.LEAD)
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    """Go back to what ships."""
    row = get_object_or_404(KnowledgeChange, pk=pk, undone_at__isnull=True)
    try:
        actions.undo_change(row, user=signed_in(request), now=timezone.now())
        messages.success(
            request,
            f"{path_label(practice_of(request).shipped, row.path)} is {row.shipped} again, or what was set before.",
        )
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("practice:knowledge")


@posts(Right.PARTS)
def costs(request: HttpRequest) -> HttpResponse:
    """The shop's minutes and part prices."""
    which = request.POST.get("which", "") if request.method == "POST" else ""
    minutes = MinutesForm(practice_of(request).shipped, request.POST if which == "minutes" else None)
    parts = PartForm(practice_of(request).shipped, request.POST if which == "part" else None)
    user, now = signed_in(request), timezone.now()
    try:
        if which == "minutes" and minutes.is_valid():
            data = minutes.cleaned_data
            actions.set_minutes(data["key"], data["family"], data["minutes"], user=user, now=now)
            return redirect("practice:costs")
        if which == "part" and parts.is_valid():
            data = parts.cleaned_data
            actions.set_part(
                data["route"], data["family"], data["price"], data["days"], data["sold_with"], user=user, now=now
            )
            return redirect("practice:costs")
    except ChargepathError as error:
        (minutes if which == "minutes" else parts).add_error(None, str(error))
    practice = practice_of(request)
    context = {
        "minutes_form": minutes,
        "part_form": parts,
        "minutes": presenters.minutes_rows(practice, list(ShopMinutes.objects.standing().select_related("by"))),
        "parts": presenters.part_rows(practice, list(PartPrice.objects.standing().select_related("by"))),
        "replaced": presenters.replaced_rows(practice),
        "costs": practice.known.costs,
        "shop": practice.shop,
        "lead": may(user, Right.LEAD),
    }
    return render(request, "practice/costs.html", context, status=422 if minutes.errors or parts.errors else 200)


@require_GET
def lessons(request: HttpRequest) -> HttpResponse:
    """What the closed jobs taught."""
    row = Learned.objects.select_related("by").first()
    context = {
        **presenters.lessons_page(
            practice_of(request).shipped, practice_of(request).lessons, request.GET.get("part", "")
        ),
        "row": row,
        "lead": may(signed_in(request), Right.LEAD),
    }
    return render(request, "practice/lessons.html", context)


@require_POST
@posts(Right.LEAD)
def set_learning(request: HttpRequest) -> HttpResponse:
    """Go on, freeze, switch off, or begin anew."""
    try:
        actions.set_learning(request.POST.get("state", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("practice:lessons")


@require_GET
def export(request: HttpRequest) -> JsonResponse:
    """Everything learned, as JSON."""
    found = practice_of(request).lessons
    response = JsonResponse(to_json(found) if found else {"format": "rainfront-learned", "version": 1, "jobs": 0})
    response["Content-Disposition"] = 'attachment; filename="learned.json"'
    return response


@own
def settings_page(request: HttpRequest) -> HttpResponse:
    """My meter and initials; the workshop's figures for the lead."""
    user, practice = signed_in(request), practice_of(request)
    data = request.POST if request.method == "POST" else None
    me, shop = MeForm(data, instance=user, prefix="me"), None
    if may(user, Right.LEAD):
        shop = WorkshopForm(practice.shipped, data, instance=Workshop.current(), prefix="shop")
    if data is not None and me.is_valid() and (shop is None or shop.is_valid()):
        actions.store_settings(me, shop, user=user, now=timezone.now())
        messages.success(request, "Settings stored.")
        return redirect("practice:settings")
    status = 422 if data is not None else 200
    context = {"me": me, "shop": shop, "changes": workshop_changes() if shop else []}
    return render(request, "practice/settings.html", context, status=status)
