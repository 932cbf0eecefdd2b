"""What the inside views share."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from rainfront.inside.models import Sheet
from rainfront.jobs.models import Job
from rainfront.jobs.presenters import steps_of


def get_job(pk: int) -> Job:
    """One job, or 404."""
    job: Job = get_object_or_404(Job, pk=pk)
    return job


def get_sheet(job: int, pk: int) -> Sheet:
    """One sheet of a job with its points, or 404."""
    sheet: Sheet = get_object_or_404(Sheet.objects.whole(), pk=pk, job_id=job)
    return sheet


def show(request: HttpRequest, template: str, job: Job, context: dict[str, Any], status: int = 200) -> HttpResponse:
    """Render a page of a job."""
    return render(request, template, {"job": job, "stages": steps_of(job), **context}, status=status)
