"""Visits, orders with the lines of their bills, payments."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from rainfront.counter.querysets import DropOffQuerySet, ExtraQuerySet, OrderQuerySet
from rainfront.jobs.models import Job
from rainfront.web.fields import TypedCharField, TypedTextField

USER = settings.AUTH_USER_MODEL


class Visit(models.Model):
    """One visit of a customer, with one device or several. The contact may be left out, and can be erased."""

    name = TypedCharField("Name", max_length=80, blank=True)
    phone = TypedCharField("Telephone", max_length=40, blank=True)
    mail = models.EmailField("Mail", max_length=120, blank=True)
    opened_at = models.DateTimeField()
    erased_at = models.DateTimeField(null=True, blank=True)

    CONTACT = ("name", "phone", "mail")

    def __str__(self) -> str:
        return f"visit {self.pk}"


class Order(models.Model):
    """What a job comes to at the counter: charged, warranted, told, handed over."""

    class Told(models.TextChoices):
        """How the customer was told that it is ready."""

        PHONE = "phone", "by telephone"
        MAIL = "mail", "by mail"
        HERE = "here", "in person"

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="order")
    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="orders")
    charged = models.DecimalField(
        "Charged", max_digits=9, decimal_places=2, null=True, blank=True, validators=[MinValueValidator(0)]
    )
    # Running number of the bill: none is left out, none is given twice.
    number = models.PositiveIntegerField("Bill", null=True, blank=True, unique=True)
    # Tax that `charged` holds (money), and its rate [%]. Both stay when the shop changes its rate afterwards.
    tax = models.DecimalField(max_digits=9, decimal_places=2, default=Decimal(0))
    tax_percent = models.DecimalField(max_digits=6, decimal_places=3, default=Decimal(0))
    warranty_months = models.PositiveSmallIntegerField(
        "Warranty (months)", null=True, blank=True, validators=[MaxValueValidator(120)]
    )
    terms = TypedTextField("Warranty terms", max_length=1000, blank=True)
    noted = TypedTextField("What else was seen and left", max_length=1000, blank=True)
    avoid = TypedTextField("What to avoid", max_length=1000, blank=True)
    told_at = models.DateTimeField(null=True, blank=True)
    told_how = models.CharField(max_length=8, choices=Told.choices, blank=True)
    handed_at = models.DateTimeField(null=True, blank=True)
    handed_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    WORDS = ("terms", "noted", "avoid")
    objects = OrderQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"order of job {self.job_id}"

    @property
    def paid(self) -> Decimal:
        """What was paid so far."""
        return sum((payment.amount for payment in self.payments.all()), Decimal(0))

    @property
    def left(self) -> Decimal:
        """What is still to be paid."""
        return max((self.charged or Decimal(0)) - self.paid, Decimal(0))


class BillLine(models.Model):
    """One line of a bill: labour, a part, another order, or a discount (negative)."""

    order = models.ForeignKey(Order, on_delete=models.CASCADE, related_name="lines")
    label = TypedCharField("What", max_length=120)
    amount = models.DecimalField("Amount", max_digits=9, decimal_places=2)

    WORDS = ("label",)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.label} {self.amount}"


class Payment(models.Model):
    """One payment, or one that was given back (negative)."""

    class How(models.TextChoices):
        """How it was paid."""

        CASH = "cash", "cash"
        CARD = "card", "card"
        TRANSFER = "transfer", "bank transfer"
        INVOICE = "invoice", "on invoice"

    order = models.ForeignKey(Order, on_delete=models.CASCADE, related_name="payments")
    amount = models.DecimalField("Amount", max_digits=9, decimal_places=2)
    how = models.CharField("How", max_length=8, choices=How.choices)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.amount} {self.get_how_display()}"


# What may come along with a device, by its id.
THINGS = {
    "case": "case",
    "sim": "SIM card",
    "memory": "memory card",
    "charger": "charger",
    "cable": "cable",
    "glass": "protective glass",
    "pen": "pen",
    "box": "box",
}


class DropOff(models.Model):
    """How a device looked when it was received, what came along with it, and what was agreed.

    `marks` are places on the drawn outline: side, x and y from 0 to 1, kind. `strokes` are what a finger drew as a
    signature: lists of x, y from 0 to 1. `back` is what went back with the device when it was handed over.
    """

    class Kind(models.TextChoices):
        """What a mark on the outline says."""

        SCRATCH = "scratch", "scratch"
        CRACK = "crack", "crack"
        DENT = "dent", "dent"
        BENT = "bent", "bent"
        MISSING = "missing", "screw or part missing"
        STAIN = "stain", "stain, residue"

    class Side(models.TextChoices):
        """Which side of the device is drawn."""

        FRONT = "front", "front"
        BACK = "back", "back"
        EDGE = "edge", "edge with the port"

    class Signed(models.TextChoices):
        """How the customer has signed."""

        NOT = "", "not signed"
        PAPER = "paper", "on paper"
        SCREEN = "screen", "on the screen"

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="drop_off")
    marks = models.JSONField(default=list)
    things = models.JSONField(default=list)
    other = TypedCharField("What else came along", max_length=120, blank=True)
    condition = TypedCharField("In words", max_length=300, blank=True)
    agreed = TypedTextField("What was agreed", max_length=500, blank=True)
    signed = models.CharField(max_length=8, choices=Signed.choices, blank=True)
    strokes = models.JSONField(default=list)
    back = models.JSONField(default=list)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("other", "condition", "agreed")
    objects = DropOffQuerySet.as_manager()

    def __str__(self) -> str:
        return f"drop-off of job {self.job_id}"

    @property
    def came_along(self) -> dict[str, str]:
        """What came along, by its id, in words; what else came along last."""
        found = {name: label for name, label in THINGS.items() if name in self.things}
        return found | ({"other": self.other} if self.other else {})


class Extra(models.Model):
    """Another order on the same device, such as is not charging: a microphone, a screen; minutes and price by hand."""

    class State(models.TextChoices):
        """How far it is."""

        ASKED = "asked", "asked for"
        AGREED = "agreed", "agreed"
        DONE = "done", "done"
        DROPPED = "dropped", "not wanted"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="extras")
    label = TypedCharField("What", max_length=80)
    minutes = models.PositiveSmallIntegerField("Minutes", default=0)
    part = models.DecimalField("Its part", max_digits=9, decimal_places=2, default=Decimal(0))
    state = models.CharField(max_length=8, choices=State.choices, default=State.ASKED)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("label",)
    objects = ExtraQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.label

    def amount(self, rate_per_hour: Decimal, digits: int) -> Decimal:
        """What it costs at a labour rate, to the currency's last digit."""
        labour = rate_per_hour * self.minutes / 60
        return (labour + self.part).quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP)
