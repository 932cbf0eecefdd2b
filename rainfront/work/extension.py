"""What the work shows on a job: the pages of two stages, the map of screws, and what is left to close up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.urls import reverse

from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job, Repair, Stage
from rainfront.jobs.planning import plan_of
from rainfront.web.scenes import screw_map
from rainfront.work.models import Screw, StepRun
from rainfront.work.presenters import closing_words, facts_done
from rainfront.workshop.adapters import Shop


class Work(Extension):
    """Steps and screws of a job."""

    def pages(self, job: Job) -> Mapping[str, Link]:
        """The map of screws while it is opened, and the steps of its repair."""
        return {
            Stage.OPEN: Link("Open", reverse("work:screws", args=[job.pk])),
            Stage.REPAIR: Link("Repair", reverse("work:repair", args=[job.pk])),
        }

    def facts(self, job: Job, shop: Shop) -> frozenset[str] | None:
        """What the steps that were ticked off have made of the device; None where no repair is under work."""
        repair = Repair.objects.under_work(job.pk).first()
        if repair is None:
            return None
        return facts_done(plan_of(repair, job, shop), StepRun.objects.settled(repair.pk))

    def closing(self, job: Job, shop: Shop) -> str:
        """Steps left to close up a device that charges again."""
        repair = next((row for row in reversed(job.repairs.all()) if not row.dropped_at), None)
        if repair is None or repair.is_open or job.is_closed or repair.entry is None or not repair.entry.works:
            return ""
        return closing_words(repair, plan_of(repair, job, shop), StepRun.objects.settled(repair.pk))

    def card(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """The map of screws that the model's newest job has."""
        screws = Screw.objects.kept_for(job.model_name)
        outline = (
            screw_map.draw(job.kind, [(s.number, s.x, s.y, "in", s.length_mm, s.is_connector) for s in screws])
            if screws
            else None
        )
        return [Panel("work/_card.html", {"outline": outline})]
