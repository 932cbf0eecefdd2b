"""Ladder, bench supply, battery lines."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from chargepath.electrical.cable import TYPE_C_DROP_V, cable_drop_mv
from chargepath.electrical.supply import Injection, idle_limits, plan_injection
from rainfront.inside import actions, presenters
from rainfront.inside.adapters import judge_sense
from rainfront.inside.forms import CableForm, InjectionForm, LadderForm, SenseForm, SupplyReadingForm
from rainfront.inside.models import Draws, Ladder, Photo
from rainfront.inside.sense_words import sense_words
from rainfront.instruments.asking import asked_meter
from rainfront.jobs.extensions import probe_panels_of
from rainfront.jobs.fetching import complete, get_plain_job
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.scales import check_scale
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.reference.actions import keep_idle
from rainfront.reference.adapters import good_idle
from rainfront.web.forms import refused
from rainfront.web.verdicts import injection_words, limits_from
from rainfront.workshop.context import shop_of

SHOWN_LADDERS = 5


def _posted(request: HttpRequest) -> Any:
    return request.POST if request.method == "POST" else None


@posts(Right.MEASURE)
def ladder_page(request: HttpRequest, job: int) -> HttpResponse:
    """Volts along the path."""
    found, known = get_plain_job(job), shop_of(request).known
    ladders = list(Ladder.objects.for_job(found.pk)[:SHOWN_LADDERS])
    form = LadderForm(known, found.carrier, _posted(request), initial=presenters.ladder_again(ladders))
    if form.is_bound and form.is_valid():
        data = form.cleaned_data
        try:
            actions.store_ladder(found, form.volts(), data["amps"], form.second(), data["second_amps"], **hand(request))
            return redirect("inside:ladder", job)
        except ChargepathError as error:
            refused(form, error)
    cable = CableForm(request.GET if "gauge" in request.GET else None)
    drop = None
    if cable.is_bound and cable.is_valid():
        data = cable.cleaned_data
        drop = cable_drop_mv(data["gauge"], data["metres"], data["cable_amps"])
    context = {
        "form": form,
        "ladders": [presenters.ladder_page(ladder, known) for ladder in ladders],
        "hops": presenters.allowances(known),
        "cable": cable,
        "drop": drop,
        "cable_limit": TYPE_C_DROP_V,
        "cautions": [known.cautions["lithium"]],
        "walked_with": asked_meter("volts"),
        "beside_probe": probe_panels_of(found, "ladder", "", shop_of(request)),
    }
    return show_job(request, "inside/ladder.html", found, context, 422 if form.errors else 200)


@posts(Right.MEASURE)
def supply_page(request: HttpRequest, job: int) -> HttpResponse:
    """Bench supply on the battery terminals, and the injection helper."""
    found = get_plain_job(job)
    form = SupplyReadingForm(_posted(request))
    if form.is_bound and form.is_valid():
        data = form.cleaned_data
        try:
            actions.enter_supply(found, data["before"], data["after"], **hand(request))
            return redirect("jobs:bench", job)
        except ChargepathError as error:
            refused(form, error)
    injection = InjectionForm(request.GET if "ohms" in request.GET else None)
    return _supply(request, found, form, injection, _injection_plan(request, injection))


def _injection_plan(request: HttpRequest, form: InjectionForm) -> Injection | None:
    if not (form.is_bound and form.is_valid()):
        return None
    data = form.cleaned_data
    try:
        return plan_injection(shop_of(request).known, data["ohms"], data["rail_volts"], data["most_amps"])
    except ChargepathError as error:
        refused(form, error)
    return None


def _supply(
    request: HttpRequest,
    job: Job,
    form: SupplyReadingForm,
    injection: InjectionForm,
    plan: Injection | None,
) -> HttpResponse:
    known = shop_of(request).known
    taken = Draws.objects.over(job.pk).first()
    complete(job)
    good_a = good_idle(job.model_name)
    leaks, heavy = idle_limits(known, good_a)
    context = {
        "form": form,
        "injection": injection,
        "plan": plan,
        "working": injection_words(plan) if plan else [],
        "scale": check_scale(job, known.checks["supply_idle"], known, (leaks, heavy)),
        "taken": taken,
        "under_way": Draws.objects.under_way(job.pk).exists(),
        "steps": presenters.draws_scene(taken, known) if taken else None,
        "limits": (leaks * 1000, heavy * 1000, limits_from(good_a)),
        "check": known.checks["supply_idle"],
        "photos": Photo.objects.of_job(job.pk),
        "cautions": [known.cautions[name] for name in ("supply", "static", "lithium")],
        "heat_cautions": [known.cautions[name] for name in ("solvent", "fumes")],
    }
    return show_job(request, "inside/supply.html", job, context, 422 if form.errors or injection.errors else 200)


@require_POST
@posts(Right.TEACH)
def keep_supply(request: HttpRequest, job: int) -> HttpResponse:
    """Keep a known-good idle current for the model."""
    found, form = get_plain_job(job), SupplyReadingForm(request.POST)
    if form.is_valid() and form.cleaned_data["before"] is not None:
        try:
            keep_idle(found.model_name, form.cleaned_data["before"], user=signed_in(request), now=timezone.now())
            return redirect("inside:supply", job)
        except ChargepathError as error:
            refused(form, error, "before")
    elif form.is_valid():
        form.add_error("before", "give what a good board draws when off")
    return _supply(request, found, form, InjectionForm(), None)


@posts(Right.MEASURE)
def sense_page(request: HttpRequest, job: int) -> HttpResponse:
    """The battery connector's small lines."""
    found, known = get_plain_job(job), shop_of(request).known
    form, judged = SenseForm(_posted(request)), []
    if form.is_bound and form.is_valid():
        try:
            judged = judge_sense(known, form.cleaned_data)
            if request.POST.get("act") == "enter":
                actions.enter_sense(found, judged, **hand(request))
                return redirect("jobs:bench", job)
        except ChargepathError as error:
            refused(form, error)
    said = [(verdict.grade, sense_words(verdict)) for verdict in judged]
    context = {"form": form, "judged": said, "check": known.checks["sense_lines"]}
    return show_job(request, "inside/sense.html", found, context, 422 if form.errors else 200)
