"""What the counter adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Exists, OuterRef, Subquery
from django.urls import reverse

from chargepath.decision.queue import Wait
from rainfront.counter.models import Extra, Order
from rainfront.counter.presenters import earlier_of, extras_of
from rainfront.jobs.extensions import Also, Extension, Link, Panel
from rainfront.jobs.judging import is_proved
from rainfront.jobs.models import Job, Stage
from rainfront.workshop.adapters import Shop

OPEN_EXTRAS = (Extra.State.ASKED, Extra.State.AGREED)


class Counter(Extension):
    """The page of the counter, and where a device comes back from."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The counter's page, and where a text is taken out of the job."""
        order = reverse("counter:order", args=[job.pk])
        return {
            Stage.HAND_OVER: Link("Hand over", order, once_closed="Report, bill, hand it over"),
            "drop_off": Link("Drop-off receipt", reverse("counter:drop_off", args=[job.pk])),
            "redact": Link("Redact", reverse("counter:redact", args=[job.pk])),
        }

    def annotations(self) -> Mapping[str, Any]:
        """Whether anything else is ordered on its device."""
        return {"has_extras": Exists(Extra.objects.filter(job=OuterRef("pk")))}

    def list_annotations(self) -> Mapping[str, Any]:
        """When the customer was told that it is ready, until it was collected."""
        told = Order.objects.filter(job=OuterRef("pk"), handed_at__isnull=True)
        return {"told_at": Subquery(told.values("told_at")[:1])}

    def wait(self, job: Job, shop: Shop, now: datetime) -> Wait | None:
        """It is ready, the customer knows, and nobody has collected it."""
        told: datetime | None = getattr(job, "told_at", None)
        return Wait("fetch", told) if told else None

    def texts(self, job: Job) -> Sequence[str]:
        """What was seen and left, and what to avoid; never whom to reach."""
        order = Order.objects.filter(job=job).first()
        return [text for text in (order.noted, order.avoid) if text] if order else []

    def also(self, job: Job) -> Sequence[Also]:
        """Other orders on the device that are agreed and not done yet."""
        if not getattr(job, "has_extras", True):
            return ()
        return [Also(row.label, row.minutes) for row in Extra.objects.agreed_on(job.pk)]

    def quoted(self, job: Job, shop: Shop) -> Sequence[str]:
        """What else was asked for on the device, with its own amount."""
        found = [row for row in extras_of(job, shop) if row.extra.state in OPEN_EXTRAS]
        return [f"Also asked for: {row.extra.label}, {row.amount} on top, once it charges." for row in found]

    def panels(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """What was done the last time, on a device that comes back; what else is ordered on it."""
        earlier = earlier_of(job, shop) if job.came_from_id else None
        found = [Panel("counter/_earlier.html", {"earlier": earlier, "same": job.same_trouble})] if earlier else []
        if getattr(job, "has_extras", True):
            wanted = [row for row in extras_of(job, shop) if row.extra.state in OPEN_EXTRAS]
            first = not is_proved(job, shop.known)
            found += [Panel("counter/_extras.html", {"extras": wanted, "first": first})] if wanted else []
        return found
