"""Named queries over sheets and photos."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models import Count, Prefetch, Q


class SheetQuerySet(models.QuerySet):
    """Queries over probe sheets."""

    def whole(self) -> SheetQuerySet:
        """With everything a sheet's page needs; points in the order they were read."""
        found = self.prefetch_related("points__by", "entries")
        return found.select_related("job", "meter", "by", "before").order_by("-pk")

    def for_list(self) -> SheetQuerySet:
        """With what a list shows."""
        standing = Count("points__pin", filter=Q(points__replaced_at__isnull=True), distinct=True)
        found: SheetQuerySet = self.annotate(read=standing).select_related("meter", "by")
        return found

    def evidence(self, job_id: int, since: Any = None) -> SheetQuerySet:
        """The job's own diode sheets, the newest of each pin map and place first; only those after `since`."""
        found = self.filter(job_id=job_id, mode="diode", good=False, lifted="").prefetch_related("points")
        if since is not None:
            found = found.filter(at__gt=since)
        return found.select_related("meter", "job").order_by("-pk")

    def in_volts_or_ohms(self, job_id: int, since: Any = None) -> SheetQuerySet:
        """The job's own sheets in volts or ohms with their points, the newest first; only those after `since`."""
        found = self.filter(job_id=job_id, good=False).exclude(mode="diode").prefetch_related("points")
        return (found.filter(at__gt=since) if since is not None else found).order_by("-pk")

    def for_job(self, job_id: int) -> SheetQuerySet:
        """Of one job, newest first."""
        return self.filter(job_id=job_id).order_by("-pk")


class MarkQuerySet(models.QuerySet):
    """Queries over marks on photos."""

    def hot_spots(self, job_id: int) -> MarkQuerySet:
        """Hot spots that stand on photos of a job that stand, in the order in which they were found."""
        found = self.filter(photo__job_id=job_id, photo__removed_at__isnull=True, removed_at__isnull=True)
        return found.exclude(part="").select_related("photo", "entry").order_by("pk")


class PhotoQuerySet(models.QuerySet):
    """Queries over photos."""

    def standing(self) -> PhotoQuerySet:
        """Not removed."""
        return self.filter(removed_at__isnull=True)

    def of_model(self, name: str) -> PhotoQuerySet:
        """Photos of a model's jobs, the newest first."""
        found: PhotoQuerySet = self.standing().filter(job__model_name__iexact=name.strip())
        return found.order_by("-pk")

    def of_job(self, job_id: int) -> PhotoQuerySet:
        """A job's photos with their marks."""
        marks: Any = self.model._meta.get_field("marks")
        left = Prefetch("marks", marks.related_model.objects.filter(removed_at__isnull=True))
        return self.standing().filter(job_id=job_id).select_related("by", "entry", "sheet").prefetch_related(left)

    def as_received(self, job_id: int) -> PhotoQuerySet:
        """Photos of how a job's device looked when it was received: they hang on the line that says so."""
        found: PhotoQuerySet = self.standing().filter(job_id=job_id, entry__kind="event", entry__name="take_in")
        return found.order_by("pk")


class LadderQuerySet(models.QuerySet):
    """Queries over ladders."""

    def for_job(self, job_id: int) -> LadderQuerySet:
        """Of one job, newest first."""
        return self.filter(job_id=job_id).order_by("-pk")

    def evidence(self, job_id: int, since: Any = None) -> LadderQuerySet:
        """Of one job, newest first; only those after `since`."""
        found = self.for_job(job_id)
        return found if since is None else found.filter(at__gt=since)


class DrawsQuerySet(models.QuerySet):
    """Queries over standing draws."""

    def under_way(self, job_id: int) -> DrawsQuerySet:
        """The hunt of a job that is not over yet."""
        return self.filter(job_id=job_id, under_way=True)

    def over(self, job_id: int) -> DrawsQuerySet:
        """Those of a job that were entered, newest first."""
        return self.filter(job_id=job_id, under_way=False).order_by("-pk")
