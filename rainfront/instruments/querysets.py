"""Named queries over records."""

from __future__ import annotations

from django.db import models


class WaitingQuerySet(models.QuerySet):
    """Queries over devices left on charge."""

    def under_way(self, job_id: int) -> WaitingQuerySet:
        """Timers of a job that have not ended, the newest last."""
        return self.filter(job_id=job_id, ended_at__isnull=True).order_by("pk")


class RecordQuerySet(models.QuerySet):
    """Queries over records."""

    def for_list(self) -> RecordQuerySet:
        """With what a list shows."""
        return self.select_related("by", "struck_by").defer("phases", "rejects", "figures")

    def running(self) -> RecordQuerySet:
        """Samples still come in."""
        return self.filter(state__in=("running", "stopping"))

    def before_repair(self, job_id: int) -> RecordQuerySet:
        """Complete ones of a job that were taken before it was proved, the newest first."""
        return self.filter(job_id=job_id, for_proof=False, struck_at__isnull=True).exclude(file="").order_by("-pk")

    def at_proof(self, job_id: int) -> RecordQuerySet:
        """Complete ones that were taken while a job was proved, the newest first."""
        return self.filter(job_id=job_id, for_proof=True, struck_at__isnull=True).exclude(file="").order_by("-pk")

    def whole(self) -> RecordQuerySet:
        """With everything a record's page needs."""
        return self.select_related("job", "by", "struck_by").prefetch_related("entries")
