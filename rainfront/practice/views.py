"""Knowledge, prices and what was learned."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.knowledge import shipped
from chargepath.learning.lessons import to_json
from rainfront.people.context import signed_in, workshop_of
from rainfront.people.models import User
from rainfront.practice import actions, adapters, presenters
from rainfront.practice.forms import ChangeForm, MinutesForm, PartForm
from rainfront.practice.models import KnowledgeChange, Learned, PartPrice, ShopMinutes
from rainfront.practice.words import path_label


def _changed() -> dict[str, KnowledgeChange]:
    return {row.path: row for row in KnowledgeChange.objects.standing().select_related("by")}


@require_GET
def knowledge(request: HttpRequest) -> HttpResponse:
    """Every fault, searchable, and the changes."""
    query = request.GET.get("q", "")[:80]
    changes = [(row, path_label(shipped(), row.path)) for row in KnowledgeChange.objects.for_list()[:100]]
    context = {
        "rows": presenters.fault_rows(adapters.in_force().known, query),
        "q": query,
        "changes": changes,
        "general": list(presenters.GENERAL.items()),
        "checks": list(shipped().checks.values()),
        "lead": signed_in(request).role == User.Role.LEAD,
    }
    return render(request, "practice/knowledge.html", context)


@require_GET
def fault(request: HttpRequest, fault: str) -> HttpResponse:
    """One fault with its signs, checks, routes, numbers and their basis."""
    known = adapters.in_force().known
    if fault not in known.faults:
        raise Http404
    context = {
        **presenters.fault_page(known, known.faults[fault], _changed()),
        "lead": signed_in(request).role == User.Role.LEAD,
    }
    return render(request, "practice/fault.html", context)


@require_GET
def check(request: HttpRequest, check: str) -> HttpResponse:
    """One check with its numbers and their basis."""
    known = adapters.in_force().known
    if check not in known.checks:
        raise Http404
    lead = signed_in(request).role == User.Role.LEAD
    context = {**presenters.check_page(known, known.checks[check], _changed()), "lead": lead}
    return render(request, "practice/fault.html", context)


@require_GET
def general(request: HttpRequest, stem: str) -> HttpResponse:
    """Numbers that belong to no single fault."""
    if stem not in presenters.GENERAL:
        raise Http404
    lead = signed_in(request).role == User.Role.LEAD
    return render(request, "practice/fault.html", {**presenters.general_page(stem, _changed()), "lead": lead})


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
                    messages.success(request, f"{path_label(shipped(), path)} is {value:g} now.")
                    return redirect("practice:knowledge")
                rows = presenters.difference_rows(adapters.in_force().changed, actions.try_change(path, value))
                tried = True
            except ChargepathError as error:
                form.add_error("value", str(error))
    context = {
        "form": form, "label": path_label(shipped(), path), "path": path, "ships": ships, "now": now, "rows": rows,
        "tried": tried, "lead": user.role == User.Role.LEAD, "back": back,
    }  # fmt: skip
    return render(request, "practice/change.html", context, status=422 if form.errors else 200)


@require_POST
def undo(request: HttpRequest, pk: int) -> HttpResponse:
    """Go back to what ships."""
    row = get_object_or_404(KnowledgeChange, pk=pk, undone_at__isnull=True)
    try:
        actions.undo_change(row, user=signed_in(request), now=timezone.now())
        messages.success(request, f"{path_label(shipped(), row.path)} is {row.shipped} again, or what was set before.")
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("practice:knowledge")


def costs(request: HttpRequest) -> HttpResponse:
    """The shop's minutes and part prices."""
    which = request.POST.get("which", "") if request.method == "POST" else ""
    minutes = MinutesForm(request.POST if which == "minutes" else None)
    parts = PartForm(request.POST if which == "part" else None)
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
    shop, force = workshop_of(request), adapters.in_force()
    context = {
        "minutes_form": minutes,
        "part_form": parts,
        "minutes": presenters.minutes_rows(force, list(ShopMinutes.objects.standing().select_related("by"))),
        "parts": presenters.part_rows(list(PartPrice.objects.standing().select_related("by")), shop.currency),
        "costs": force.known.costs,
        "shop": shop,
        "lead": user.role == User.Role.LEAD,
    }
    return render(request, "practice/costs.html", context, status=422 if minutes.errors or parts.errors else 200)


@require_GET
def lessons(request: HttpRequest) -> HttpResponse:
    """What the closed jobs taught."""
    row = Learned.objects.select_related("by").first()
    context = {
        **presenters.lessons_page(adapters.in_force().lessons),
        "row": row,
        "lead": signed_in(request).role == User.Role.LEAD,
    }
    return render(request, "practice/lessons.html", context)


@require_POST
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
    found = adapters.in_force().lessons
    response = JsonResponse(to_json(found) if found else {"format": "rainfront-learned", "version": 1, "jobs": 0})
    response["Content-Disposition"] = 'attachment; filename="learned.json"'
    return response
