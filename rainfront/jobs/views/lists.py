"""The list of jobs, and one job's whole record."""

from __future__ import annotations

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.extensions import before_and_after, list_tags_of
from rainfront.jobs.fetching import get_job
from rainfront.jobs.forms import SearchForm
from rainfront.jobs.models import Job, Stage
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.presenters.steps import promised_tags, timer_tags
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.practice.context import practice_of
from rainfront.web.words import counted

PAGE = 40


@require_GET
def job_list(request: HttpRequest) -> HttpResponse:
    """Jobs by stage, newest change first."""
    form = SearchForm(request.GET)
    wanted = form.cleaned_data if form.is_valid() else {"q": "", "stage": ""}
    stage = wanted["stage"] if wanted["stage"] in Stage.values else ""
    counts = Job.objects.stage_counts()
    stages = [(value.value, value.label, counts.get(value.value, 0)) for value in Stage if value != Stage.TAKE_IN]
    jobs = Job.objects.for_list().search(wanted["q"])
    if stage or not wanted["q"]:
        jobs = jobs.at_stage(stage)
    page = Paginator(jobs, PAGE).get_page(request.GET.get("page"))
    now, practice = timezone.now(), practice_of(request)
    context = {
        "rows": [
            (job, [*timer_tags(job, now), *promised_tags(job, now), *list_tags_of(job, practice, now)]) for job in page
        ],
        "page": page,
        "stages": stages,
        "stage": stage,
        "q": wanted["q"],
        "open_count": sum(n for value, _, n in stages if value != Stage.CLOSED),
    }
    return render(request, "jobs/list.html", context)


@require_POST
@posts(Right.REDACT)
def redact(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a text out of a job for good; what was asked for is shown no more."""
    try:
        count = actions.redact(pk, request.POST.get("text", ""), **hand(request))
    except ChargepathError as error:
        return _record(request, pk, str(error))
    messages.success(request, f"Redacted in {counted(count, 'place')}.")
    return redirect("jobs:record", pk)


@require_GET
def record_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything recorded about one job, for reading and printing."""
    return _record(request, pk)


def _record(request: HttpRequest, pk: int, error: str = "") -> HttpResponse:
    job = get_job(pk)
    basis = basis_of(request, job)
    bench, routes = bench_of(basis, timezone.now()), basis.known.routes
    context = {
        "may_redact": may(signed_in(request), Right.REDACT),
        "redact_error": error,
        "bench": bench,
        "log": list(reversed(bench.log)),
        "value": basis.money(float(job.value)),
        "limit": basis.money(float(job.limit)) if job.limit is not None else "none named",
        "pictures": before_and_after(job),
        "repairs": [(repair, routes[repair.route].label) for repair in job.repairs.all()],
    }
    return show_job(request, "jobs/record.html", job, context, 422 if error else 200)
