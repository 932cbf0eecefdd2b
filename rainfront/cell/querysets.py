"""Queries over cells that were charged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import models

if TYPE_CHECKING:
    from rainfront.cell.models import CellRun  # noqa: F401


class CellRunQuerySet(models.QuerySet["CellRun"]):
    """Queries over runs."""

    def running(self) -> CellRunQuerySet:
        """Those that the supply still feeds."""
        found: CellRunQuerySet = self.filter(state__in=("running", "stopping"))
        return found

    def live(self) -> CellRunQuerySet:
        """Those that the supply feeds, or may feed still."""
        found: CellRunQuerySet = self.running() | self.filter(still_on=True)
        return found

    def of_job(self, job: int) -> CellRunQuerySet:
        """Those of a job, the newest first."""
        found: CellRunQuerySet = self.filter(job=job).select_related("by")
        return found
