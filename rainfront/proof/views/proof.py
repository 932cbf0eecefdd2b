"""Proving: one item at a time, typed, answered or watched by the live meter; what failed, and the way back."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.proofs import CLOSED
from chargepath.proving.verdict import Readings
from rainfront.jobs.extensions import before_and_after, proof_panels_of, proof_values_of, tell_decided
from rainfront.jobs.fetching import get_job
from rainfront.jobs.models import Repair
from rainfront.jobs.presenters.bench import scene_of
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.proof import actions
from rainfront.proof.forms import ProofItemForm
from rainfront.proof.presenters.proof import proof_page, together_of
from rainfront.proof.proving import proving_of
from rainfront.proof.views.finish import show_close
from rainfront.web.secrets import hide_code
from rainfront.workshop.context import shop_of


@require_GET
def prove_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The item that comes next, large; a fragment for htmx."""
    job = get_job(pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    if Repair.objects.still_open(pk).exists():
        return redirect("work:repair", pk)
    return _show(request, pk, wanted=request.GET.get("item", ""))


def _show(
    request: HttpRequest,
    pk: int,
    *,
    wanted: str = "",
    error: str = "",
    form: ProofItemForm | None = None,
    why: str = "",
) -> HttpResponse:
    job, shop = get_job(pk), shop_of(request)
    proving = proving_of(job, shop)
    page = proof_page(proving, shop.known.worded(job.carrier), wanted)
    if form is None and page.now and page.now.typed:
        form = ProofItemForm(proving.item(page.now.id), initial=proving.proof.numbers)
    context = {
        "page": page,
        "form": form,
        "error": error,
        "why": hide_code(why),
        "scene": scene_of(basis_of(request, job), proving.result.stations()),
        "panels": proof_panels_of(job, proving.item(page.now.id), shop) if page.now and not page.to_close else [],
    }
    context["pictures"] = before_and_after(job)
    template = "proof/_prove.html" if request.htmx else "proof/prove.html"  # type: ignore[attr-defined]
    return show_job(request, template, job, context, 422 if error or (form and form.errors) else 200)


def _go(request: HttpRequest, name: str, pk: int) -> HttpResponse:
    """On to another page, from the fragment too."""
    there = redirect(name, pk)
    return HttpResponseClientRedirect(there.url) if request.htmx else there  # type: ignore[attr-defined]


@require_POST
@posts(Right.REPAIR)
def read(request: HttpRequest, pk: int) -> HttpResponse:
    """What an item has shown: its values, an answer, or why it is left out."""
    shop = shop_of(request)
    name, why = request.POST.get("item", ""), request.POST.get("why", "").strip()
    form = None
    try:
        proving = proving_of(get_job(pk), shop)
        item = proving.item(name)
        if "together" in request.POST:
            given = Readings(answers={row.id: next(iter(row.answers)) for row in together_of(proving)})
        elif "leave" in request.POST:
            given = Readings(left_out={name: why[:200]})
        elif item.answers:
            given = Readings(answers={name: request.POST.get("all", "+".join(request.POST.getlist("answer")))})
        elif request.POST.get("answer") in item.said:
            given = Readings(answers={name: request.POST["answer"]})
        else:
            form = ProofItemForm(item, request.POST)
            if not form.is_valid():
                return _show(request, pk, wanted=name, form=form, why=why)
            typed = {key: value for key, value in form.cleaned_data.items() if value is not None}
            given = Readings(numbers={**proof_values_of(get_job(pk), item, shop), **typed})
        proof, result = actions.record_proof(pk, given, **hand(request))
    except ChargepathError as error:
        return _show(request, pk, wanted=name, error=str(error), form=form, why=why)
    if result.works:
        tell_decided(get_job(pk), hand(request))
        if proof.phase == CLOSED and request.htmx and may(signed_in(request), Right.PROMISE):  # type: ignore[attr-defined]
            return show_close(request, pk)
        return _go(request, "proof:close" if proof.phase == CLOSED else "work:repair", pk)
    if not request.htmx:  # type: ignore[attr-defined]
        return redirect("proof:prove", pk)
    return _show(request, pk)


@require_POST
@posts(Right.REPAIR)
def again(request: HttpRequest, pk: int) -> HttpResponse:
    """Take an item up again."""
    name, error = request.POST.get("item", ""), ""
    try:
        actions.read_again(pk, name, **hand(request))
    except ChargepathError as problem:
        error = str(problem)
    if not request.htmx and not error:  # type: ignore[attr-defined]
        return redirect("proof:prove", pk)
    return _show(request, pk, wanted=name, error=error)


@require_POST
@posts(Right.REPAIR)
def failed(request: HttpRequest, pk: int) -> HttpResponse:
    """What follows from a proof that failed: back to a step of the work, or its readings as evidence."""
    step, _, slip = request.POST.get("back", "").partition(" ")
    try:
        if step:
            actions.go_back(pk, step, slip, **hand(request))
        else:
            actions.fail_proof(pk, **hand(request))
    except ChargepathError as error:
        return _show(request, pk, error=str(error))
    tell_decided(get_job(pk), hand(request))
    if step:
        return _go(request, "work:repair", pk)
    return _go(request, "jobs:bench", pk)
