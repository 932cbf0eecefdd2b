"""Forms of the shop's own numbers."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import NO_REPAIR
from chargepath.learning.examples import minutes_of
from rainfront.people.models import Workshop
from rainfront.web.forms import CountField, Merged, MoneyField, QuantityField, StyledForm, StyledModelForm, style
from rainfront.workshop.words import key_label


class ChangeForm(StyledForm):
    """A number, its new value and why."""

    path = forms.CharField(widget=forms.HiddenInput, max_length=120)
    value = QuantityField("", label="New value")
    reason = forms.CharField(
        label="Why", max_length=300, required=False, help_text="the list keeps it beside the number"
    )


class MinutesForm(StyledForm):
    """How long something takes here."""

    key = forms.ChoiceField(label="What")
    family = forms.CharField(
        label="For", required=False, max_length=80, help_text="a model, phone, tablet, or empty for all"
    )
    minutes = QuantityField("min", label="Minutes", required=False, help_text="empty: go back to what ships")

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        # Beside the parts' form, whose fields partly have the same names.
        super().__init__(*args, **{"auto_id": "minutes_%s", **kwargs})
        self.fields["key"].choices = [(key, key_label(known, key)) for key in minutes_of(known)]  # type: ignore[attr-defined]


class PartForm(StyledForm):
    """What a repair's part costs here."""

    route = forms.ChoiceField(label="Repair")
    family = forms.CharField(
        label="For", required=False, max_length=80, help_text="a model, phone, tablet, or empty for all"
    )
    price = MoneyField(label="Price", required=False, help_text="empty: as shipped")
    days = QuantityField(
        "days", label="Days until it is there", initial=0, help_text="0: at hand, or, where a shelf is kept, as shipped"
    )
    sold_with = forms.ChoiceField(label="Only sold, or only works, with", required=False)

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        routes = [(route.id, route.label) for route in known.routes.values() if route.id not in NO_REPAIR]
        self.fields["route"].choices = routes  # type: ignore[attr-defined]
        self.fields["sold_with"].choices = [("", "alone"), *routes]  # type: ignore[attr-defined]


class WorkshopForm(Merged, StyledModelForm):
    """What the lead sets for the shop."""

    warranty_months = CountField("", label="Warranty (months)", least=0, most=120, help_text="0 for none")
    tax_percent = MoneyField(label="Tax (%)", decimal_places=3, max_digits=6, min_value=0, max_value=100)

    class Meta:
        model = Workshop
        fields = (
            "name",
            "currency",
            "locale",
            "hourly_rate",
            "school",
            "address",
            "warranty_months",
            "warranty_terms",
            "tax_name",
            "tax_percent",
            "tax_included",
        )
        widgets = {
            "address": forms.Textarea(attrs={"rows": 2}),
            "warranty_terms": forms.Textarea(attrs={"rows": 2}),
        }
        field_classes = {"hourly_rate": MoneyField}
        help_texts = {
            "school": "what is done here as a rule; each job's page shows what it costs or saves",
            "address": "as it stands on papers for customers",
            "tax_name": "as it stands on receipts",
            "warranty_terms": "as local rules allow; they go onto the customer's report",
        }

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        schools = known.schools.values()
        self.fields["school"] = forms.ChoiceField(
            label="Habit of the shop",
            required=False,
            help_text=self.Meta.help_texts["school"],
            choices=[("", "none: by the advice"), *((school.id, school.label) for school in schools)],
        )
        style(self)


class WireForm(StyledForm):
    """A jumper wire: how long, and what flows."""

    length_mm = QuantityField("mm", label="Length (mm)", least=0.5, most=200)
    amps = QuantityField("A", label="Current (A)", least=0.001, most=20)
