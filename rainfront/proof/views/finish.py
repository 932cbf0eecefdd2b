"""Closing, handing on, reopening."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs.fetching import get_job
from rainfront.jobs.judging import believed_at_intake, cured_by_repairs, is_proved
from rainfront.jobs.models import Job
from rainfront.jobs.views.common import basis_of, hand, show_bench, show_job
from rainfront.people.rights import Right, posts
from rainfront.proof import actions
from rainfront.proof.forms import OutcomeForm
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


def _likely(request: HttpRequest, job: Job, refer: bool) -> tuple[list[tuple[str, float]], list[str]]:
    """Faults, the likeliest first, and those that are ticked to begin with."""
    shop = shop_of(request)
    if refer:
        return basis_of(request, job).belief.faults, []
    likely, cured = believed_at_intake(job, shop), cured_by_repairs(job, shop)
    return likely, [name for name, chance in likely if chance > 0.5 and name in cured]


def _outcome_page(request: HttpRequest, pk: int, refer: bool) -> HttpResponse:
    job = get_job(pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    likely, ticked = _likely(request, job, refer)
    data = request.POST if request.method == "POST" else None
    form = OutcomeForm(shop_of(request).known, likely, data, initial={"faults": ticked})
    if form.is_bound and form.is_valid():
        action = actions.refer_job if refer else actions.close_job
        try:
            action(job, form.cleaned_data["faults"], form.cleaned_data["note"], **hand(request))
            said = "Handed on. The record goes with it." if refer else "Closed. The record is below."
            messages.success(request, said)
            return redirect("jobs:record", pk)
        except ChargepathError as error:
            refused(form, error)
    context = {"form": form, "refer": refer, "proved": is_proved(job, shop_of(request).known)}
    return show_job(request, "proof/close.html", job, context, 422 if form.errors else 200)


@posts(Right.PROMISE)
def close_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Close a proved job."""
    return _outcome_page(request, pk, refer=False)


@posts(Right.REPAIR)
def refer_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Hand a job on or back."""
    return _outcome_page(request, pk, refer=True)


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
