"""Named queries over the shelf."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import models
from django.db.models import F, Q, Sum


class ItemQuerySet(models.QuerySet):
    """Queries over kinds of parts."""

    def with_use(self, since: datetime) -> ItemQuerySet:
        """With how many were used since then, and how many are reserved."""
        used = Sum("moves__change", filter=Q(moves__why__in=("used", "back"), moves__at__gte=since), default=0)
        held = Sum("moves__change", filter=Q(moves__why__in=("reserved", "freed")), default=0)
        found: ItemQuerySet = self.annotate(used=used, held=held)
        return found

    def take(self, pk: int, count: int = 1) -> bool:
        """Take some off the shelf where so many lie there; two people never get the same one."""
        return bool(self.filter(pk=pk, count__gte=count).update(count=F("count") - count))

    def put(self, pk: int, count: int = 1) -> None:
        """Put some onto the shelf."""
        self.filter(pk=pk).update(count=F("count") + count)


class MoveQuerySet(models.QuerySet):
    """Queries over moves of parts."""

    def for_list(self) -> MoveQuerySet:
        """Newest first, with who and which job."""
        return self.select_related("by", "job", "item", "donor").order_by("-pk")

    def of_job(self, job_pk: int, route: str = "") -> MoveQuerySet:
        """What one job took, reserved and put back, in order; of one repair or of all."""
        found: MoveQuerySet = self.filter(job_id=job_pk).select_related("item").order_by("pk")
        return found.filter(item__route=route) if route else found

    def reserved_by(self, job_pk: int) -> dict[int, int]:
        """How many a job has reserved, by item."""
        rows: Any = self.filter(job_id=job_pk, why__in=("reserved", "freed")).order_by().values_list("item")
        return {item: -n for item, n in rows.annotate(n=Sum("change")) if n < 0}
