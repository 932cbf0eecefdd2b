"""Moves of parts on and off the shelf; what lies there is their sum, nothing is overwritten."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.stock.querysets import MoveQuerySet


class Move(models.Model):
    """Some parts more or fewer of one repair's kind; `family` is a model's name, a kind of device, or empty for all."""

    class Why(models.TextChoices):
        """How it came about."""

        IN = "in", "came in"
        USED = "used", "used"
        BACK = "back", "put back"
        COUNTED = "counted", "counted"

    route = models.CharField(max_length=40)
    family = models.CharField("Family", max_length=80, blank=True)
    change = models.IntegerField()
    why = models.CharField(max_length=8, choices=Why.choices)
    job = models.ForeignKey("jobs.Job", on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    objects = MoveQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.route} {self.change:+d}"
