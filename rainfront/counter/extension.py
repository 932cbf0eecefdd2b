"""What the counter adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.urls import reverse

from rainfront.counter.presenters import earlier_of
from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job, Stage
from rainfront.practice.adapters import Practice


class Counter(Extension):
    """The page of the counter, and where a device comes back from."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The counter's page."""
        href = reverse("counter:order", args=[job.pk])
        return {Stage.HAND_OVER: Link("Hand over", href, once_closed="Report, bill, hand it over")}

    def panels(self, job: Job, practice: Practice, now: datetime) -> Sequence[Panel]:
        """What was done the last time, on a device that comes back."""
        earlier = earlier_of(job, practice) if job.came_from_id else None
        return (Panel("counter/_earlier.html", {"earlier": earlier, "same": job.same_trouble}),) if earlier else ()
