"""What the job views share."""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qs, urlsplit

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from rainfront.jobs.fetching import complete, get_job
from rainfront.jobs.judging import dangers_for, judgement_for
from rainfront.jobs.layers import drawn_now
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.presenters.beside import beside_of
from rainfront.jobs.presenters.dangers import danger_rows
from rainfront.jobs.presenters.head import head_of
from rainfront.jobs.presenters.words import outcome_words
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may
from rainfront.web.secrets import hide_code
from rainfront.workshop.context import shop_of


def hand(request: HttpRequest) -> dict[str, Any]:
    """Who writes, when, and what the shop goes by: what every action is given."""
    return {"user": signed_in(request), "now": timezone.now(), "shop": shop_of(request)}


def basis_of(request: HttpRequest, job: Job, station: str = "") -> Basis:
    """The job with its one judgement, for the presenters."""
    shop = shop_of(request)
    station = station if station in shop.known.stations else ""
    if job.judged is None:
        job.judged = judgement_for(job, signed_in(request), shop)
    return Basis(job, job.judged, shop, station)


def show_job(request: HttpRequest, template: str, job: Job, context: dict[str, Any], status: int = 200) -> HttpResponse:
    """Render a page of a job, with its stages, the dangers that stand, and the pages that other apps have of it.

    A fragment of another app has no head, so it needs no dangers.
    """
    match = request.resolver_match
    beside = SimpleLazyObject(lambda: beside_of(basis_of(request, complete(job))))
    shared: dict[str, Any] = {"job": job, "head": head_of(job, match.view_name if match else ""), "beside": beside}
    if job.is_closed:
        shared["ended"] = outcome_words(job, shop_of(request).known_for(job.model_name).worded(job.carrier))
    if not job.is_closed and (not request.htmx or template.startswith("jobs/")):  # type: ignore[attr-defined]
        shop = shop_of(request)
        standing = job.judged.core.dangers if job.judged else dangers_for(job, shop)
        if standing and job.judged:
            shared["danger_layers"] = drawn_now(job, shop, job.judged.core.belief.access, standing)
        shared["dangers"] = danger_rows(job, standing, shop.known.worded(job.carrier))
        shared["may_overrule"] = may(signed_in(request), Right.OVERRULE)
    return render(request, template, {**shared, **context}, status=status)


def station_of(request: HttpRequest) -> str:
    """The station the page is narrowed to: asked for, or, on an entry made in place, as the address still says."""
    if request.method == "POST" and request.htmx:  # type: ignore[attr-defined]
        query = urlsplit(request.htmx.current_url or "").query  # type: ignore[attr-defined]
        return parse_qs(query).get("station", [""])[0]
    return request.GET.get("station", "")


def show_bench(
    request: HttpRequest,
    job: Job | int,
    *,
    error: str = "",
    line: str = "",
    choices: tuple[str, ...] = (),
    status: int = 200,
    **typed: str,
) -> HttpResponse:
    """The bench as a fragment for htmx, else as the whole page (by redirect after a POST that went well).

    `typed`: what a person wrote into the page's other fields, for the page to show again; a code is hidden.

    After an entry the job that was written to is passed on, so that nothing is fetched or reckoned twice.
    """
    if request.method == "POST" and not error and not request.htmx:  # type: ignore[attr-defined]
        return redirect("jobs:bench", job.pk if isinstance(job, Job) else job)
    found = complete(job) if isinstance(job, Job) else get_job(job)
    bench = bench_of(basis_of(request, found, station_of(request)), timezone.now())
    kept = {name: hide_code(text) for name, text in typed.items()}
    context = {"bench": bench, "error": error, "line": line, "choices": choices, **kept}
    template = "jobs/_bench.html" if request.htmx else "jobs/bench.html"  # type: ignore[attr-defined]
    return show_job(request, template, found, context, status)
