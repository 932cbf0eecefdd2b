"""Forms of the proof, the seal test and closing."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import ProofItem
from chargepath.proving.sealing import Decay
from rainfront.jobs.models import HandedOn, LeavesAs
from rainfront.proof.models import SealTest
from rainfront.web.forms import QuantityField, StyledForm, style

PROOF_LABELS = {
    "amps": "Charger current",
    "volts": "Volts",
    "percent_first": "Battery now",
    "plug_volts": "At the plug",
    "input_volts": "At the charging IC's input",
    "amps_flipped": "Turned over",
    "amps_own": "Own charger",
    "amps_off": "Switched off",
    "amps_fast": "Current",
    "volts_fast": "Volts",
    "idle_amps": "Leakage current",
    "cell_volts": "At the cell",
    "cell_percent": "Percent shown",
    "percent_second": "Battery now",
    "minutes_between": "Minutes between",
    "charge_mah": "Charge by the meter",
}


# Values that may wait, or come from somewhere else.
PROOF_OPTIONAL = {"volts": "", "minutes_between": "empty: by the clock", "charge_mah": ""}


class ProofItemForm(StyledForm):
    """The values of one item of a proof."""

    def __init__(self, item: ProofItem, data: Any = None, initial: Any = None) -> None:
        super().__init__(data, initial=initial)
        for name, unit in item.values.items():
            self.fields[name] = QuantityField(
                unit,
                label=f"{PROOF_LABELS[name]} ({unit})",
                required=name not in PROOF_OPTIONAL,
                measured=True,
                help_text=PROOF_OPTIONAL.get(name, ""),
            )
        style(self)
        next(iter(self.fields.values())).widget.attrs["autofocus"] = True


class SealForm(StyledForm):
    """One seal test."""

    when = forms.ChoiceField(label="Taken", choices=SealTest.When.choices, widget=forms.RadioSelect)
    start_kpa = QuantityField("kPa", label="Depth at the start (kPa)", measured=True)
    end_kpa = QuantityField("kPa", label="Depth at the end (kPa)", measured=True)
    seconds = QuantityField("s", label="Held for (s)")

    def __init__(self, known: Knowledge, data: Any = None, when: str = "") -> None:
        usual = {
            "when": when,
            "seconds": known.proof.seal_seconds,
            "start_kpa": known.proof.seal_depth_kpa,
        }
        super().__init__(data, initial=usual)

    def decay(self) -> Decay:
        """What a valid form says."""
        return Decay(*(self.cleaned_data[name] for name in ("start_kpa", "end_kpa", "seconds")))


class ChamberForm(StyledForm):
    """A known volume drawn out of the chamber."""

    known_ml = QuantityField("ml", label="Drawn out (ml)")
    before_kpa = QuantityField("kPa", label="Depth before (kPa)", initial="0", measured=True)
    after_kpa = QuantityField("kPa", label="Depth after (kPa)", measured=True)


class CancelForm(StyledForm):
    """Why a job was a mistake."""

    why = forms.CharField(label="Why it is cancelled", max_length=300, help_text="as in: received twice")


class OutcomeForm(StyledForm):
    """What turned out to be wrong."""

    faults = forms.MultipleChoiceField(
        label="What turned out to be wrong", required=False, widget=forms.CheckboxSelectMultiple
    )
    note = forms.CharField(label="Note", required=False, max_length=1000, widget=forms.Textarea(attrs={"rows": 2}))

    def __init__(self, known: Knowledge, likely: list[tuple[str, float]], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        order = [name for name, _ in likely] or list(known.faults)
        self.fields["faults"].choices = [(name, known.faults[name].label) for name in order]  # type: ignore[attr-defined]


class HandOnForm(OutcomeForm):
    """Why a job stops here, who gets the device, and how it leaves."""

    why = forms.ChoiceField(label="Why it stops here", choices=HandedOn.choices, widget=forms.RadioSelect)
    to = forms.CharField(label="Who gets it", max_length=80, help_text="the customer, another workshop, data rescue")
    leaves_as = forms.ChoiceField(
        label="It was opened. How does it leave?",
        choices=[(value, label) for value, label in LeavesAs.choices if value != LeavesAs.WHOLE],
        widget=forms.RadioSelect,
    )

    def __init__(
        self, known: Knowledge, likely: list[tuple[str, float]], opened: bool, *args: Any, **kwargs: Any
    ) -> None:
        super().__init__(known, likely, *args, **kwargs)
        self.fields["faults"].label = "What is suspected"
        note = self.fields["note"]
        note.label, note.required = "What is known, and what is not", True
        note.help_text = "what was tried and read, what nobody knows yet: the next person begins with it"
        if not opened:
            del self.fields["leaves_as"]
