"""Fetching a job with everything that its pages show, what other apps add to them included."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch, prefetch_related_objects
from django.shortcuts import get_object_or_404

from rainfront.jobs.extensions import registered
from rainfront.jobs.models import Entry, Job, Repair


def complete(job: Job) -> Job:
    """Fetch what is still missing for the job's pages: its log, its repairs, and what other apps need."""
    lookups: list[Any] = [Prefetch("repairs", Repair.objects.for_list())]
    if job.log_rows is None:
        lookups.append(Prefetch("entries", Entry.objects.for_log()))
    lookups += [lookup for extension in registered() for lookup in extension.lookups(job)]
    prefetch_related_objects([job], *lookups)
    return job


def get_job(pk: int) -> Job:
    """One job with everything its pages need, or 404."""
    job: Job = get_object_or_404(Job.objects.with_people(), pk=pk)
    return complete(job)


def get_plain_job(pk: int) -> Job:
    """One job by itself, or 404."""
    job: Job = get_object_or_404(Job.objects.with_people(), pk=pk)
    return job
