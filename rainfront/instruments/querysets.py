"""Named queries over records."""

from __future__ import annotations

from typing import Any

from django.db import models


class BenchInstrumentQuerySet(models.QuerySet):
    """Queries over the instruments of the bench."""

    def read(self) -> list[Any]:
        """Those that are kept read."""
        return list(self.filter(used=True))

    def of_sheet_meter(self, meter: int | None) -> Any:
        """The instrument that is read and is a meter of sheets; None for none."""
        return self.filter(sheet_meter_id=meter, used=True).first() if meter else None


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

    def before_and_after(self, job_id: int, first: Any, last: Any) -> tuple[Any, Any]:
        """The newest complete record before a job's first repair, and the newest after its last; None for none."""
        found = self.filter(job_id=job_id, struck_at__isnull=True).exclude(file="").order_by("-started_at", "-pk")
        return found.filter(started_at__lt=first).first(), found.filter(started_at__gte=last).first()

    def whole(self) -> RecordQuerySet:
        """With everything a record's page needs."""
        return self.select_related("job", "by", "struck_by").prefetch_related("entries")
