"""The job page and everything entered on it."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import AmbiguousReadingError, ChargepathError
from chargepath.case.quickline import check_alone, complete, grammar
from rainfront.jobs import actions
from rainfront.jobs.adapters import device_of, meter_of
from rainfront.jobs.extensions import read_now_of
from rainfront.jobs.fetching import get_job, get_plain_job
from rainfront.jobs.forms import CheckForm, MishapForm
from rainfront.jobs.models import Entry
from rainfront.jobs.planning import opening_steps
from rainfront.jobs.presenters.scales import check_scale
from rainfront.jobs.presenters.words import example_line, setting_words
from rainfront.jobs.views.common import basis_of, hand, show_bench, show_job
from rainfront.people.context import signed_in
from rainfront.people.models import User
from rainfront.people.rights import Right, posts
from rainfront.stock.bench import behind
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


@require_GET
def bench_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The job page."""
    return show_bench(request, pk)


@require_POST
@posts(Right.MEASURE)
def add_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Record one quick line; `?` lists the grammar."""
    line = request.POST.get("line", "").strip()
    if line == "?":
        return redirect("jobs:grammar", pk)
    try:
        entry = actions.record_line(pk, line, **hand(request))
    except ChargepathError as error:
        choices = error.choices if isinstance(error, AmbiguousReadingError) else ()
        return show_bench(request, pk, error=str(error), line=line, choices=choices, status=422)
    return show_bench(request, entry.job)


@require_GET
def complete_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Completions for a half-typed line, as a fragment."""
    job = get_plain_job(pk)
    line = request.GET.get("line", "")[:200]
    known = shop_of(request).known
    check = check_alone(line, known)
    found = [*(read_now_of(check, line.strip()) if check else ()), *complete(line, known, device_of(job))]
    return render(request, "jobs/_completions.html", {"completions": found, "typed": line.strip()})


@require_GET
def grammar_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything the quick line takes."""
    job = get_plain_job(pk)
    rules = grammar(shop_of(request).known, device_of(job))
    template = "jobs/_grammar.html" if request.htmx else "jobs/grammar.html"  # type: ignore[attr-defined]
    return render(request, template, {"rules": rules, "job": job})


@posts(Right.MEASURE)
def check_page(request: HttpRequest, pk: int, check: str) -> HttpResponse:
    """The form of one check."""
    job, known = get_job(pk), shop_of(request).known
    found = known.checks.get(check)
    if found is None:
        raise Http404
    data = request.POST if request.method == "POST" else None
    form = CheckForm(found, meter_of(signed_in(request)), data, known=known)
    if form.is_bound and form.is_valid():
        try:
            actions.record_event(job, form.event(), **hand(request))
            return redirect("jobs:bench", pk)
        except ChargepathError as error:
            refused(form, error)
    cautions = [known.cautions[name] for name in found.cautions]
    context = {"check": found, "form": form, "cautions": cautions, "example": example_line(found)}
    context["rests"] = behind(known, found.id, timezone.now())
    context["scale"] = check_scale(job, found, known)
    basis = basis_of(request, job)
    opening = opening_steps(job, basis.belief.access, found.access, basis.shop, basis.danger_ids)
    context["opening"] = [
        (step, setting_words(known, step), [known.cautions[name] for name in step.cautions]) for step in opening
    ]
    context["opens"] = known.access[found.access].label
    return show_job(request, "jobs/check.html", job, context, 422 if form.errors else 200)


@posts(Right.MEASURE)
def mishap_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The form of what went wrong under one's own hands."""
    job, known = get_job(pk), shop_of(request).known
    form = MishapForm(known, request.POST if request.method == "POST" else None)
    if form.is_bound and form.is_valid():
        try:
            actions.record_event(job, form.event(), **hand(request))
            return redirect("jobs:bench", pk)
        except ChargepathError as error:
            refused(form, error)
    return show_job(request, "jobs/mishap.html", job, {"form": form}, 422 if form.errors else 200)


@require_POST
@posts(Right.TAKE_IN)
def add_note_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a note to the log."""
    text = request.POST.get("text", "")
    try:
        entry = actions.add_note(pk, text, **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422, note=text)
    return show_bench(request, entry.job)


@require_POST
@posts(Right.OVERRULE)
def overrule(request: HttpRequest, pk: int) -> HttpResponse:
    """Let a danger pass, in writing."""
    hazard, why = request.POST.get("hazard", ""), request.POST.get("why", "")
    try:
        actions.overrule_danger(pk, hazard, why, **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422, overruling=hazard, overrule_why=why)
    return redirect("jobs:bench", pk)


@require_POST
@posts(Right.MEASURE)
def change_stage(request: HttpRequest, pk: int) -> HttpResponse:
    """Move the job forward or back."""
    try:
        job = actions.move_stage(pk, request.POST.get("stage", ""), **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return show_bench(request, job)


@posts(Right.TAKE_IN)
def give_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Whom to give a job to."""
    job, error = get_job(pk), ""
    if request.method == "POST":
        to = request.POST.get("to", "")
        try:
            actions.give_job(pk, int(to) if to.isascii() and to.isdigit() else None, **hand(request))
            return redirect("day:list")
        except ChargepathError as problem:
            error = str(problem)
    people = User.objects.filter(is_active=True).order_by("username")
    return show_job(request, "jobs/give.html", job, {"people": people, "error": error}, 422 if error else 200)


@require_POST
@posts(Right.MEASURE)
def strike(request: HttpRequest, pk: int, entry: int) -> HttpResponse:
    """Strike an entry out."""
    found, why = get_object_or_404(Entry, pk=entry, job_id=pk), request.POST.get("why", "")
    try:
        actions.strike_entry(found, why, **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422, striking=str(found.pk), strike_why=why)
    return show_bench(request, pk)


@require_POST
@posts(Right.MEASURE)
def restore(request: HttpRequest, pk: int, entry: int) -> HttpResponse:
    """Let an entry that was struck out count again."""
    found = get_object_or_404(Entry, pk=entry, job_id=pk)
    try:
        actions.restore_entry(found, **hand(request))
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return show_bench(request, pk)
