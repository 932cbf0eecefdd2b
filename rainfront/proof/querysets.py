"""Named queries: proofs of a job, and seal tests with the chamber they are taken in."""

from __future__ import annotations

from typing import Any

from django.db import models


class ProofQuerySet(models.QuerySet):
    """Queries over proofs."""

    def undecided(self, job_id: int) -> ProofQuerySet:
        """Proofs of a job that were begun and have neither passed nor failed, oldest first."""
        return self.filter(job_id=job_id, works__isnull=True).order_by("pk")

    def passed_open(self, repair_id: int) -> ProofQuerySet:
        """Proofs that passed while the device was still open, of one repair, newest first."""
        return self.filter(repair_id=repair_id, phase="open", works=True).order_by("-pk")

    def decided(self, job_id: int) -> ProofQuerySet:
        """Proofs of a job that passed or failed, in order, with the people who made them."""
        return self.filter(job_id=job_id, works__isnull=False).select_related("by", "repair").order_by("pk")


class SealTestQuerySet(models.QuerySet):
    """Queries over seal tests."""

    def newest(self, job_id: int, when: str) -> Any:
        """The newest seal test of a job at a moment (`before` or `after`); None where there is none."""
        return self.filter(job_id=job_id, when=when).order_by("-pk").first()

    def of_model(self, model_name: str, but: int, most: int = 40) -> list[Any]:
        """Seal tests of other devices of a model before they were opened, newest first, up to `most`."""
        found = self.filter(job__model_name__iexact=model_name.strip(), when="before").exclude(job_id=but)
        return list(found.order_by("-pk")[:most])
