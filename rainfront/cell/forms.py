"""The cell desk's forms."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms

from chargepath.knowledge import Knowledge
from chargepath.repair.cell import CAPACITY_RANGE, TEMP_RANGE, VOLTS_RANGE, Cell, Feed, usual_feed
from rainfront.web.forms import QuantityField, StyledForm

SEES = (("swollen", "swollen"), ("wet", "wet"), ("dented", "dented or cut"), ("hot", "hot by itself"))
SERIES = ((1, "One"), (2, "Two in series"))
BY = (("supply", "Bench supply, both limits set"), ("bare", "A bare 5 V lead"))


class CellForm(StyledForm):
    """A cell as it lies there, and what it is to be given."""

    kind = forms.ChoiceField(label="What it charges to")
    capacity = QuantityField("mAh", least=CAPACITY_RANGE[0], most=CAPACITY_RANGE[1], label="Capacity (mAh)")
    volts = QuantityField(
        "V", least=VOLTS_RANGE[0], most=2 * VOLTS_RANGE[1], measured=True, label="Open-circuit voltage (V)"
    )
    temp = QuantityField("°C", least=TEMP_RANGE[0], most=TEMP_RANGE[1], measured=True, label="Cell temperature (°C)")
    series = forms.ChoiceField(label="Cells", choices=SERIES, required=False)
    looks = forms.MultipleChoiceField(label="It is", choices=SEES, required=False, widget=forms.CheckboxSelectMultiple)
    by = forms.ChoiceField(label="Fed by", choices=BY)
    set_volts = QuantityField("V", least=0, most=32, label="Set volts (V)", required=False)
    set_amps = QuantityField("A", least=0, most=10, label="Set amps (A)", required=False)
    then_amps = QuantityField("A", least=0, most=10, label="Current after pre-charge (A)", required=False)
    unattended = forms.BooleanField(
        label="Go on charging where the program stops: the watch alone looks at the cell then", required=False
    )

    def __init__(self, known: Knowledge, data: Any = None, usual: Mapping[str, str] | None = None) -> None:
        """Take what was typed; `usual` is what it begins with."""
        super().__init__(data, initial={"temp": "22", **(usual or {})})
        kinds = [(row.id, row.label) for row in known.cells.kinds.values()]
        self.fields["kind"].choices = kinds  # type: ignore[attr-defined]
        self._known = known

    def cell(self) -> Cell:
        """The cell."""
        data = self.cleaned_data
        kind = self._known.cells.kinds[data["kind"]]
        return Cell(
            kind=kind,
            capacity_mah=data["capacity"],
            volts=data["volts"],
            temp_c=data["temp"],
            looks=frozenset(data["looks"]),
            series=int(data["series"] or 1),
        )

    def feed(self) -> Feed:
        """What is set; what is usual where nothing was said."""
        data, usual = self.cleaned_data, usual_feed(self.cell(), self._known.cells)
        volts = data["set_volts"] if data["set_volts"] is not None else usual.volts
        amps = data["set_amps"] if data["set_amps"] is not None else usual.amps
        then = data["then_amps"] if data["then_amps"] is not None else usual.then_amps
        return Feed(volts, amps, bare=data["by"] == "bare", then_amps=then if usual.then_amps else 0.0)
