"""Forms of what is measured inside."""

from __future__ import annotations

from typing import Any

from django import forms

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from chargepath.base.sentences import begin
from chargepath.knowledge import Knowledge
from rainfront.inside.models import Mark, Sheet
from rainfront.jobs.models import Job
from rainfront.reference.models import BoardConnector
from rainfront.web.forms import CountField, QuantityField, StyledForm, StyledModelForm, style

PORT_PLACES = ("contact", "pads")


class SheetForm(StyledModelForm):
    """What to probe and with what."""

    what = forms.ChoiceField(label="Probe")

    class Meta:
        model = Sheet
        fields = ("meter", "revision", "mode", "good")

    def __init__(self, known: Knowledge, job: Job, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["what"].choices = self._choices(known, job)  # type: ignore[attr-defined]
        self.order_fields(["what", "meter", "revision", "mode", "good"])
        style(self)

    @staticmethod
    def _choices(known: Knowledge, job: Job) -> list[tuple[str, list[tuple[str, str]]]]:
        port = known.connectors[job.connector]
        nets = [(f"{port.id}@{place}", f"{port.label}: {known.places[place].label}") for place in PORT_PLACES]
        halves = [
            (f"{port.id}@{place}", f"{port.label}: {known.places[place].label}")
            for place in ("carrier_out", "board_in", "alone_carrier", "alone_board")
            if place in known.places_on(job.carrier)
        ]
        points = [(f"{points.id}@inside", points.label) for points in known.points.values()]
        boards = [
            (f"{row.map_id}@{place}", f"{row.name}: {known.places[place].label}")
            for row in BoardConnector.objects.filter(model_name__in=("", job.model_name))
            for place in (row.end, f"alone_{'carrier' if row.end == 'carrier_out' else 'board'}")
        ]
        groups = [("The port", nets), ("Inside", points), ("The same lines along the path", halves)]
        return [group for group in (*groups, ("Board connectors", boards)) if group[1]]

    def details(self) -> dict[str, Any]:
        """Fields of a new sheet."""
        data = dict(self.cleaned_data)
        map_id, _, place = data.pop("what").partition("@")
        return {**data, "map_id": map_id, "place": place}


class LadderForm(StyledForm):
    """Volts at each test point that a device with this carrier has; any may be left out."""

    amps = QuantityField("A", label="Current flowing (A)", measured=True)
    second_amps = QuantityField("A", label="Second current (A)", required=False, measured=True)

    def __init__(self, known: Knowledge, carrier: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.rungs = known.rungs_on(carrier)
        for rung in self.rungs.values():
            self.fields[f"v_{rung.id}"] = QuantityField(
                "V", label=begin(rung.label), required=False, measured=True, help_text=rung.place
            )
            self.fields[f"w_{rung.id}"] = QuantityField(
                "V", label=f"{begin(rung.label)}, second", required=False, measured=True
            )
        style(self)

    def rows(self) -> list[tuple[Any, Any, Any]]:
        """Each rung with its two fields."""
        return [(rung, self[f"v_{rung.id}"], self[f"w_{rung.id}"]) for rung in self.rungs.values()]

    def _volts(self, prefix: str) -> dict[str, float]:
        data = self.cleaned_data
        return {rung: data[f"{prefix}_{rung}"] for rung in self.rungs if data.get(f"{prefix}_{rung}") is not None}

    def clean(self) -> dict[str, Any]:
        """Two rungs at least; a second current needs its volts and the other way round."""
        data = super().clean() or {}
        if self.errors:
            return data
        if len(self._volts("v")) < 2:
            raise forms.ValidationError("Give volts at two places or more.")
        if bool(self._volts("w")) != (data.get("second_amps") is not None):
            raise forms.ValidationError("A second current needs its own volts, and second volts their current.")
        return data

    def volts(self) -> dict[str, float]:
        """Volts at the first current."""
        return self._volts("v")

    def second(self) -> dict[str, float]:
        """Volts at the second current."""
        return self._volts("w")


class CableForm(StyledForm):
    """A cable by its wires."""

    gauge = CountField("", label="Wire gauge", least=0, most=44, initial=24)
    metres = QuantityField("m", label="Length (m)", least=0, most=20, initial=1.0)
    cable_amps = QuantityField("A", label="Current (A)", least=0, most=6, initial=2.0)


class SupplyReadingForm(StyledForm):
    """Current from a bench supply."""

    before = QuantityField("A", label="Current when off (A)", required=False, measured=True)
    after = QuantityField("A", label="Boot current, power key held (A)", required=False, measured=True)

    def clean(self) -> dict[str, Any]:
        """At least one."""
        data = super().clean() or {}
        if not self.errors and data.get("before") is None and data.get("after") is None:
            raise forms.ValidationError("Give the current when off, the boot current, or both.")
        return data


class DrawForm(StyledForm):
    """One reading of a standing draw."""

    amps = QuantityField("A", label="It draws (A)", least=0, most=10, measured=True)


class InjectionForm(StyledForm):
    """What is known of a shorted rail."""

    ohms = QuantityField("ohm", label="Resistance to ground (ohm)", least=0, most=100_000, measured=True)
    rail_volts = QuantityField("V", label="Rail is rated for (V)", least=0.3, most=20)
    most_amps = QuantityField("A", label="Supply gives up to (A)", least=0.05, most=30, initial=3)


class SenseForm(StyledForm):
    """The battery connector's small lines; everything may be left out."""

    ntc_ohms = QuantityField(
        "ohm",
        overrange=True,
        label="Thermistor (ohm), OL when open",
        required=False,
        measured=True,
        help_text="as in 9800, 9.8k or OL",
    )
    room_c = QuantityField("°C", label="Room (°C)", least=-10, most=50, initial=22, measured=True)
    ntc_curve = forms.ChoiceField(
        label="Its curve",
        required=False,
        choices=(
            ("beta", "by beta: 10 kohm at 25 °C, 3435 K (usual)"),
            ("type_2", "10 kohm type 2, Steinhart-Hart"),
            ("own_beta", "by its own resistance and beta"),
            ("points", "through three points of its table"),
        ),
    )
    ntc_own = forms.CharField(
        label="Its own figures",
        required=False,
        max_length=80,
        help_text="10000 3950 for resistance at 25 °C and beta; 0 32650, 25 10000, 50 3603 for three points",
    )
    data_volts = QuantityField("V", label="Data line at rest (V)", required=False, measured=True)
    clock_volts = QuantityField("V", label="Clock line at rest (V)", required=False, measured=True)
    rail_volts = QuantityField("V", label="Their rail (V)", least=0.8, most=5.5, initial=1.8)
    clock_before = forms.TypedChoiceField(
        label="Signal on the chip's side of the transistor",
        choices=(("", "not looked"), ("yes", "there"), ("no", "nothing")),
        required=False,
        empty_value=None,
        coerce=lambda text: text == "yes",
    )
    clock_behind = forms.TypedChoiceField(
        label="Signal on the battery's side",
        choices=(("", "not looked"), ("yes", "there"), ("no", "nothing")),
        required=False,
        empty_value=None,
        coerce=lambda text: text == "yes",
    )

    def clean(self) -> dict[str, Any]:
        """Something has to be given, and both sides of a transistor together."""
        data = super().clean() or {}
        if self.errors:
            return data
        if (data.get("clock_before") is None) != (data.get("clock_behind") is None):
            raise forms.ValidationError("Look at both sides of the transistor: one alone says nothing.")
        given = ("ntc_ohms", "data_volts", "clock_volts", "clock_before")
        if all(data.get(name) is None for name in given):
            raise forms.ValidationError("Give the thermistor, a line's volts, or both sides of the transistor.")
        data["curve"] = _curve(data)
        return data


def _curve(data: dict[str, Any]) -> dict[str, Any]:
    """The figures of a thermistor's curve as it was chosen, for `judge_thermistor`.

    A table's three points as 'points'.
    """
    kind, own = data.get("ntc_curve") or "beta", data.get("ntc_own", "")
    if kind == "type_2":
        return {"type_2": True}
    if kind == "beta":
        return {}
    try:
        numbers = [parse_quantity(word.strip(","), "", "figures") for word in own.replace(";", " ").split()]
    except ChargepathError:
        numbers = []
    if kind == "own_beta" and len(numbers) == 2:
        return {"room_ohms": numbers[0], "beta": numbers[1]}
    if kind == "points" and len(numbers) == 6:
        return {"points": list(zip(numbers[::2], numbers[1::2], strict=True))}
    raise forms.ValidationError(
        "Its own figures: two numbers for resistance and beta, as in 10000 3950; "
        "three points as in 0 32650, 25 10000, 50 3603."
    )


class PhotoForm(StyledForm):
    """A picture and what it shows."""

    file = forms.FileField(
        label="Picture (JPEG, PNG or WebP)",
        widget=forms.ClearableFileInput(attrs={"accept": "image/*", "capture": "environment"}),
    )
    caption = forms.CharField(label="What it shows", max_length=120)


# Isopropanol is no way on a powered board; marks that were made with it keep it.
OFFERED = [row for row in Mark.How.choices if row[0] != Mark.How.ALCOHOL]


class MarkForm(StyledForm):
    """A mark on a photo; click the picture, or give its place."""

    x = QuantityField("%", label="From the left (%)", least=0, most=100)
    y = QuantityField("%", label="From the top (%)", least=0, most=100)
    text = forms.CharField(label="What is there", max_length=120, required=False)
    part = forms.ChoiceField(label="Hot spot: which part", required=False)
    how = forms.ChoiceField(label="Found by", choices=OFFERED, required=False)

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        check = known.checks["hot_spot"]
        choices = [("", "not a hot spot"), *((sign, check.name(sign)) for sign in check.signs)]
        self.fields["part"].choices = choices  # type: ignore[attr-defined]

    def clean(self) -> dict[str, Any]:
        """A mark says what is there."""
        data = super().clean() or {}
        if not self.errors and not data.get("text") and not data.get("part"):
            raise forms.ValidationError("Say what is there, or which part is hot.")
        return data
