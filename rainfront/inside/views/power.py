"""Ladder, bench supply, battery lines."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from chargepath.electrical.cable import TYPE_C_DROP_V, cable_drop_mv
from chargepath.electrical.supply import idle_limits, plan_injection
from chargepath.knowledge import shipped
from rainfront.inside import actions, presenters
from rainfront.inside.forms import CableForm, InjectionForm, LadderForm, SenseForm, SupplyForm
from rainfront.inside.models import Ladder, Photo
from rainfront.inside.views.common import get_job, show
from rainfront.people.context import signed_in
from rainfront.reference.actions import keep_idle
from rainfront.reference.adapters import good_idle


def ladder_page(request: HttpRequest, job: int) -> HttpResponse:
    """Volts along the path."""
    found = get_job(job)
    form = LadderForm(request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        try:
            actions.store_ladder(
                found, form.volts(), form.cleaned_data["amps"], form.second(), form.cleaned_data["second_amps"],
                user=signed_in(request), now=timezone.now(),
            )  # fmt: skip
            return redirect("inside:ladder", job)
        except ChargepathError as error:
            form.add_error(None, str(error))
    cable = CableForm(request.GET if "gauge" in request.GET else None)
    drop = None
    if cable.is_bound and cable.is_valid():
        data = cable.cleaned_data
        drop = cable_drop_mv(data["gauge"], data["metres"], data["cable_amps"])
    context = {
        "form": form,
        "ladders": [presenters.ladder_page(ladder) for ladder in Ladder.objects.filter(job=found)[:5]],
        "hops": presenters.allowances(),
        "cable": cable,
        "drop": drop,
        "cable_limit": TYPE_C_DROP_V,
        "cautions": [shipped().cautions["lithium"]],
    }
    return show(request, "inside/ladder.html", found, context, 422 if form.errors else 200)


def supply_page(request: HttpRequest, job: int) -> HttpResponse:
    """Bench supply on the battery terminals, and the injection helper."""
    found, known = get_job(job), shipped()
    form = SupplyForm(request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            actions.enter_supply(found, data["before"], data["after"], user=signed_in(request), now=timezone.now())
            return redirect("jobs:bench", job)
        except ChargepathError as error:
            form.add_error(None, str(error))
    injection, plan = InjectionForm(request.GET if "ohms" in request.GET else None), None
    if injection.is_bound and injection.is_valid():
        data = injection.cleaned_data
        try:
            plan = plan_injection(known, data["ohms"], data["rail_volts"], data["most_amps"])
        except ChargepathError as error:
            injection.add_error(None, str(error))
    leaks, heavy, basis = idle_limits(known, good_idle(found.model_name))
    context = {
        "form": form,
        "injection": injection,
        "plan": plan,
        "limits": (leaks * 1000, heavy * 1000, basis),
        "check": known.checks["supply_idle"],
        "photos": Photo.objects.of_job(found.pk),
        **_cautions(),
    }
    return show(request, "inside/supply.html", found, context, 422 if form.errors or injection.errors else 200)


def _cautions() -> dict[str, Any]:
    """Cautions of the supply, and of the hunt for what gets warm."""
    cautions = shipped().cautions
    return {
        "cautions": [cautions[name] for name in ("supply", "static", "lithium")],
        "heat_cautions": [cautions[name] for name in ("solvent", "fumes")],
    }


@require_POST
def keep_supply(request: HttpRequest, job: int) -> HttpResponse:
    """Keep a known-good idle current for the model."""
    found = get_job(job)
    form = SupplyForm(request.POST)
    if form.is_valid() and form.cleaned_data["before"] is not None:
        try:
            keep_idle(found.model_name, form.cleaned_data["before"], user=signed_in(request), now=timezone.now())
            return redirect("inside:supply", job)
        except ChargepathError as error:
            form.add_error("before", str(error))
    elif form.is_valid():
        form.add_error("before", "give what a good board draws before the power key")
    known = shipped()
    leaks, heavy, basis = idle_limits(known, good_idle(found.model_name))
    context = {
        "form": form,
        "injection": InjectionForm(),
        "limits": (leaks * 1000, heavy * 1000, basis),
        "check": known.checks["supply_idle"],
        "photos": Photo.objects.of_job(found.pk),
        **_cautions(),
    }
    return show(request, "inside/supply.html", found, context, 422)


def sense_page(request: HttpRequest, job: int) -> HttpResponse:
    """The battery connector's small lines."""
    found = get_job(job)
    form = SenseForm(request.POST if request.method == "POST" else None)
    judged = None
    if request.method == "POST" and form.is_valid():
        judged = form.found
        if request.POST.get("act") == "enter":
            try:
                actions.enter_sense(found, judged, user=signed_in(request), now=timezone.now())
                return redirect("jobs:bench", job)
            except ChargepathError as error:
                form.add_error(None, str(error))
    context = {"form": form, "judged": judged, "check": shipped().checks["sense_lines"]}
    return show(request, "inside/sense.html", found, context, 422 if form.errors else 200)
