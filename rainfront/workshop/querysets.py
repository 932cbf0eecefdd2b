"""Named queries over the shop's own numbers."""

from __future__ import annotations

from django.db import models


class ChangeQuerySet(models.QuerySet):
    """Queries over changes of the knowledge."""

    def standing(self) -> ChangeQuerySet:
        """Not undone, oldest first: a later change of the same number wins."""
        return self.filter(undone_at__isnull=True).order_by("pk")

    def for_list(self) -> ChangeQuerySet:
        """Everything, newest first, with who."""
        return self.select_related("by", "undone_by").order_by("-pk")


class PriceQuerySet(models.QuerySet):
    """Queries over minutes and prices."""

    def standing(self) -> PriceQuerySet:
        """Not replaced."""
        return self.filter(replaced_at__isnull=True)

    def replaced(self) -> PriceQuerySet:
        """What held before, the newest first, with who had set it."""
        return self.filter(replaced_at__isnull=False).select_related("by").order_by("-replaced_at")


class StepQuerySet(models.QuerySet):
    """Queries over the shop's own steps."""

    def standing(self) -> StepQuerySet:
        """Not struck out, in the order in which they were made."""
        return self.filter(struck_at__isnull=True).select_related("by").order_by("at", "pk")

    def hung_on(self, step: str, model_name: str) -> StepQuerySet:
        """Those that hang on a shipped step, for a model or for all."""
        mine = models.Q(model_name="") | models.Q(model_name__iexact=model_name)
        return self.standing().filter(mine, at=step)

    def struck(self) -> StepQuerySet:
        """What held before, the newest first, with who made it and who struck it out."""
        return self.filter(struck_at__isnull=False).select_related("by", "struck_by").order_by("-struck_at")
