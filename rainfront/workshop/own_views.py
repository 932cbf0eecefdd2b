"""The pages of the shop's own steps."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import shortest
from chargepath.base.sentences import clause
from chargepath.knowledge.procedures import literals
from chargepath.repair.workplan import facts_in_words
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.web.forms import refused
from rainfront.workshop.adapters import Shop
from rainfront.workshop.context import shop_of
from rainfront.workshop.forms import OwnStepForm, own_step_initial
from rainfront.workshop.models import ShopStep
from rainfront.workshop.ownsteps import comes_into, misfits, store_step, strike_step

OLDER = 60
# What a link to the form may fill in.
ASKED = ("at", "model_name", "kind", "do", "goes")


@dataclass(frozen=True)
class OwnRow:
    """A step of the shop's own in words; `hangs` is '' where its shipped step is not there any more."""

    step: ShopStep
    hangs: str
    settings: str
    cautions: str
    facts: str
    where: str


def _rows(steps: list[ShopStep], shop: Shop) -> list[OwnRow]:
    known = shop.known
    texts = {step.id: clause(step.do) for step in known.procedures.steps()}
    kinds = known.procedures.settings
    return [
        OwnRow(
            step=row,
            hangs=texts.get(row.at, ""),
            settings=", ".join(
                f"{kinds[name].label} {shortest(value)} {kinds[name].unit}"
                for name, value in row.settings.items()
                if name in kinds
            ),
            cautions=", ".join(known.cautions[name].label for name in row.cautions if name in known.cautions),
            facts="; ".join(
                f"{when} {', '.join(facts_in_words(known.procedures, literals(tuple(told))))}"
                for when, told in (("Before it", row.needs), ("After it", row.makes))
                if told
            ),
            where=row.model_name or row.kind or "every device",
        )
        for row in steps
    ]


@require_GET
def own_steps(request: HttpRequest) -> HttpResponse:
    """Every step of the shop's own, those that hang on nothing any more first, and what held before."""
    shop = shop_of(request)
    context = {
        "rows": _rows(list(ShopStep.objects.standing()), shop),
        "lost": _rows(list(misfits(shop)), shop),
        "older": _rows(list(ShopStep.objects.struck()[:OLDER]), shop),
        "may_teach": may(signed_in(request), Right.TEACH),
    }
    return render(request, "workshop/own_steps.html", context)


@posts(Right.TEACH)
def own_step(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Write a step of the shop's own, or change one; it is stored only where every plan with it stays right."""
    shop = shop_of(request)
    before = get_object_or_404(ShopStep.objects.standing(), pk=pk) if pk else None
    asked = {name: request.GET[name][:300] for name in ASKED if request.GET.get(name)}
    initial = own_step_initial(before) if before else asked
    form = OwnStepForm(shop.known, request.POST if request.method == "POST" else None, initial=initial)
    if form.is_bound and form.is_valid():
        try:
            user, now = signed_in(request), timezone.now()
            made = store_step(form.cleaned_data, before=before, user=user, now=now, shop=shop)
            comes = comes_into(made, shop)
            more = f" and {len(comes) - 3} more repairs" if len(comes) > 3 else ""
            messages.success(request, f"Stored. It comes into the plans of: {', '.join(comes[:3])}{more}.")
            return redirect("workshop:own_steps")
        except ChargepathError as error:
            refused(form, error)
    context = {"form": form, "before": before}
    return render(request, "workshop/own_step.html", context, status=422 if form.errors else 200)


@require_POST
@posts(Right.TEACH)
def strike(request: HttpRequest, pk: int) -> HttpResponse:
    """Strike a step of the shop's own out."""
    step = get_object_or_404(ShopStep, pk=pk)
    try:
        strike_step(step, request.POST.get("why", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        messages.error(request, str(error))
    return redirect("workshop:own_steps")
