"""NamedBoard queries over boards."""

from __future__ import annotations

from django.db import models
from django.db.models import Prefetch, Q


class MapQuerySet(models.QuerySet):
    """Queries over maps."""

    def standing(self) -> MapQuerySet:
        """Not taken out of use, with who made them."""
        return self.filter(removed_at__isnull=True).select_related("by")

    def removed(self) -> MapQuerySet:
        """Taken out of use, to be brought back where that was wrong."""
        return self.filter(removed_at__isnull=False)

    def of_model(self, model_name: str) -> MapQuerySet:
        """Those of a model that are in use, with everything that was confirmed of them; the newest first."""
        return self.standing().filter(model_name__iexact=model_name).with_all().order_by("-pk")

    def with_all(self) -> MapQuerySet:
        """With meanings, ties, covers and pictures; four queries more."""
        from rainfront.board.models import BoardPicture

        standing = Prefetch("pictures", BoardPicture.objects.standing())
        return self.prefetch_related("meanings", "ties", "covers", standing)


class PictureQuerySet(models.QuerySet):
    """Queries over pictures."""

    def standing(self) -> PictureQuerySet:
        """Not taken back, and its photo is still there."""
        return (
            self.filter(Q(photo=None) | ~Q(photo__file=""), removed_at__isnull=True)
            .select_related("photo")
            .prefetch_related("photo__marks")
        )

    def of_job(self, job: int) -> PictureQuerySet:
        """Of a model, or of this very job."""
        return self.standing().filter(Q(photo=None) | Q(photo__job=job))
