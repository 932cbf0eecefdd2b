"""Forms of records, meters and waiting."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from django import forms

from benchtalk.bridge import HERE
from benchtalk.looking import own_addresses
from chargepath.knowledge import Knowledge
from chargepath.trace.table import Layout
from rainfront.instruments.models import BenchInstrument, Record, Supply
from rainfront.instruments.presenters import device_groups
from rainfront.instruments.profiles import JSON_LINES, all_profiles
from rainfront.people.networks import allowed_host
from rainfront.web.forms import CountField, Merged, QuantityField, StyledForm, StyledModelForm, style

ROLE_LABELS = (
    ("ignore", "leave out"),
    ("time", "time"),
    ("amps", "amps"),
    ("volts", "volts"),
    ("plus", "D+ volts"),
    ("minus", "D- volts"),
)
COMPARED = (
    ("ohms", "ohms, on a reference resistor"),
    ("diode", "diode mode, on a diode"),
    ("volts", "volts, on a cell"),
)
# A serial line of this computer, by its lasting name or by its device.
SERIAL_LINE = re.compile(r"/dev/(?:serial/by-(?:id|path)/[\w.:+-]+|tty[\w]+|pts/\d+)")
FINGERPRINT = re.compile(r"[0-9a-f]{64}")
# What an instrument speaks until its lines have been looked at.
TAUGHT = JSON_LINES
AS_IT_IS = ("", "as it is")
MISBEHAVES = (
    AS_IT_IS,
    ("none", "not at all"),
    ("overshoot", "gives 0.3 V more than set"),
    ("stuck", "does not switch off"),
    ("silent", "answers nothing"),
    ("garbage", "answers nonsense"),
    ("hot", "the cell gets hot"),
    ("short", "the cell loses what it is given"),
    ("open", "a lead comes off"),
    ("nan", "measures what is no number"),
    ("mute", "does as it is told and answers nothing"),
    ("drip", "answers a byte at a time, without an end"),
    ("double", "answers twice"),
    ("late", "answers too late"),
    ("endless", "answers without an end, as fast as it can"),
    ("hang_up", "hangs up when it is asked"),
)
CLIPS = (AS_IT_IS, ("cell", "the device's cell"), ("board", "its board, in the cell's place"))
THERMOCOUPLE = (AS_IT_IS, ("stick", "sits on the cell"), ("come_off", "comes off"))
# A reading above this is percent [V].
MOST_CELL_V = 5.0
FACTORS = (
    ("1.0", "as it stands (s, A, V)"),
    ("0.001", "thousandths (ms, mA, mV)"),
    ("1e-06", "millionths (µs, µA)"),
    ("60.0", "minutes"),
    ("3600.0", "hours"),
)


class HandInForm(StyledForm):
    """A file or a pasted text."""

    file = forms.FileField(label="File (CSV or text)", required=False)
    text = forms.CharField(
        label="or paste or type it, one sample a line",
        required=False,
        max_length=900_000,
        widget=forms.Textarea(attrs={"rows": 4, "class": "num", "spellcheck": "false"}),
    )

    def clean(self) -> dict[str, Any]:
        """One of both."""
        data = super().clean() or {}
        if not data.get("file") and not (data.get("text") or "").strip() and not self.errors:
            raise forms.ValidationError("Choose a file, or paste a column of amps.")
        return data


class ConditionsForm(Merged, StyledModelForm):
    """Conditions of a record."""

    percent = QuantityField("%", label="Battery (%)", required=False, least=0, most=100)
    cell_temp_c = QuantityField("°C", label="Cell (°C)", required=False, least=-20, most=80, measured=True)

    class Meta:
        model = Record
        fields = ("source", "percent", "screen_on", "cell_temp_c")

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        choices = [(source.id, source.label) for source in known.sources.values()]
        self.fields["source"].widget = forms.Select(choices=choices)
        style(self)


class NamedConditionsForm(ConditionsForm):
    """The same with a name."""

    class Meta:
        model = Record
        fields = ("name", "source", "percent", "screen_on", "cell_temp_c")


class LayoutForm(StyledForm):
    """What was understood of a text, for the person to correct."""

    interval = QuantityField(
        "s",
        label="Seconds between samples",
        initial=1.0,
        least=0.0001,
        most=3600,
        help_text="used where no column is time",
    )

    def __init__(self, layout: Layout, data: Any = None) -> None:
        super().__init__(data, initial={"interval": layout.interval})
        self.layout = layout
        for index, column in enumerate(layout.columns):
            self.fields[f"role_{index}"] = forms.ChoiceField(
                label=f"{column.name} is", choices=ROLE_LABELS, initial=column.role
            )
            self.fields[f"factor_{index}"] = forms.ChoiceField(
                label=f"{column.name} in", choices=FACTORS, initial=str(column.factor), required=False
            )
        style(self)

    def columns(self) -> list[tuple[Any, Any, Any]]:
        """Each column with its two fields."""
        return [
            (column, self[f"role_{index}"], self[f"factor_{index}"]) for index, column in enumerate(self.layout.columns)
        ]

    def clean(self) -> dict[str, Any]:
        """Each role once, and amps in any case."""
        data = super().clean() or {}
        if not self.errors:
            problem = self.chosen(data).problem()
            if problem:
                raise forms.ValidationError(problem)
        return data

    def chosen(self, data: dict[str, Any] | None = None) -> Layout:
        """The layout as corrected."""
        data = data or self.cleaned_data
        count = range(len(self.layout.columns))
        factors = [float(data.get(f"factor_{index}") or 1.0) for index in count]
        return self.layout.with_roles([data[f"role_{index}"] for index in count], factors, data.get("interval"))


class InstrumentForm(Merged, StyledModelForm):
    """An instrument of the bench: where it is, and what it speaks."""

    # None of the profiles: its lines are looked at first.
    TEACH = "teach"
    # What is asked for only where it is connected in one of these ways.
    OF_WAYS: Mapping[str, str] = {
        "host": "tcp bridge",
        "port": "tcp bridge",
        "pin": "bridge",
        "line": "serial",
        "baud": "serial bridge",
    }

    port = CountField("", label="Port", least=1, most=65535, required=False)
    baud = CountField(
        "", label="Baud", least=300, most=4_000_000, required=False, help_text="empty: as its profile says"
    )
    profile = forms.ChoiceField(label="It speaks", choices=[])

    class Meta:
        model = BenchInstrument
        fields = ("name", "profile", "way", "host", "port", "pin", "line", "baud", "sheet_meter", "used")

    teaches = False

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        teach = (self.TEACH, "none of these: look at the lines that it sends")
        fields: dict[str, Any] = self.fields
        fields["profile"].choices = [*all_profiles(), teach]
        fields["sheet_meter"].empty_label = "no meter of sheets"

    def rows(self) -> list[tuple[Any, str]]:
        """Each field with the ways that it belongs to, '' for all of them."""
        return [(field, self.OF_WAYS.get(field.name, "")) for field in self]

    def clean_host(self) -> str:
        """Only where the owner allows meters."""
        return allowed_host(self.cleaned_data["host"])

    def clean_line(self) -> str:
        """A serial line of this computer, no other file."""
        line = str(self.cleaned_data["line"]).strip()
        if line and not SERIAL_LINE.fullmatch(line):
            raise forms.ValidationError("That is no serial line: choose one of the list, as /dev/serial/by-id/…")
        return line

    def clean_pin(self) -> str:
        """A fingerprint, in any of its spellings."""
        pin = str(self.cleaned_data["pin"]).strip().replace(":", "").lower()
        if pin and not FINGERPRINT.fullmatch(pin):
            raise forms.ValidationError("That is no fingerprint: 64 signs, as the bridge prints them when it starts.")
        return pin

    def clean(self) -> dict[str, Any]:
        """An address for the network, a line for a serial line; a profile that can go there."""
        data = super().clean() or {}
        serial = data.get("way") == BenchInstrument.Way.SERIAL
        beyond = data.get("way") == BenchInstrument.Way.BRIDGE and data.get("host", HERE[0]) not in HERE
        if beyond and self.instance.secret and "pin" in data and not data["pin"]:
            self.add_error("pin", "A bridge on another computer prints it when it starts.")
        if serial and "line" in data and not data["line"]:
            self.add_error("line", "Choose the serial line that it is plugged into.")
        if not serial:
            for name, says in (("host", "Its address, as in 192.168.4.20."), ("port", "Its port, as in 5025.")):
                if name in data and not data[name]:
                    self.add_error(name, says)
        if data.get("profile") == self.TEACH:
            # It is read once its lines are understood.
            data["profile"], data["used"], self.teaches = TAUGHT, False, True
        return data


class ProfileFileForm(StyledForm):
    """A profile from another shop."""

    file = forms.FileField(label="Profile (TOML)")


class FindForm(StyledForm):
    """On which interface of the server it is looked for instruments."""

    address = forms.ChoiceField(label="Interface of the server")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["address"].choices = [(address, f"{address} ({name})") for address, name in own_addresses()]


class CompareForm(StyledForm):
    """Two instruments on one part."""

    first = forms.ModelChoiceField(BenchInstrument.objects.none(), label="Hold against")
    second = forms.ModelChoiceField(BenchInstrument.objects.none(), label="This one")
    quantity = forms.ChoiceField(label="What both measure", choices=COMPARED)
    # What the first one read already.
    taken = QuantityField("", required=False, widget=forms.HiddenInput)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        for name in ("first", "second"):
            fields[name].queryset = BenchInstrument.objects.filter(used=True)

    def clean(self) -> dict[str, Any]:
        """Two of them."""
        data = super().clean() or {}
        if data.get("first") and data.get("first") == data.get("second"):
            self.add_error("second", "Choose another one than the first.")
        return data


class CalibrationForm(StyledForm):
    """Who calibrated an instrument, and when."""

    who = forms.CharField(label="Calibrated by", max_length=60)
    on = forms.DateField(label="On", widget=forms.DateInput(attrs={"type": "date"}))


class SupplyForm(Merged, StyledModelForm):
    """Where the supply and the thermocouple are."""

    port = CountField("", label="Port of the supply", least=1, most=65535)
    thermo_port = CountField(
        "", label="Port of the thermocouple", least=1, most=65535, required=False, help_text="empty: there is none"
    )

    class Meta:
        model = Supply
        fields = ("host", "port", "thermo_port")

    def clean_host(self) -> str:
        """Only where the owner allows meters."""
        return allowed_host(self.cleaned_data["host"])


class PretendForm(StyledForm):
    """What the simulated supply is to do; what is left out stays as it is."""

    device = forms.ChoiceField(label="Put a device on the bench", required=False)
    clip = forms.ChoiceField(label="Clip the leads to", choices=CLIPS, required=False)
    cell_volts = QuantityField("V", label="Put a cell in it that reads (V)", least=0, most=4.5, required=False)
    cell_mah = QuantityField("mAh", label="… and holds (mAh)", least=200, most=15_000, required=False)
    speed = QuantityField("", label="Its time, faster by", least=1, most=1000, required=False)
    misbehaves = forms.ChoiceField(label="It misbehaves", choices=MISBEHAVES, required=False)
    thermocouple = forms.ChoiceField(label="The thermocouple", choices=THERMOCOUPLE, required=False)
    unplug = forms.ChoiceField(label="On its board, unplug", required=False)

    def __init__(self, known: Knowledge, devices: Mapping[str, str], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        parts = list(known.checks["draw_unplugged"].labels.items())
        for name, choices in (("device", device_groups(known, devices)), ("unplug", parts)):
            field = self.fields[name]
            assert isinstance(field, forms.ChoiceField)
            field.choices = [AS_IT_IS, *choices]

    def clean(self) -> dict[str, Any]:
        """A cell has both figures."""
        data = super().clean() or {}
        if not self.errors and (data["cell_volts"] is None) != (data["cell_mah"] is None):
            raise forms.ValidationError("A cell needs its volts and what it holds, both.")
        return data

    def lines(self) -> list[str]:
        """The lines that tell it to the supply (docs/instrument-protocols.md)."""
        data = self.cleaned_data
        cell = "" if data["cell_volts"] is None else f"{data['cell_volts']:g},{data['cell_mah']:g}"
        speed = "" if data["speed"] is None else f"{data['speed']:g}"
        said = (
            ("CELL", cell),
            ("DEVICE", data["device"]),
            ("CLIP", data["clip"]),
            ("UNPLUG", data["unplug"]),
            ("SPEED", speed),
            ("MISB", data["misbehaves"]),
        )
        return [f"SIM:{head} {text}" for head, text in said if text]


class WaitForm(StyledForm):
    """One reading of a device left on charge."""

    value = QuantityField(
        "% or V", label="Battery percent, or cell volts", least=0, most=100, help_text="12 % or 3.42 V"
    )

    def __init__(self, data: Any = None, unit: str = "") -> None:
        """`unit` is what the first reading was in, '' where this one is the first."""
        super().__init__(data)
        self.began_in = unit

    def clean(self) -> dict[str, Any]:
        """The unit: as typed, else as the first reading was, else percent above what a cell can have."""
        data = super().clean() or {}
        value, text = data.get("value"), str(self.data.get("value", "")).strip().lower()
        if value is None:
            return data
        typed = "%" if text.endswith("%") else "V" if text.endswith("v") else ""
        unit = typed or self.began_in or ("%" if value == 0 or value > MOST_CELL_V else "")
        if not unit:
            self.add_error("value", f"{text} alone may be percent or volts: type {text} % or {text} V.")
        elif unit == "V" and value > MOST_CELL_V:
            self.add_error("value", f"{value:g} V is no single cell: {MOST_CELL_V:g} V or less.")
        elif self.began_in and unit != self.began_in:
            wanted = "percent" if self.began_in == "%" else "cell volts"
            self.add_error("value", f"It began in {wanted}: give {wanted} again.")
        return {**data, "unit": unit}
