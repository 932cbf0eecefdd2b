"""What the page of the instruments shows: state, last values, a small trace, faults with what to do."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.urls import reverse

from benchtalk.bridge import HERE, TOLD_BY
from benchtalk.looking import Announced
from chargepath.base.errors import ReadingError
from chargepath.base.quantities import decimal_mark
from chargepath.case.quickline import Completion
from chargepath.instrument.profile import WANTED
from chargepath.knowledge import Check
from rainfront.instruments.asking import asked_for
from rainfront.instruments.models import BenchInstrument
from rainfront.instruments.profiles import profile_called
from rainfront.people.networks import refuse_address
from rainfront.web.forms import MEASURED

LABELS: Mapping[str, str] = {
    "volts": "volts", "amps": "amps", "ohms": "ohms", "diode": "diode mode", "continuity": "continuity",
    "celsius": "degrees", "mbar": "pressure", "seconds": "time",
}  # fmt: skip
DIGITS: Mapping[str, int] = {
    "volts": 3, "amps": 3, "ohms": 2, "diode": 0, "continuity": 1, "celsius": 1, "mbar": 1, "kPa": 2,
}  # fmt: skip
MBAR_A_KPA = 10.0
# A drawing of the last seconds: its width and height, how many seconds it is wide.
WIDE, HIGH, TRACE_S = 160.0, 36.0, 15.0
# The marks of the charge line, by how an instrument stands.
MARKS = {"reading": "good", "opening": "open", "trouble": "short", "": "off"}
SAYS = {"reading": "is read", "opening": "is being asked", "trouble": "cannot be read", "": "is not read"}


@dataclass(frozen=True, kw_only=True)
class ShownValue:
    """A value as it is shown."""

    label: str
    text: str
    unit: str
    age_s: float


@dataclass(frozen=True, kw_only=True)
class InstrumentRow:
    """A row of the page."""

    instrument: BenchInstrument
    profile: str
    mark: str
    says: str
    what: str
    right: str
    identity: str
    values: Sequence[ShownValue]
    asks: Sequence[tuple[str, str]]
    trace: str


def instrument_rows(found: Sequence[BenchInstrument], told: Mapping[int, Mapping[str, Any]]) -> list[InstrumentRow]:
    """A row for each instrument, with what the process that reads them says of it."""
    return [_row(one, told.get(one.pk, {})) for one in found]


def _row(instrument: BenchInstrument, told: Mapping[str, Any]) -> InstrumentRow:
    profile = profile_called(instrument.profile)
    state = str(told.get("state", "")) if instrument.used else ""
    identity = str(told.get("identity", ""))
    return InstrumentRow(
        instrument=instrument,
        profile=profile.name,
        mark=MARKS.get(state, "off"),
        says=SAYS.get(state, state),
        what=str(told.get("what", "")) if state == "trouble" else "",
        right=str(told.get("right", "")) if state == "trouble" else "",
        identity="" if identity.startswith("{") else identity,
        values=[_value(name, row) for name, row in told.get("values", {}).items() if name != "seconds"],
        asks=[(name, LABELS[name]) for name in profile.measured] if profile.acquire.way == "ask" else [],
        trace=trace_path(told.get("trace", ())),
    )


def _value(name: str, row: Mapping[str, float]) -> ShownValue:
    value = row["value"]
    text = "open" if math.isinf(value) else f"{value:.{DIGITS.get(name, 2)}f}".replace(".", decimal_mark())
    return ShownValue(label=LABELS[name], text=text, unit="" if math.isinf(value) else WANTED[name], age_s=row["age"])


def offered(
    found: Sequence[BenchInstrument], told: Mapping[int, Mapping[str, Any]], quantity: str, unit: str = ""
) -> list[dict[str, str]]:
    """Values of one quantity as a field takes them: the instrument's name, what is shown, what is put in.

    The probe in the hand comes first: one that is asked for what is wanted. What speaks by itself lies where it lies.
    A field in kPa takes a depth below ambient, whichever sign a reader gives it.
    """
    depth = quantity == "mbar" and unit == "kPa"
    shown_in = "kPa" if depth else WANTED.get(quantity, "")
    rows = [(one, told.get(one.pk, {}).get("values", {}).get(quantity)) for one in found]
    fresh = [(not asked_for(one), row["age"], one, row["value"]) for one, row in rows if row]
    out = []
    for *_, one, value in sorted(fresh, key=lambda row: row[:2]):
        if math.isfinite(value):
            text = typed("kPa", abs(value) / MBAR_A_KPA) if depth else typed(quantity, value)
            out.append({"name": str(one), "text": text, "shown": f"{text} {shown_in}"})
    return out


def typed(quantity: str, value: float) -> str:
    """A value as a person would type it."""
    return f"{value:.{DIGITS.get(quantity, 2)}f}".replace(".", decimal_mark())


def lines_read(
    check: Check, word: str, found: Sequence[BenchInstrument], told: Mapping[int, Mapping[str, Any]]
) -> list[Completion]:
    """Quick lines of a check with what each instrument reads at this moment.

    One instrument gives the first values, as many as it measures: what comes after them is typed.
    """
    wanted = [MEASURED.get(value.unit, "") for value in check.values.values() if not value.worked_out]
    out = []
    for one in found:
        values, texts, shown, age = told.get(one.pk, {}).get("values", {}), list[str](), list[str](), 0.0
        for place, quantity in enumerate(wanted):
            row = values.get(quantity)
            # Two readings of one quantity are of two places.
            if row is None or quantity in wanted[:place] or not math.isfinite(row["value"]):
                break
            texts.append(typed(quantity, row["value"]))
            shown.append(f"{texts[-1]} {WANTED[quantity]}")
            age = max(age, row["age"])
        if texts:
            line = f"{word} {' '.join(texts)} "
            out.append(Completion(line, ", ".join(shown), f"from {one}, {age:.1f} s ago"))
    return out


@dataclass(frozen=True)
class AnnouncedRow:
    """An instrument that has announced itself: where it is set up, or why it may not be."""

    one: Announced
    href: str
    refused: str


def announced_rows(found: Sequence[Announced]) -> list[AnnouncedRow]:
    """Instruments that have announced themselves, for the page."""
    rows = []
    for one in found:
        refused = ""
        try:
            refuse_address(one.host)
        except ReadingError as error:
            refused = error.what
        given = urlencode({"name": one.name[:40], "host": one.host, "port": one.port})
        rows.append(AnnouncedRow(one, f"{reverse('bench:new_instrument')}?{given}", refused))
    return rows


def bridge_words(instrument: BenchInstrument) -> list[str]:
    """What is typed on the bench's computer to serve an instrument to this program, a command a line."""
    profile, port = profile_called(instrument.profile), instrument.port or 7790
    baud, safe = instrument.baud or int(profile.reach.baud), profile.output.off
    near = instrument.host in HERE
    run = f"{TOLD_BY}={instrument.secret} python3 bridge.py /dev/serial/by-id/… --baud {baud} --port {port}"
    run += f' --safe "{safe}"' if safe else ""
    if near:
        return ["pip install pyserial", run]
    made = "openssl req -x509 -newkey rsa:2048 -nodes -days 3650 -subj /CN=bench -keyout bench.pem -out bench.crt"
    return ["pip install pyserial", f"{made} && cat bench.crt >> bench.pem", f"{run} --host 0.0.0.0 --cert bench.pem"]


