"""Kinds of parts on the shelf with what lies there, moves of them that are only added, and donor boards."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.stock.querysets import ItemQuerySet, MoveQuerySet, NewestQuerySet
from rainfront.web.fields import TypedCharField, TypedJSONField

USER = settings.AUTH_USER_MODEL


class Item(models.Model):
    """One kind of part for one repair.

    `fits` names the models or kinds that it fits, empty for all; `connector` the one connector that it is for. `count`
    lies there free, kept beside the moves that it is the sum of; what a job has reserved (`held`) is off it already.
    """

    route = models.CharField(max_length=40)
    fits = TypedJSONField("Fits", default=list, blank=True)
    connector = models.CharField("Connector", max_length=12, blank=True)
    count = models.IntegerField(default=0)
    # How many jobs have reserved, kept beside the moves too.
    held = models.PositiveIntegerField(default=0)
    minimum = models.PositiveIntegerField("At least", default=0)
    supplier = TypedCharField("Supplier", max_length=60, blank=True)
    # Pairs of how many and the price of one from that many on, the smallest first.
    breaks = models.JSONField("Price by quantity", default=list, blank=True)

    objects = ItemQuerySet.as_manager()

    class Meta:
        ordering = ("route", "pk")
        constraints = [models.CheckConstraint(condition=models.Q(count__gte=0), name="nothing_below_nothing")]

    def __str__(self) -> str:
        return f"{self.route} for {', '.join(self.fits) or 'all'}"


class Donor(models.Model):
    """A board that parts are taken from."""

    name = TypedCharField("Board", max_length=80)
    note = TypedCharField("Note", max_length=200, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    gone_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name


class Move(models.Model):
    """Some parts more or fewer."""

    class Why(models.TextChoices):
        """How it came about."""

        IN = "in", "came in"
        USED = "used", "used"
        BACK = "back", "put back"
        COUNTED = "counted", "counted"
        RESERVED = "reserved", "reserved"
        FREED = "freed", "set free"
        BINNED = "binned", "binned"
        DONOR = "donor", "off a donor board"
        SPARE = "spare", "old board made good"

    item = models.ForeignKey(Item, on_delete=models.PROTECT, related_name="moves")
    change = models.IntegerField()
    why = models.CharField(max_length=8, choices=Why.choices)
    note = TypedCharField(max_length=200, blank=True)
    donor = models.ForeignKey(Donor, on_delete=models.PROTECT, related_name="taken", null=True, blank=True)
    job = models.ForeignKey("jobs.Job", on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("note",)
    objects = MoveQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)
        indexes = [models.Index(fields=("at", "why", "item", "change"), name="moves_by_time")]

    def __str__(self) -> str:
        return f"{self.item_id} {self.change:+d}"


class BenchTestRun(models.Model):
    """A test of one of the bench's own tools, as it went; only added to."""

    test = models.CharField(max_length=40)
    reading = models.FloatField(null=True, blank=True)
    holds = models.BooleanField("It holds")
    note = TypedCharField("Note", max_length=200, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("note",)
    objects = NewestQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)
        indexes = [models.Index(fields=("test", "at"), name="bench_tests_by_time")]

    def __str__(self) -> str:
        return f"{self.test}: {'holds' if self.holds else 'does not hold'}"


class BenchNeed(models.Model):
    """How something that plans name stands at this bench: a consumable or a tool; only added to, the newest counts."""

    class State(models.TextChoices):
        """How much of it there is."""

        THERE = "there", "there"
        LOW = "low", "running low"
        NONE = "none", "none here"

    name = models.CharField(max_length=60)
    state = models.CharField(max_length=6, choices=State.choices, default=State.THERE)
    use_by = models.DateField("Use by", null=True, blank=True)
    note = TypedCharField("Note", max_length=200, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("note",)
    objects = NewestQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)
        indexes = [models.Index(fields=("name", "at"), name="bench_needs_by_time")]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_state_display()}"
