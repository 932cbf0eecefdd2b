"""Closing, handing on, reopening."""

from __future__ import annotations

from collections.abc import Callable

from django.contrib import messages
from django.forms import Form
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST
from django_htmx.http import push_url

from chargepath.base.errors import ChargepathError
from rainfront.jobs.extensions import pages_of
from rainfront.jobs.fetching import get_job
from rainfront.jobs.judging import believed_at_intake, cured_by_repairs, is_proved
from rainfront.jobs.models import HandedOn, Job, Stage
from rainfront.jobs.planning import closing_steps
from rainfront.jobs.views.common import basis_of, hand, show_bench, show_job
from rainfront.people.rights import Right, posts
from rainfront.proof import actions
from rainfront.proof.forms import CancelForm, HandOnForm, OutcomeForm
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of

# The caution of whatever is done beside a cell.
CELL_CAUTION = "lithium"


def _ended(
    request: HttpRequest, pk: int, form: Form, act: Callable[..., Job], said: str, to: str = ""
) -> HttpResponse | None:
    """End a job by a valid form, and lead to its record, or to `to`; None where something has to be put right first."""
    if not (form.is_bound and form.is_valid()):
        return None
    try:
        act(pk, **form.cleaned_data, **hand(request))
    except ChargepathError as error:
        refused(form, error)
        return None
    messages.success(request, said)
    return redirect(to or reverse("jobs:record", args=[pk]))


def show_close(request: HttpRequest, pk: int) -> HttpResponse:
    """The page on which a proved job is closed, in place of the proof's last item."""
    answer = close_page(request, pk, shown_by_proof=True)
    return push_url(answer, reverse("proof:close", args=[pk]))


@posts(Right.PROMISE)
def close_page(request: HttpRequest, pk: int, *, shown_by_proof: bool = False) -> HttpResponse:
    """Close a proved job."""
    job, shop = get_job(pk), shop_of(request)
    if job.is_closed:
        return redirect("jobs:record", pk)
    sent = None if shown_by_proof else request.POST or None
    likely, cured = believed_at_intake(job, shop), cured_by_repairs(job, shop)
    ticked = [name for name, chance in likely if chance > 0.5 and name in cured]
    form = OutcomeForm(shop.known, likely, sent, initial={"faults": ticked})
    done = _ended(request, pk, form, actions.close_job, "Closed.", pages_of(job)[Stage.HAND_OVER].href)
    context = {"form": form, "proved": is_proved(job, shop.known)}
    template = "proof/_close.html" if shown_by_proof else "proof/close.html"
    return done or show_job(request, template, job, context, 422 if form.errors else 200)


@posts(Right.REPAIR)
def refer_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Hand a job on, or back unrepaired."""
    job = get_job(pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    basis = basis_of(request, job)
    reached = basis.belief.access
    opened = reached != next(iter(basis.known.access))
    start = {"why": HandedOn.DECLINED if job.refused else ""}
    form = HandOnForm(basis.known, basis.belief.faults, opened, request.POST or None, initial=start)
    done = _ended(request, pk, form, actions.refer_job, "Handed on. The record goes with it.")
    closing = [] if basis.core.dangers else closing_steps(job, reached, basis.shop)
    context = {
        "form": form,
        "opened": opened,
        "closing": closing,
        "cautions": [basis.known.cautions[CELL_CAUTION]],
        "dangerous": basis.core.dangers,
    }
    return done or show_job(request, "proof/hand_on.html", job, context, 422 if form.errors else 200)


@posts(Right.PROMISE)
def cancel_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Cancel a job that was a mistake."""
    job = get_job(pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    form = CancelForm(request.POST or None)
    done = _ended(request, pk, form, actions.cancel_job, "Cancelled. It stays readable here.")
    return done or show_job(request, "proof/cancel.html", job, {"form": form}, 422 if form.errors else 200)


@require_POST
@posts(Right.PROMISE)
def reopen(request: HttpRequest, pk: int) -> HttpResponse:
    """Open a closed job again."""
    came_back, why = request.POST.get("how", "back") != "mistake", request.POST.get("why", "")
    try:
        actions.reopen_job(pk, why, came_back=came_back, **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422, reopen_why=why)
    return redirect("jobs:bench", pk)
