"""Named queries: steps of a repair, waits that run by themselves, and the map of a device's screws."""

from __future__ import annotations

from typing import Any

from django.db import models


class StepRunQuerySet(models.QuerySet):
    """Queries over steps that were done or skipped."""

    def settled(self, repair_id: int) -> dict[str, Any]:
        """Steps of one repair that are done or left out, by the step's id."""
        rows = self.filter(repair_id=repair_id).exclude(done_at__isnull=True, skipped="")
        return {row.step: row for row in rows}

    def otherwise(self) -> StepRunQuerySet:
        """Steps that were done, with a note on what was done otherwise."""
        return self.filter(done_at__isnull=False).exclude(note="")

    def of_model(self, step: str, model_name: str) -> StepRunQuerySet:
        """One step on devices of a model."""
        return self.filter(step=step, repair__job__model_name__iexact=model_name)


class TimerQuerySet(models.QuerySet):
    """Queries over timers."""

    def running(self, **where: Any) -> TimerQuerySet:
        """Timers that were not stopped, the next one due first."""
        return self.filter(stopped_at__isnull=True, **where).order_by("due_at", "pk")


class OpenPhotoQuerySet(models.QuerySet):
    """Queries over photos of open devices."""

    def of_model(self, model_name: str) -> OpenPhotoQuerySet:
        """Those of a model that were not replaced, the newest first."""
        return self.filter(model_name__iexact=model_name.strip(), replaced_at__isnull=True)

    def laid(self, model_name: str) -> Any:
        """The newest that is laid into the outline, None where there is none."""
        return self.of_model(model_name).exclude(upright="").first()


class ScrewQuerySet(models.QuerySet):
    """Queries over screws."""

    def missing(self, job_id: int) -> ScrewQuerySet:
        """Screws of a job that are missing."""
        return self.filter(job_id=job_id, place="lost")

    def to_put_back(self, job_id: int) -> ScrewQuerySet:
        """Screws of a job that are out of their holes, the one taken out last first."""
        return self.filter(job_id=job_id, place="out").order_by("-moved_at", "-pk")

    def kept_for(self, model_name: str) -> list[Any]:
        """The screws of the newest job of a model that has a map of them, by their numbers."""
        newest = self.filter(job__model_name__iexact=model_name.strip()).order_by("-job_id").values("job_id")[:1]
        return list(self.filter(job_id=models.Subquery(newest)).order_by("number"))
