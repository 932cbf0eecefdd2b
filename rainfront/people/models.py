"""People and their workshop."""

from __future__ import annotations

from decimal import Decimal

from django.contrib.auth.models import AbstractUser
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from chargepath.base.quantities import METERS
from rainfront.web.fields import TypedCharField, TypedTextField
from rainfront.web.regional import Region, currencies, regions


class User(AbstractUser):
    """Somebody who signs in; shown by initials and role."""

    class Role(models.TextChoices):
        """What the person does in the shop."""

        OWNER = "owner", "Owner"
        LEAD = "lead", "Lead"
        TECHNICIAN = "technician", "Technician"
        APPRENTICE = "apprentice", "Apprentice"
        COUNTER = "counter", "Counter"

    initials = TypedCharField(max_length=6, blank=True)
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.TECHNICIAN)
    meter = models.CharField(
        "My meter", max_length=20, choices=[(meter.id, meter.label) for meter in METERS.values()], default="any"
    )

    def __str__(self) -> str:
        return self.initials or self.username


class PersonChange(models.Model):
    """What was changed about a person, or about the workshop where no person is named: who did it, when, and what."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="changes", null=True)
    text = TypedCharField(max_length=300)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+", null=True)
    at = models.DateTimeField()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.text


class Workshop(models.Model):
    """The one workshop this installation belongs to."""

    name = TypedCharField("Workshop", max_length=80, default="Workshop")
    currency = models.CharField("Currency", max_length=3, choices=currencies, default="XXX")
    locale = models.CharField("Dates and decimals as in", max_length=16, choices=regions, default="en_IE")
    hourly_rate = models.DecimalField(
        "Labour per hour", max_digits=8, decimal_places=2, default=Decimal("45.00"), validators=[MinValueValidator(0)]
    )

    # What costs 1 in the example prices that ship costs so much here; None where not even the currency says it.
    price_level = models.DecimalField(
        "Example prices times",
        max_digits=12,
        decimal_places=4,
        null=True,
        blank=True,
        validators=[MinValueValidator(Decimal("0.0001"))],
    )

    # Whether the lead has said what things cost here; until then rate and level are proposals by the currency.
    prices_own = models.BooleanField("Prices are the shop's own", default=False, editable=False)

    tax_name = TypedCharField("Name of the tax", max_length=20, blank=True, default="Tax")
    tax_percent = models.DecimalField(
        "Tax (%)",
        max_digits=6,
        decimal_places=3,
        default=Decimal(0),
        validators=[MinValueValidator(0), MaxValueValidator(100)],
    )
    tax_included = models.BooleanField("Prices hold the tax already", default=True)

    school = models.CharField("Habit of the shop", max_length=24, blank=True)
    # What only the owner sets.
    idle_minutes = models.PositiveSmallIntegerField("Signed out after so many idle minutes", default=90)
    keep_months = models.PositiveSmallIntegerField("Customers are kept for so many months", default=0)
    meter_networks = models.CharField("Meters may be at", max_length=200, default="127.0.0.0/8")
    # What stands on papers for customers.
    address = TypedTextField("Address", max_length=300, blank=True)
    opening = TypedTextField("Opening hours", max_length=200, blank=True)
    warranty_months = models.PositiveSmallIntegerField("Warranty (months)", default=6)
    warranty_terms = TypedTextField(
        "Warranty terms",
        max_length=1000,
        blank=True,
        default="It covers what was repaired and the part that was fitted, not falls, liquid or other parts.",
    )

    def __str__(self) -> str:
        return self.name

    @property
    def region(self) -> Region:
        """How money, dates and decimals are written here."""
        return Region(self.currency, self.locale)

    @classmethod
    def current(cls) -> Workshop:
        """The workshop; one with its defaults, not stored, where there is none yet: looking writes nothing."""
        return cls.objects.first() or cls(pk=1)
