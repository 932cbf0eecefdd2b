"""The heat desk's forms."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django import forms

from chargepath.knowledge import Knowledge
from chargepath.knowledge.heat import Target
from chargepath.repair.heat import RANGES, Setting
from rainfront.heat.models import HotAir
from rainfront.web.forms import QuantityField, StyledForm

TOOLS = (("above", "Hot air from above"), ("below", "Hot air from below"), ("iron", "Iron"), ("plate", "Plate alone"))
LABELS = {
    "set_c": "Set to (°C)",
    "flow_l_min": "Flow (l/min)",
    "nozzle_mm": "Nozzle (mm)",
    "distance_mm": "Distance (mm)",
    "tip_mm": "Tip (mm)",
    "plate_c": "Plate (°C)",
    "soak_s": "Soak (s)",
    "room_c": "Room (°C)",
    "past_melt_s": "Past melting (s)",
    "most_s": "At most (s)",
}


def figure(name: str, **more: Any) -> QuantityField:
    """A figure of a setting, within what is possible."""
    low, high, unit = RANGES[name]
    return QuantityField(unit, least=low, most=high, label=LABELS[name], required=False, **more)


class DeskForm(StyledForm):
    """What is heated, and how; what is left out is as usual."""

    target = forms.ChoiceField(label="What is heated")
    alloy = forms.ChoiceField(label="Its solder now")
    low_melt = QuantityField("%", least=0, most=90, label="Low-melt mixed in (%)", required=False)
    joints = QuantityField("mm3", least=0.5, most=200, label="Solder in the joints (mm³)", required=False)
    tool = forms.ChoiceField(label="Heated by", choices=TOOLS)
    touch = forms.ChoiceField(label="The tip touches", required=False)
    station = forms.ModelChoiceField(HotAir.objects.none(), label="Station", required=False, empty_label="a usual one")
    shielded = forms.BooleanField(label="Foil over its neighbours", required=False)
    in_frame = forms.BooleanField(label="Board in its frame, cell beside it", required=False)

    def __init__(self, known: Knowledge, data: Any = None) -> None:
        initial = self.usual(known)
        filled = data
        if data is not None:
            filled = data.copy()
            for name, value in initial.items():
                if name not in filled and name not in ("shielded", "in_frame"):
                    filled[name] = str(value)
            if "shown" not in filled:
                filled["shielded"] = filled.get("shielded", "on")
        super().__init__(filled, initial=initial)
        targets = [(row.id, row.label) for row in known.heat.targets.values()]
        alloys = [(row.id, row.label) for row in known.heat.alloys.values()]
        touches = [("", "An anchor of the part"), *((row.id, row.label) for row in known.heat.touches.values())]
        self.fields["target"].choices = targets  # type: ignore[attr-defined]
        self.fields["alloy"].choices = alloys  # type: ignore[attr-defined]
        self.fields["touch"].choices = touches  # type: ignore[attr-defined]
        self.fields["station"].queryset = HotAir.objects.on_the_bench()  # type: ignore[attr-defined]

    @staticmethod
    def usual(known: Knowledge) -> dict[str, Any]:
        """What stands there before anything is said."""
        first, usual = next(iter(known.heat.targets.values())), Setting()
        figures = {name: f"{getattr(usual, name):g}" for name in RANGES}
        return {
            **figures, "target": first.id, "alloy": first.alloy, "tool": usual.tool, "low_melt": "0",
            "shielded": True, "in_frame": False,
        }  # fmt: skip

    def target_of(self, known: Knowledge) -> Target:
        """What is heated, with as much solder as was said."""
        target, mm3 = known.heat.targets[self.cleaned_data["target"]], self.cleaned_data["joints"]
        return target if mm3 is None else replace(target, joint_mm3=mm3)

    def setting(self, known: Knowledge) -> Setting:
        """The setting that was asked for."""
        data = self.cleaned_data
        touch = known.heat.touches.get(data["touch"])
        given = {name: float(data[name]) for name in RANGES if data.get(name) is not None}
        return Setting(tool=data["tool"], touch=touch, shielded=data["shielded"], in_frame=data["in_frame"], **given)


for _name in RANGES:
    DeskForm.base_fields[_name] = figure(_name)


class OpeningForm(StyledForm):
    """A device on the plate."""

    opening = forms.ChoiceField(label="What is opened")
    plate = QuantityField("°C", least=30, most=150, label="Plate (°C)", initial="80", measured=True)
    minutes = QuantityField("min", least=0.5, most=30, label="For (min)", initial="4")

    def __init__(self, known: Knowledge, data: Any = None) -> None:
        filled = data
        if data is not None:
            filled = data.copy()
            for name, value in (("opening", next(iter(known.heat.openings))), ("plate", "80"), ("minutes", "4")):
                filled.setdefault(name, value)
        super().__init__(filled)
        rows = [(row.id, row.label) for row in known.heat.openings.values()]
        self.fields["opening"].choices = rows  # type: ignore[attr-defined]


class MeltForm(StyledForm):
    """One melt: how the station was set and the seconds until the joint moved."""

    target = forms.ChoiceField(label="What was melted")
    alloy = forms.ChoiceField(label="Its solder")
    below = forms.BooleanField(label="From below", required=False)
    seconds = QuantityField("s", least=1, most=240, label="Seconds until it moved")

    def __init__(self, known: Knowledge, data: Any = None, initial: Any = None) -> None:
        super().__init__(data, initial=initial)
        self.fields["target"].choices = [(row.id, row.label) for row in known.heat.targets.values()]  # type: ignore[attr-defined]
        self.fields["alloy"].choices = [(row.id, row.label) for row in known.heat.alloys.values()]  # type: ignore[attr-defined]

    def values(self) -> dict[str, Any]:
        """What is stored, with what is usual where a figure was left out."""
        data, usual = dict(self.cleaned_data), Setting()
        return {
            name: getattr(usual, name) if value is None and hasattr(usual, name) else value
            for name, value in data.items()
        }


for _name in ("set_c", "flow_l_min", "nozzle_mm", "distance_mm", "plate_c", "room_c"):
    MeltForm.base_fields[_name] = figure(_name)
MeltForm.base_fields["set_c"].required = True
MeltForm.base_fields["seconds"] = MeltForm.base_fields.pop("seconds")


class StationForm(StyledForm):
    """A station."""

    name = forms.CharField(label="Name", max_length=60)
    note = forms.CharField(label="Note", max_length=200, required=False)
