"""Named queries."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models import Count, Max, Q


class JobQuerySet(models.QuerySet):
    """Queries over jobs."""

    def for_list(self) -> JobQuerySet:
        """With what the list shows, and what other apps say there."""
        from rainfront.jobs.extensions import registered

        known = {name: row for extension in registered() for name, row in extension.list_annotations().items()}
        found: JobQuerySet = self.annotate(**known)
        return found.select_related("taken_in_by")

    def on_bench(self) -> JobQuerySet:
        """Not closed."""
        return self.exclude(stage="closed")

    def at_stage(self, stage: str) -> JobQuerySet:
        """At one stage; all that are open for ''."""
        return self.filter(stage=stage) if stage else self.on_bench()

    def search(self, text: str) -> JobQuerySet:
        """By number, model, customer or complaint."""
        text = text.strip()
        if not text:
            return self
        wanted = Q(model_name__icontains=text) | Q(customer__icontains=text) | Q(complaint__icontains=text)
        number = text.removeprefix("#").strip()
        if number.isdecimal() and len(number) < 12:
            wanted |= Q(pk=int(number))
        return self.filter(wanted)

    def stage_counts(self) -> dict[str, int]:
        """How many jobs are at each stage."""
        rows = self.order_by().values("stage").annotate(n=Count("pk"))
        return {row["stage"]: row["n"] for row in rows}

    def with_people(self) -> JobQuerySet:
        """With who took it in and who closed it, and what other apps know of it."""
        from rainfront.jobs.extensions import registered

        known = {name: row for extension in registered() for name, row in extension.annotations().items()}
        found: JobQuerySet = self.annotate(**known)
        return found.select_related("taken_in_by", "closed_by")

    def for_writing(self) -> JobQuerySet:
        """Locked, for the guard that opens a job for writing."""
        return self.with_people().select_for_update()

    def teaching(self, since: Any = None, most: int = 2000) -> list[Any]:
        """Closed jobs with an outcome, the newest first, with their logs and repairs; copies of one case count once."""
        found = self.filter(stage="closed", outcome_works__isnull=False)
        if since is not None:
            found = found.filter(closed_at__gt=since)
        rows = found.prefetch_related("entries", "repairs").order_by("-closed_at", "-pk")[:most]
        cases: dict[Any, Any] = {}
        for job in rows:
            cases.setdefault(job.case_id, job)
        return list(cases.values())

    def copies_of(self, job: Any) -> list[Any]:
        """Other jobs that are the same case."""
        return list(self.filter(case_id=job.case_id).exclude(pk=job.pk).order_by("pk"))


class RepairQuerySet(models.QuerySet):
    """Queries over repairs."""

    def still_open(self, job_id: int) -> RepairQuerySet:
        """What is being worked on at a job: neither finished nor dropped."""
        return self.filter(job_id=job_id, finished_at__isnull=True, dropped_at__isnull=True)

    def for_list(self) -> RepairQuerySet:
        """With who chose them."""
        return self.select_related("chosen_by")


class EntryQuerySet(models.QuerySet):
    """Queries over log entries."""

    def lessons_since(self, seen: int) -> tuple[int, int]:
        """How many lessons came, went or were replaced after entry `seen`, and the newest entry that says so.

        Those are jobs closed, opened again, or brought in closed.
        """
        found = self.filter(kind="event", name__in=("close", "reopen", "correct", "import"), pk__gt=seen)
        row = found.aggregate(count=Count("pk"), newest=Max("pk"))
        return row["count"], row["newest"] or seen

    def evidence(self) -> EntryQuerySet:
        """What the belief reads, in order."""
        return self.filter(kind__in=("check", "try", "repair", "hazard", "path"), struck_at__isnull=True).order_by("pk")

    def for_log(self) -> EntryQuerySet:
        """Everything that happened, in order, with who did it and who struck it out."""
        return self.select_related("by", "struck_by").order_by("pk")


class QuoteQuerySet(models.QuerySet):
    """Queries over quotes."""

    def for_job(self, job_id: int) -> QuoteQuerySet:
        """Of one job, newest first, with who made and noted them."""
        return self.filter(job_id=job_id).select_related("by", "noted_by").order_by("-pk")

    def answered(self, job_id: int, route: str) -> QuoteQuerySet:
        """What the customer has said to quotes for a route, the newest answer first."""
        return self.filter(job_id=job_id, route=route).exclude(answer="open").order_by("-answered_at", "-pk")


class ProofQuerySet(models.QuerySet):
    """Queries over proofs."""

    def undecided(self, job_id: int) -> ProofQuerySet:
        """Of one job, begun and not decided yet, oldest first."""
        return self.filter(job_id=job_id, works__isnull=True).order_by("pk")
