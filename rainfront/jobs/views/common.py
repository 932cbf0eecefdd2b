"""What the job views share."""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qs, urlsplit

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from rainfront.jobs import adapters
from rainfront.jobs.models import Job
from rainfront.jobs.presenters import Bench, BenchPresenter
from rainfront.people.context import signed_in, workshop_of
from rainfront.people.models import Workshop


def get_job(pk: int) -> Job:
    """One job with everything its pages need, or 404."""
    job: Job = get_object_or_404(Job.objects.whole(), pk=pk)
    return job


def evidence_of(job: Job) -> list[Any]:
    """Evidence out of the prefetched log."""
    return [entry for entry in job.entries.all() if entry.is_evidence and entry.struck_at is None]


def build_bench(request: HttpRequest, job: Job, station: str = "") -> Bench:
    """The bench page's presenter for a job fetched by `get_job`."""
    workshop = workshop_of(request)
    judged = adapters.judge(job, evidence_of(job), rate=float(workshop.hourly_rate) / 60, who=signed_in(request))
    return BenchPresenter(job, judged, workshop.currency, station, school_of(job, workshop)).build()


def school_of(job: Job, shop: Workshop) -> str:
    """The habit that a job follows: its own, else the shop's, none where it says so."""
    return "" if job.school == "none" else job.school or shop.school


def station_of(request: HttpRequest) -> str:
    """The station the page is narrowed to: asked for, or, on an entry made in place, as the address still says."""
    if request.method == "POST" and request.htmx:  # type: ignore[attr-defined]
        query = urlsplit(request.htmx.current_url or "").query  # type: ignore[attr-defined]
        return parse_qs(query).get("station", [""])[0]
    return request.GET.get("station", "")


def show_bench(
    request: HttpRequest, pk: int, *, error: str = "", line: str = "", choices: tuple[str, ...] = (), status: int = 200
) -> HttpResponse:
    """The bench as a fragment for htmx, else as the whole page (by redirect after a POST that went well)."""
    station = station_of(request)
    if request.method == "POST" and not error and not request.htmx:  # type: ignore[attr-defined]
        return redirect("jobs:bench", pk)
    job = get_job(pk)
    context = {
        "bench": build_bench(request, job, station),
        "job": job,
        "error": error,
        "line": line,
        "choices": choices,
    }
    template = "jobs/_bench.html" if request.htmx else "jobs/bench.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=status)
