"""What the logbook can be asked."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.logbook.index import ENDED
from rainfront.people.models import User
from rainfront.web.forms import StyledForm

WORD = re.compile(r'"([^"]+)"|(\S+)')
ANY = ("", "any")


def words_of(text: str) -> list[str]:
    """The words of a search; what stands in quotation marks is one."""
    return [quoted or plain for quoted, plain in WORD.findall(text)][:12]


def measured_choices(known: Knowledge) -> list[tuple[str, str]]:
    """Every value that a check can read, with its unit."""
    return [
        (f"{check.id}.{name}", f"{check.label}: {check.value_label(name)}")
        for check in known.checks.values()
        for name in check.values
    ]


class SearchForm(StyledForm):
    """Words, and what else is known of the job."""

    q = forms.CharField(
        label="Words",
        required=False,
        max_length=200,
        widget=forms.TextInput(attrs={"placeholder": "lint, #11, a name"}),
    )
    fault = forms.ChoiceField(label="Fault found", required=False)
    route = forms.ChoiceField(label="Repair done", required=False)
    station = forms.ChoiceField(label="At", required=False)
    model = forms.CharField(label="Model", required=False, max_length=80)
    ended = forms.ChoiceField(label="How it ended", required=False, choices=[ANY, *ENDED.items()])
    person = forms.ChoiceField(label="Who worked at it", required=False)
    since = forms.DateField(label="From", required=False, widget=forms.DateInput(attrs={"type": "date"}))
    until = forms.DateField(label="To", required=False, widget=forms.DateInput(attrs={"type": "date"}))
    value = forms.ChoiceField(label="Reading", required=False)
    low = forms.CharField(label="at least", required=False, max_length=20)
    high = forms.CharField(label="at most", required=False, max_length=20)

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.known = known
        choices = {
            "fault": [(fault.id, fault.label) for fault in known.faults.values()],
            "route": [(route.id, route.label) for route in known.routes.values() if route.id not in NO_REPAIR],
            "station": [(station.id, station.label) for station in known.stations.values()],
            "person": [(str(person.pk), str(person)) for person in User.objects.order_by("username")],
            "value": measured_choices(known),
        }
        for name, rows in choices.items():
            field: Any = self.fields[name]
            field.choices = [ANY, *rows]

    def _number(self, name: str) -> float | None:
        text, value = self.cleaned_data.get(name, "").strip(), self.cleaned_data.get("value", "")
        if not text:
            return None
        if not value:
            raise ValidationError("say of which reading")
        check, _, quantity = value.partition(".")
        try:
            return parse_quantity(text, self.known.checks[check].values[quantity].unit)
        except ChargepathError as error:
            raise ValidationError(str(error)) from error

    def clean(self) -> dict[str, Any]:
        """Read the range in the unit of its reading."""
        data: dict[str, Any] = super().clean() or self.cleaned_data
        for name in ("low", "high"):
            try:
                data[f"{name}_number"] = self._number(name)
            except ValidationError as error:
                self.add_error(name, error)
        if data.get("since") and data.get("until") and data["since"] > data["until"]:
            self.add_error("until", "this lies before the other date")
        return data
