"""Named queries over orders."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.db import models


class OrderQuerySet(models.QuerySet):
    """Queries over orders."""

    def of_job(self, job_id: int) -> Any:
        """The order of a job with its visit and payments, None where there is none yet."""
        return self.filter(job_id=job_id).select_related("visit", "job").prefetch_related("payments", "lines").first()

    def of_visit(self, visit_id: int) -> OrderQuerySet:
        """Every order of a visit, with its job and payments."""
        return (
            self.filter(visit_id=visit_id)
            .select_related("job")
            .prefetch_related("payments", "lines")
            .order_by("job_id")
        )

    def owed(self) -> OrderQuerySet:
        """Orders of closed jobs on which something is left to be paid, the oldest first; `got` is what was paid."""
        paid = models.Sum("payments__amount", default=Decimal(0), output_field=models.DecimalField())
        found: OrderQuerySet = self.filter(job__stage="closed", charged__gt=0).annotate(got=paid)
        return found.filter(got__lt=models.F("charged")).select_related("job", "visit").order_by("job__closed_at", "pk")

    def next_number(self) -> int:
        """The running number of the next bill; asked inside the transaction that stores it."""
        return int(self.aggregate(last=models.Max("number"))["last"] or 0) + 1


class DropOffQuerySet(models.QuerySet):
    """Queries over how devices were received."""

    def of_job(self, job_id: int) -> Any:
        """How the device of a job was received, None where nobody noted it."""
        return self.filter(job_id=job_id).first()


class ExtraQuerySet(models.QuerySet):
    """Queries over other orders on the same device."""

    def of_job(self, job_id: int) -> ExtraQuerySet:
        """Every other order on the device of a job, in the order in which they were asked for."""
        return self.filter(job_id=job_id).order_by("pk")

    def agreed_on(self, job_id: int) -> ExtraQuerySet:
        """Other orders on the device of a job that were agreed and are not done yet."""
        return self.of_job(job_id).filter(state="agreed")

    def like(self, model_name: str, job_id: int) -> ExtraQuerySet:
        """Other orders on other devices of a model, the newest first."""
        return self.filter(job__model_name__iexact=model_name).exclude(job_id=job_id).order_by("-pk")
