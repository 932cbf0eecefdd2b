"""Hot-air stations of the workshop, and what each of them melted in how long."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from rainfront.heat.querysets import MeltQuerySet, StationQuerySet
from rainfront.web.fields import TypedCharField

USER = settings.AUTH_USER_MODEL


class HotAir(models.Model):
    """One station, by the name it has on the bench."""

    name = TypedCharField("Name", max_length=60, unique=True)
    note = TypedCharField("Note", max_length=200, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    gone_at = models.DateTimeField(null=True, blank=True)

    WORDS = ("name", "note")
    objects = StationQuerySet.as_manager()

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Melted(models.Model):
    """One joint that was melted: what it was, how the station was set, and the seconds until it moved."""

    station = models.ForeignKey(HotAir, on_delete=models.CASCADE, related_name="melts")
    target = models.CharField(max_length=30)
    alloy = models.CharField(max_length=30)
    below = models.BooleanField(default=False)
    set_c = models.FloatField(validators=[MinValueValidator(100), MaxValueValidator(550)])
    flow_l_min = models.FloatField()
    nozzle_mm = models.FloatField()
    distance_mm = models.FloatField()
    plate_c = models.FloatField(default=0.0)
    room_c = models.FloatField(default=22.0)
    seconds = models.FloatField(validators=[MinValueValidator(1), MaxValueValidator(240)])
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    struck_at = models.DateTimeField(null=True, blank=True)
    struck_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    WORDS = ()
    objects = MeltQuerySet.as_manager()

    class Meta:
        ordering = ("at", "pk")

    def __str__(self) -> str:
        return f"{self.target} at {self.set_c:g} °C: {self.seconds:g} s"
