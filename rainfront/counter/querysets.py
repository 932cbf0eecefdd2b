"""Named queries over orders."""

from __future__ import annotations

from typing import Any

from django.db import models


class OrderQuerySet(models.QuerySet):
    """Queries over orders."""

    def of_job(self, job_id: int) -> Any:
        """The order of a job with its visit and payments, None where there is none yet."""
        return self.filter(job_id=job_id).select_related("visit", "job").prefetch_related("payments").first()

    def of_visit(self, visit_id: int) -> OrderQuerySet:
        """Every order of a visit, with its job and payments."""
        return self.filter(visit_id=visit_id).select_related("job").prefetch_related("payments").order_by("job_id")
