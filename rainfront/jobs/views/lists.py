"""The list of jobs, and one job's whole record."""

from __future__ import annotations

from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from rainfront.jobs.fetching import get_job
from rainfront.jobs.forms import SearchForm
from rainfront.jobs.models import Job, Stage
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.views.common import basis_of, show_job

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
    context = {
        "page": page,
        "stages": stages,
        "stage": stage,
        "q": wanted["q"],
        "open_count": sum(n for value, _, n in stages if value != Stage.CLOSED),
    }
    return render(request, "jobs/list.html", context)


@require_GET
def record_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything recorded about one job, for reading and printing."""
    job = get_job(pk)
    basis = basis_of(request, job)
    bench, routes = bench_of(basis), basis.known.routes
    context = {
        "bench": bench,
        "log": list(reversed(bench.log)),
        "value": basis.money(float(job.value)),
        "limit": basis.money(float(job.limit)) if job.limit is not None else "none named",
        "repairs": [(repair, routes[repair.route].label) for repair in job.repairs.all()],
    }
    return show_job(request, "jobs/record.html", job, context)
