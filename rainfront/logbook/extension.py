"""What the logbook adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from urllib.parse import urlencode

from django.urls import reverse

from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job
from rainfront.logbook.alike import alike_to
from rainfront.workshop.adapters import Shop


class Logbook(Extension):
    """Jobs like this one, as one line that opens."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """What is known of its model."""
        return {"model": Link("Model", reverse("logbook:model", args=[job.model_name]))} if job.model_name else {}

    def further(self, text: str) -> Link | None:
        """Closed jobs too, and everything that was written on any."""
        return Link("Look in the logbook too", f"{reverse('logbook:logbook')}?{urlencode({'q': text})}")

    def panels(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """The line, where there is any like it."""
        found = alike_to(job, shop)
        return [Panel("logbook/_alike.html", {"alike": found}, below=True)] if found else []
