"""The job page and everything entered on it."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import AmbiguousReading, ChargepathError
from chargepath.case.quickline import complete, grammar
from rainfront.jobs import actions, adapters
from rainfront.jobs.forms import CheckForm
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.views.common import show_bench
from rainfront.jobs.words import example_line
from rainfront.people.context import signed_in


@require_GET
def bench_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The job page."""
    return show_bench(request, pk)


@require_POST
def add_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Record one quick line; `?` lists the grammar."""
    job = get_object_or_404(Job, pk=pk)
    line = request.POST.get("line", "").strip()
    if line == "?":
        return redirect("jobs:grammar", pk)
    try:
        actions.record_line(job, line, user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        choices = error.choices if isinstance(error, AmbiguousReading) else ()
        return show_bench(request, pk, error=str(error), line=line, choices=choices, status=422)
    return show_bench(request, pk)


@require_GET
def complete_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Completions for a half-typed line, as a fragment."""
    job = get_object_or_404(Job, pk=pk)
    found = complete(request.GET.get("line", "")[:200], adapters.knowledge(), adapters.device_of(job))
    return render(request, "jobs/_completions.html", {"completions": found})


@require_GET
def grammar_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything the quick line takes."""
    job = get_object_or_404(Job, pk=pk)
    rules = grammar(adapters.knowledge(), adapters.device_of(job))
    template = "jobs/_grammar.html" if request.htmx else "jobs/grammar.html"  # type: ignore[attr-defined]
    return render(request, template, {"rules": rules, "job": job})


def check_page(request: HttpRequest, pk: int, check: str) -> HttpResponse:
    """The form of one check."""
    job = get_object_or_404(Job, pk=pk)
    found = adapters.knowledge().checks.get(check)
    if found is None:
        raise Http404
    data = request.POST if request.method == "POST" else None
    form = CheckForm(found, adapters.meter_of(signed_in(request)), data)
    if form.is_bound and form.is_valid():
        try:
            actions.record_event(job, form.event(), user=signed_in(request), now=timezone.now())
            return redirect("jobs:bench", pk)
        except ChargepathError as error:
            form.add_error(None, str(error))
    cautions = [adapters.knowledge().cautions[name] for name in found.cautions]
    context = {"job": job, "check": found, "form": form, "cautions": cautions, "example": example_line(found)}
    return render(request, "jobs/check.html", context, status=422 if form.errors else 200)


@require_POST
def add_note_line(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a note to the log."""
    job = get_object_or_404(Job, pk=pk)
    text = request.POST.get("text", "")
    try:
        actions.add_note(job, text, user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return show_bench(request, pk)


@require_POST
def change_stage(request: HttpRequest, pk: int) -> HttpResponse:
    """Move the job forward or back."""
    job = get_object_or_404(Job, pk=pk)
    try:
        actions.move_stage(job, request.POST.get("stage", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return show_bench(request, pk)


@require_POST
def strike(request: HttpRequest, pk: int, entry: int) -> HttpResponse:
    """Strike an entry out."""
    found = get_object_or_404(Entry.objects.select_related("job"), pk=entry, job_id=pk)
    why = request.POST.get("why", "")
    try:
        actions.strike_entry(found, why, user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        return show_bench(request, pk, error=str(error), status=422)
    return show_bench(request, pk)
