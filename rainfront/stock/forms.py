"""Forms of the shelf."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.knowledge import Knowledge
from rainfront.web.forms import CountField, MoneyField, StyledForm


class TakeInForm(StyledForm):
    """Parts that came in."""

    route = forms.ChoiceField(label="Part for")
    family = forms.CharField(
        label="Fits", required=False, max_length=80, help_text="a model, phone, tablet, or empty for all"
    )
    count = CountField("", label="How many came in", initial=1)
    price = MoneyField(label="Price of one", required=False, help_text="empty: as it was")

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        routes = [(route.id, route.label) for route in known.routes.values() if route.part > 0]
        self.fields["route"].choices = routes  # type: ignore[attr-defined]


class CountForm(StyledForm):
    """What was counted of one kind."""

    route = forms.CharField(max_length=40)
    family = forms.CharField(required=False, max_length=80)
    there = CountField("")
