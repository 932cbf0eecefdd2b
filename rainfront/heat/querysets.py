"""Queries over stations and melts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.db import models

if TYPE_CHECKING:
    from rainfront.heat.models import HotAir, Melted  # noqa: F401


class StationQuerySet(models.QuerySet["HotAir"]):
    """Queries over stations."""

    def on_the_bench(self) -> StationQuerySet:
        """Those that were not given away, with how many melts each has."""
        standing = models.Count("melts", filter=models.Q(melts__struck_at__isnull=True))
        found: StationQuerySet = self.filter(gone_at__isnull=True).annotate(standing=standing)
        return found


class MeltQuerySet(models.QuerySet["Melted"]):
    """Queries over melts."""

    def of(self, station: int) -> MeltQuerySet:
        """Those of a station that were not struck out, the oldest first."""
        found: MeltQuerySet = self.filter(station=station, struck_at__isnull=True).select_related("by")
        return found