@dataclass(frozen=True, kw_only=True)
class ApartRow:
    """Two readings of one part: each as it is shown, and how far the second is from the first, in words."""

    first: ShownValue
    second: ShownValue
    says: str


def apart(one: BenchInstrument, other: BenchInstrument, quantity: str, first: float, second: float) -> ApartRow:
    """How far two instruments are apart that measured the same part."""
    shift, unit = second - first, WANTED[quantity]
    share = f" ({100 * abs(shift) / abs(first):.1f} %)" if abs(first) > 1e-9 else ""
    digits = DIGITS.get(quantity, 2)
    if round(abs(shift), digits + 1) == 0:
        says = f"{other} reads what {one} reads."
    else:
        amount = f"{abs(shift):.{digits + 1}f} {unit}{share}".replace(".", decimal_mark())
        says = f"{other} reads {amount} {'more' if shift > 0 else 'less'} than {one}."
    shown = [
        ShownValue(label=str(which), text=f"{value:.{digits}f}".replace(".", decimal_mark()), unit=unit, age_s=0.0)
        for which, value in ((one, first), (other, second))
    ]
    return ApartRow(first=shown[0], second=shown[1], says=says)


def trace_path(trace: Sequence[Sequence[float]]) -> str:
    """The last seconds of a quantity as a path in a box of `WIDE` by `HIGH`; '' where there is too little of it.

    Parameters
    ----------
    trace : sequence of (age [s], value)
        The oldest first; an overload is left out.

    """
    rows = [(age, value) for age, value in trace if age <= TRACE_S and math.isfinite(value)]
    if len(rows) < 2:
        return ""
    low, high = min(value for _, value in rows), max(value for _, value in rows)
    # Noise is no news: a span of less than a hundredth of the value is drawn as a line.
    span = max(high - low, abs(high) * 0.01, 1e-6)
    middle = (low + high) / 2
    points = [
        f"{WIDE * (1 - age / TRACE_S):.1f} {HIGH / 2 - (value - middle) / span * (HIGH - 8):.1f}" for age, value in rows
    ]
    return "M" + " L".join(points)
