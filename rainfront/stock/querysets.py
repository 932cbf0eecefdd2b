"""Named queries over the shelf."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.db import models
from django.db.models import F, Max, Q, Sum


class ItemQuerySet(models.QuerySet):
    """Queries over kinds of parts."""

    def with_use(self, since: datetime) -> list[Any]:
        """With how many were used since then (less than nothing, as moves are)."""
        moves = self.model._meta.get_field("moves").related_model.objects
        used = dict(moves.filter(at__gte=since, why__in=("used", "back")).used_by_item())
        found = list(self)
        for item in found:
            item.used = used.get(item.pk, 0)
        return found

    def off_balance(self) -> list[tuple[int, int, int]]:
        """Items whose kept numbers are not the sums of their moves: which, and both sums."""
        held = Sum("moves__change", filter=Q(moves__why__in=("reserved", "freed")), default=0)
        rows = self.annotate(whole=Sum("moves__change", default=0), kept=held)
        wrong = rows.exclude(count=F("whole"), held=-F("kept"))
        return list(wrong.values_list("pk", "whole", "kept"))

    def hold(self, pk: int, count: int) -> None:
        """So many more are reserved, or fewer."""
        self.filter(pk=pk).update(held=F("held") + count)

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

    def used_by_item(self) -> Any:
        """Sums by item."""
        return self.order_by().values_list("item").annotate(n=Sum("change"))

    def of_job(self, job_pk: int, route: str = "") -> MoveQuerySet:
        """What one job took, reserved and put back, in order; of one repair or of all."""
        found: MoveQuerySet = self.filter(job_id=job_pk).select_related("item").order_by("pk")
        return found.filter(item__route=route) if route else found

    def reserved_by(self, job_pk: int) -> dict[int, int]:
        """How many a job has reserved, by item."""
        rows: Any = self.filter(job_id=job_pk, why__in=("reserved", "freed")).order_by().values_list("item")
        return {item: -n for item, n in rows.annotate(n=Sum("change")) if n < 0}


class NewestQuerySet(models.QuerySet):
    """Queries over notes of which the newest of each kind counts."""

    def newest(self, kind: str) -> dict[str, Any]:
        """The newest row of each kind, by the field that names it."""
        last = self.order_by().values(kind).annotate(last=Max("pk")).values("last")
        return {getattr(row, kind): row for row in self.filter(pk__in=last).select_related("by")}
