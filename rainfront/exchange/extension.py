"""What leaves a job as a file."""

from __future__ import annotations

from collections.abc import Mapping

from django.urls import reverse

from rainfront.jobs.extensions import Extension, Link
from rainfront.jobs.models import Job


class CaseFile(Extension):
    """A job as a case file."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The file."""
        return {"case_file": Link("Case file", reverse("exchange:case_file", args=[job.pk]))}
