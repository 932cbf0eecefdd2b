"""Proving, closing, handing on, reopening."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions, adapters
from rainfront.jobs.actions.prove import FIELDS, open_proof
from rainfront.jobs.forms import OutcomeForm, ProofForm
from rainfront.jobs.models import Job, Proof
from rainfront.jobs.presenters import steps_of
from rainfront.jobs.views.common import evidence_of, get_job, show_bench
from rainfront.people.context import signed_in


def prove_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Readings of the proof against their thresholds."""
    job = get_object_or_404(Job, pk=pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    known = adapters.knowledge()
    reversible = known.connectors[job.connector].reversible
    proof = open_proof(job) or Proof(job=job)
    initial = {name: getattr(proof, name) for name in FIELDS}
    initial["steady"] = {True: "yes", False: "no", None: ""}[proof.steady]
    form = ProofForm(reversible, request.POST or None, initial=initial)
    if request.method == "POST" and form.is_valid():
        try:
            proof, result = actions.record_proof(job, form.cleaned_data, user=signed_in(request), now=timezone.now())
        except ChargepathError as error:
            form.add_error(None, str(error))
        else:
            if result.works:
                messages.success(request, "Proved. Close the job with what turned out to be wrong.")
                return redirect("jobs:close", pk)
            if result.works is False:
                failed = "; ".join(f"{item.label}: {item.text}" for item in result.items if item.met is False)
                messages.warning(
                    request, f"The proof failed ({failed}). The evidence is kept; this is what comes next."
                )
                return redirect("jobs:bench", pk)
            return redirect("jobs:prove", pk)
    result = adapters.judge_job_proof(job, proof)
    context = {"job": job, "form": form, "result": result, "proof": proof, "stages": steps_of(job)}
    return render(request, "jobs/prove.html", context, status=422 if form.errors else 200)


def _outcome_page(request: HttpRequest, pk: int, refer: bool) -> HttpResponse:
    job = get_job(pk)
    if job.is_closed:
        return redirect("jobs:record", pk)
    judged = adapters.judge(job, evidence_of(job), explain=False)
    before = adapters.believed_before_repairs(job, evidence_of(job))
    repaired = adapters.cured_by_repairs(job, evidence_of(job))
    likely = judged.belief.faults if refer else before
    initial = {"faults": [name for name, chance in likely if chance > 0.5 and (refer or name in repaired)]}
    form = OutcomeForm(adapters.knowledge(), likely, request.POST or None, initial=initial)
    if request.method == "POST" and form.is_valid():
        action = actions.refer_job if refer else actions.close_job
        data = form.cleaned_data
        try:
            action(job, data["faults"], data["note"], user=signed_in(request), now=timezone.now())
            messages.success(
                request, "Closed. The record is below." if not refer else "Handed on. The record goes with it."
            )
            return redirect("jobs:record", pk)
        except ChargepathError as error:
            form.add_error(None, str(error))
    evidence = evidence_of(job)
    proved = bool(evidence) and evidence[-1].kind == "repair" and evidence[-1].works is True
    context = {"job": job, "form": form, "refer": refer, "proved": proved, "stages": steps_of(job)}
    return render(request, "jobs/close.html", context, status=422 if form.errors else 200)


def close_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Close a proved job."""
    return _outcome_page(request, pk, refer=False)


def refer_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Hand a job on or back."""
    return _outcome_page(request, pk, refer=True)


@require_POST
def reopen(request: HttpRequest, pk: int) -> HttpResponse:
    """Open a closed job again."""
    job = get_object_or_404(Job, pk=pk)
    try:
        actions.reopen_job(job, request.POST.get("why", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return redirect("jobs:bench", pk)
