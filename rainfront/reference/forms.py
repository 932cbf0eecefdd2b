"""Forms of references, meters and connectors."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.base.quantities import typed
from chargepath.knowledge import Knowledge
from rainfront.reference import adapters
from rainfront.reference.models import BoardConnector, DiodeMeter
from rainfront.web.forms import CountField, Merged, QuantityField, StyledForm, StyledModelForm


class ReadingsForm(StyledForm):
    """A table of known-good readings."""

    file = forms.FileField(label="CSV file")


class DiodeMeterForm(Merged, StyledModelForm):
    """A multimeter."""

    test_ma = QuantityField(
        "mA",
        label="Test current in diode mode (mA)",
        required=False,
        least=0.01,
        most=10,
        help_text="from its data sheet or measured; empty: 1 mA is assumed",
    )

    class Meta:
        model = DiodeMeter
        fields = ("name", "style", "test_ma")


class ConnectorForm(StyledModelForm):
    """A board connector: how many pins, and which line is on which."""

    lines = forms.CharField(
        label="Lines, one pin a line",
        max_length=6000,
        widget=forms.Textarea(attrs={"rows": 8, "class": "num", "spellcheck": "false"}),
        help_text="number and line, as in 1 vbus; pins left out are not used",
    )

    rows = CountField("", label="Rows", initial=2, least=1, most=4)
    per_row = CountField("", label="Pins in each row", least=1, most=60)

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.known = known

    class Meta:
        model = BoardConnector
        fields = ("name", "model_name", "end", "rows", "per_row")

    def clean_lines(self) -> dict[str, str]:
        """Pin number to net id."""
        pins: dict[str, str] = {}
        allowed = adapters.nets(self.known)
        for number, line in enumerate(self.cleaned_data["lines"].splitlines(), 1):
            words = line.replace(",", " ").replace("=", " ").replace(":", " ").split()
            if not words:
                continue
            if len(words) != 2 or not words[0].isdecimal():
                raise forms.ValidationError(f"Line {number}: '{line[:40]}' is not a pin and a line; as in 1 vbus.")
            pin, net = str(int(words[0])), words[1].lower().replace("-", "_")
            if net not in allowed:
                raise forms.ValidationError(
                    f"Line {number}: '{words[1][:20]}' is no line; one of {', '.join(map(typed, allowed))}."
                )
            if pin in pins:
                raise forms.ValidationError(f"Line {number}: pin {pin} is named twice.")
            pins[pin] = net
        return pins
