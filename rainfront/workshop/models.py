"""The shop's own numbers, kept apart from those that ship; nothing is deleted, a change is undone."""

from __future__ import annotations

from decimal import Decimal

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from rainfront.web.fields import TypedCharField, TypedJSONField, TypedTextField
from rainfront.workshop.querysets import ChangeQuerySet, PriceQuerySet, StepQuerySet

USER = settings.AUTH_USER_MODEL


class Edition(models.Model):
    """Names the shop's numbers as they stand, anew at every change: what is worked out from them is kept until then."""

    token = models.CharField(max_length=16)

    class Meta:
        db_table = "practice_edition"

    def __str__(self) -> str:
        return f"edition {self.token}"


class KnowledgeChange(models.Model):
    """One shipped number that the lead has changed, with the reason; undone, it stays on the list."""

    path = models.CharField(max_length=120)
    shipped = models.CharField(max_length=40)
    value = models.FloatField()
    reason = TypedCharField("Reason", max_length=300)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    undone_at = models.DateTimeField(null=True, blank=True)
    undone_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    objects = ChangeQuerySet.as_manager()

    class Meta:
        db_table = "practice_knowledgechange"
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.path} = {self.value:g}"


class ShopMinutes(models.Model):
    """How long something takes here; `family` is a model's name, a kind of device, or empty for all."""

    key = models.CharField(max_length=60)
    family = TypedCharField("Family", max_length=80, blank=True)
    minutes = models.FloatField("Minutes", validators=[MinValueValidator(0), MaxValueValidator(600)])
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    replaced_at = models.DateTimeField(null=True, blank=True)

    objects = PriceQuerySet.as_manager()

    class Meta:
        db_table = "practice_shopminutes"
        ordering = ("key", "family", "pk")

    def __str__(self) -> str:
        return f"{self.key} {self.minutes:g} min"


class PartPrice(models.Model):
    """What a repair's part costs here, how long it takes to come, and which other repair it is only sold with."""

    route = models.CharField(max_length=40)
    family = TypedCharField("Family", max_length=80, blank=True)
    price = models.DecimalField(
        "Price", max_digits=9, decimal_places=2, validators=[MinValueValidator(Decimal(0)), MaxValueValidator(100000)]
    )
    days = models.FloatField(
        "Days until it is there", default=0, validators=[MinValueValidator(0), MaxValueValidator(90)]
    )
    sold_with = TypedCharField("Only sold, or only works, with", max_length=40, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    replaced_at = models.DateTimeField(null=True, blank=True)

    objects = PriceQuerySet.as_manager()

    class Meta:
        db_table = "practice_partprice"
        ordering = ("route", "family", "pk")

    def __str__(self) -> str:
        return f"{self.route} {self.price}"


class Method(models.Model):
    """How this shop does what can be done in several ways; without one the plan takes what costs least."""

    slot = models.CharField(max_length=40)
    option = models.CharField(max_length=40)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    replaced_at = models.DateTimeField(null=True, blank=True)

    objects = PriceQuerySet.as_manager()

    class Meta:
        db_table = "practice_method"
        ordering = ("slot", "pk")

    def __str__(self) -> str:
        return f"{self.slot}: {self.option}"


class ShopStep(models.Model):
    """A step of the shop's own, hung onto a step that ships; one that was changed is struck out for its successor.

    `kind` and `model_name` say what it is for, empty for all; `needs` and `makes` are facts of the plan, with ! for not
    so. A plan that was begun keeps the steps that were in force then.
    """

    class Goes(models.TextChoices):
        """Where it goes, seen from the step that it hangs on."""

        BEFORE = "before", "before it"
        AFTER = "after", "after it"
        INSTEAD = "instead", "instead of it"

    at = models.CharField(max_length=40)
    goes = models.CharField("It goes", max_length=8, choices=Goes.choices, default=Goes.AFTER)
    do = TypedTextField("What to do", max_length=600)
    check_text = TypedCharField("What to look at", max_length=300, blank=True)
    fails = TypedCharField("What to do where it is not so", max_length=300, blank=True)
    minutes = models.FloatField("Hands on (min)", default=1, validators=[MinValueValidator(0), MaxValueValidator(120)])
    wait = models.FloatField("It waits (min)", default=0, validators=[MinValueValidator(0), MaxValueValidator(1440)])
    settings = models.JSONField(default=dict, blank=True)
    tools = TypedCharField("Tools", max_length=120, blank=True)
    materials = TypedCharField("Used up", max_length=120, blank=True)
    cautions = models.JSONField(default=list, blank=True)
    acts = models.JSONField(default=list, blank=True)
    needs = models.JSONField(default=list, blank=True)
    makes = models.JSONField(default=list, blank=True)
    photo = models.FileField(upload_to="own_steps/", blank=True)
    photo_width = models.PositiveIntegerField(default=0)
    photo_height = models.PositiveIntegerField(default=0)
    # Numbered marks on the photo: shares of its width and height, and a word.
    photo_marks = TypedJSONField(default=list, blank=True)
    # Where it is done: shares of the width and height of the device's outline.
    place_x = models.FloatField(null=True, blank=True)
    place_y = models.FloatField(null=True, blank=True)
    kind = models.CharField("Kind", max_length=10, blank=True)
    model_name = TypedCharField("Model", max_length=80, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    since = models.DateTimeField()
    replaces = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    struck_at = models.DateTimeField(null=True, blank=True)
    struck_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    struck_why = TypedCharField(max_length=200, blank=True)

    WORDS = ("do", "check_text", "fails", "tools", "materials", "model_name", "struck_why")
    objects = StepQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.do[:60]


class Learned(models.Model):
    """What the closed jobs taught; the newest is in force unless learning is off, earlier ones keep no numbers."""

    class State(models.TextChoices):
        """Whether it is used, and whether it goes on."""

        ON = "on", "learning from every closed job"
        FROZEN = "frozen", "used as it stands, learning nothing more"
        OFF = "off", "not used"

    state = models.CharField(max_length=8, choices=State.choices, default=State.ON)
    since = models.DateTimeField(null=True, blank=True)
    data = models.JSONField(default=dict, blank=True)
    jobs = models.PositiveIntegerField(default=0)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True)
    at = models.DateTimeField()

    class Meta:
        db_table = "practice_learned"
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"learned from {self.jobs} jobs"
