"""Named queries over known-good readings."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import models
from django.db.models import Count, Max, Min, Q


class GoodReadingQuerySet(models.QuerySet):
    """Queries over known-good readings."""

    def for_sheet(self, model_name: str, revision: str, map_id: str, place: str) -> GoodReadingQuerySet:
        """Everything known of one model's pin map at one place; other revisions only where this one is not named."""
        found = self.filter(model_name__iexact=model_name, map_id=map_id, place=place)
        return found.filter(revision__iexact=revision) if revision else found

    def by_board(self) -> list[dict[str, Any]]:
        """How much there is of each model, revision, map, place and meter."""
        keys = ("model_name", "revision", "map_id", "place", "meter", "meter__name")
        rows = (
            self.order_by()
            .values(*keys)
            .annotate(readings=Count("pk"), pins=Count("pin", distinct=True), first=Min("taken"), last=Max("taken"))
        )
        return list(rows.order_by("model_name", "revision", "map_id", "place", "meter__name"))

    def both_meters(self, first: int, second: int) -> GoodReadingQuerySet:
        """Finite readings taken with either of two meters, for the shift between them."""
        return self.filter(Q(meter=first) | Q(meter=second), mv__isnull=False)

    def rows(self) -> Iterator[tuple[Any, ...]]:
        """Everything as a table's rows."""
        names = ("model_name", "revision", "map_id", "place", "pin", "meter__name", "mv", "taken")
        return (
            self.order_by("model_name", "revision", "map_id", "place", "pin", "pk").values_list(*names).iterator(5000)
        )
