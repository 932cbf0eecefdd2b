"""Named queries over what is kept for looking back."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import models

from chargepath.insight.figures import Ended, Repaired


class EndedQuerySet(models.QuerySet):
    """Queries over closed jobs."""

    def since(self, moment: Any) -> EndedQuerySet:
        """Closed since then; all for None."""
        return self if moment is None else self.filter(at__gte=moment)

    def rows(self) -> Iterator[Ended]:
        """As the core takes them."""
        names = ("job_id", "model", "faults", "works", "quoted", "charged")
        for job, model, faults, works, quoted, charged in self.order_by("pk").values_list(*names):
            yield Ended(job=job, model=model, faults=tuple(faults), works=works, quoted=quoted, charged=charged)


class RepairedQuerySet(models.QuerySet):
    """Queries over proved repairs."""

    def since(self, moment: Any) -> RepairedQuerySet:
        """Of jobs closed since then; all for None."""
        return self if moment is None else self.filter(at__gte=moment)

    def rows(self) -> Iterator[Repaired]:
        """As the core takes them."""
        names = ("job_id", *(name for name in Repaired.__dataclass_fields__ if name != "job"))
        return (Repaired(*row) for row in self.order_by("pk").values_list(*names))
