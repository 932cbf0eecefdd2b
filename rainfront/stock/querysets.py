"""Named queries over the moves."""

from __future__ import annotations

from datetime import datetime

from django.db import models
from django.db.models import Q, Sum


class MoveQuerySet(models.QuerySet):
    """Queries over moves of parts."""

    def counts(self) -> models.QuerySet:
        """Tuples of repair, family and how many lie on the shelf, for everything that was ever moved."""
        there: models.QuerySet = (
            self.order_by("route", "family").values_list("route", "family").annotate(n=Sum("change"))
        )
        return there

    def with_use(self, since: datetime) -> models.QuerySet:
        """The same, and how many were used since then."""
        used = Sum("change", filter=Q(why__in=("used", "back"), at__gte=since), default=0)
        by_kind = self.order_by("route", "family").values_list("route", "family")
        there: models.QuerySet = by_kind.annotate(n=Sum("change"), used=used)
        return there

    def for_list(self) -> MoveQuerySet:
        """Newest first, with who and which job."""
        return self.select_related("by", "job").order_by("-pk")

    def of_job(self, job_pk: int, route: str) -> MoveQuerySet:
        """What one job took and put back of one kind."""
        return self.filter(job_id=job_pk, route=route)
