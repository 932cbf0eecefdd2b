"""What good boards read, by model, board revision, place, pin and meter."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from chargepath.base.quantities import METERS
from rainfront.reference.querysets import GoodReadingQuerySet, GoodValueQuerySet
from rainfront.web.fields import TypedCharField

USER = settings.AUTH_USER_MODEL


class DiodeMeter(models.Model):
    """A multimeter of the shop, as far as diode mode goes; one that is read is an instrument of the bench too."""

    name = TypedCharField("Name", max_length=40, unique=True)
    style = models.CharField(
        "Shows", max_length=20, choices=[(meter.id, meter.label) for meter in METERS.values()], default="millivolts"
    )
    test_ma = models.FloatField(
        "Test current in diode mode (mA)",
        null=True,
        blank=True,
        validators=[MinValueValidator(0.01), MaxValueValidator(10)],
        help_text="from its data sheet or measured; empty: 1 mA is assumed",
    )

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class BoardConnector(models.Model):
    """A shop's own two-row board connector: which line is on which pin."""

    class End(models.TextChoices):
        """Which end of the link it is."""

        CARRIER = "carrier_out", "board connector, port side"
        BOARD = "board_in", "board connector, main board side"

    name = TypedCharField("Name", max_length=60, unique=True)
    model_name = TypedCharField("Model", max_length=80, blank=True)
    end = models.CharField("It is the", max_length=12, choices=End.choices, default=End.BOARD)
    rows = models.PositiveSmallIntegerField(default=2)
    per_row = models.PositiveSmallIntegerField()
    pins = models.JSONField(default=dict)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name

    @property
    def map_id(self) -> str:
        """Id of its pin map."""
        return f"board-{self.pk}"


class GoodReading(models.Model):
    """One line read on one good board [mV]; null where it reads open."""

    model_name = TypedCharField(max_length=80)
    revision = TypedCharField(max_length=20, blank=True)
    map_id = models.CharField(max_length=20)
    place = models.CharField(max_length=20)
    pin = models.CharField(max_length=20)
    meter = models.ForeignKey(DiodeMeter, on_delete=models.PROTECT, related_name="+")
    mv = models.FloatField(null=True)
    taken = models.DateField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)
    removed_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    objects = GoodReadingQuerySet.as_manager()

    class Meta:
        indexes = [models.Index(fields=("model_name", "revision", "map_id", "place"))]

    def __str__(self) -> str:
        return f"{self.model_name} {self.pin}"


class GoodValue(models.Model):
    """What a good board reads at one pin in volts, powered as its sheet says, or in ohms; null where it reads open.

    Kept apart from the diode readings, whose statistics and meters' shifts these have nothing to do with.
    """

    class Unit(models.TextChoices):
        """What was read."""

        VOLTS = "V", "volts"
        OHMS = "ohm", "ohms"

    model_name = TypedCharField(max_length=80)
    revision = TypedCharField(max_length=20, blank=True)
    map_id = models.CharField(max_length=20)
    place = models.CharField(max_length=20)
    pin = models.CharField(max_length=20)
    unit = models.CharField(max_length=4, choices=Unit.choices)
    meter = models.ForeignKey(DiodeMeter, on_delete=models.PROTECT, related_name="+")
    value = models.FloatField(null=True)
    taken = models.DateField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)
    removed_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    objects = GoodValueQuerySet.as_manager()

    class Meta:
        indexes = [models.Index(fields=("model_name", "map_id", "place"))]

    def __str__(self) -> str:
        return f"{self.model_name} {self.pin}"


class IdleCurrent(models.Model):
    """What a good board of a model draws from a bench supply before the power key [A]."""

    model_name = TypedCharField(max_length=80, db_index=True)
    amps = models.FloatField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.model_name}: {self.amps:g} A"
