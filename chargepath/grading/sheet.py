"""A probe sheet: readings of a pin map at one place, judged line by line, and what they say together."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.case.entries import CheckEvent
from chargepath.electrical.lines import TEST_MA, LineVerdict, read_continuity, read_line, without_reference
from chargepath.electrical.references import Reference, usual
from chargepath.grading.locate import Observation
from chargepath.grading.readings import sheet_spread
from chargepath.knowledge.pinmaps import CONTINUITY, PinMap

# Places whose readings are the checks of the same name; the others only tell where on the path it is.
ENTERED = ("contact", "pads", "inside")


@dataclass(frozen=True)
class PinReading:
    """One pin as read: millivolts (``inf`` for overrange) and how often it was read like this."""

    mv: float
    times: int = 1


@dataclass(frozen=True)
class PinVerdict:
    """One pin judged, with the reference it was held against and what its twin reads [mV], None without one."""

    pin: str
    reading: PinReading
    verdict: LineVerdict
    reference: Reference | None
    twin: str
    twin_mv: float | None
    counts: bool


@dataclass(frozen=True)
class SheetEvent:
    """A check that a sheet stands for, with the line that speaks for it, the worst of `of`."""

    event: CheckEvent
    worst: PinVerdict
    of: int


def judge_pin(
    pins: PinMap,
    pin: str,
    readings: Mapping[str, PinReading],
    references: Mapping[str, Reference],
    test_ma: float = TEST_MA,
) -> PinVerdict:
    """Judge one pin of a sheet in diode mode.

    Parameters
    ----------
    pins : PinMap
    pin : str
        A pin that has been read.
    readings : mapping of pin to PinReading
        Everything read so far; the twin is looked up here.
    references : mapping of pin to Reference
        Known-good references; pins without one are held against their twin and the usual band.
    test_ma : float
        The meter's test current [mA].

    """
    net, seen = pins.net(pin), readings[pin]
    twin = next((other for other in pins.twin(pin) if other in readings), "")
    mate = readings[twin].mv if twin else None
    twin_mv = None if net.group in CONTINUITY else mate
    if net.group in CONTINUITY:
        verdict = read_continuity(seen.mv, test_ma=test_ma, times=seen.times)
        return PinVerdict(
            pin=pin, reading=seen, verdict=verdict, reference=None, twin=twin, twin_mv=twin_mv, counts=True
        )
    reference = references.get(pin)
    if reference is not None:
        verdict = read_line(seen.mv, reference, test_ma=test_ma, can_open=_can_open(net.check), times=seen.times)
        return PinVerdict(
            pin=pin, reading=seen, verdict=verdict, reference=reference, twin=twin, twin_mv=twin_mv, counts=True
        )
    if net.optional and math.isinf(seen.mv) and not _twin_reads(twin, readings):
        even = {"in_band": 0.5, "open": 0.5, "low": 0.0, "short": 0.0}
        untold = LineVerdict(
            grade="in_band", remark="", score=0.0, weights=even, ohms=None, reading_mv=seen.mv, reference=None
        )
        return PinVerdict(
            pin=pin, reading=seen, verdict=untold, reference=None, twin=twin, twin_mv=twin_mv, counts=False
        )
    verdict = without_reference(seen.mv, usual(net.usual_mv), mate, test_ma=test_ma)
    return PinVerdict(pin=pin, reading=seen, verdict=verdict, reference=None, twin=twin, twin_mv=twin_mv, counts=True)


def _can_open(check: str) -> bool:
    return check != "line_battery"


def _twin_reads(twin: str, readings: Mapping[str, PinReading]) -> bool:
    return bool(twin) and math.isfinite(readings[twin].mv)


def judge_sheet(
    pins: PinMap,
    readings: Mapping[str, PinReading],
    references: Mapping[str, Reference],
    test_ma: float = TEST_MA,
) -> dict[str, PinVerdict]:
    """Judge every pin that has been read, in the sheet's order.

    Parameters
    ----------
    pins : PinMap
    readings : mapping of pin to PinReading
        [mV]
    references : mapping of pin to Reference
        [mV]
    test_ma : float
        Test current of the meter [mA].

    """
    return {pin: judge_pin(pins, pin, readings, references, test_ma) for pin in pins.walk() if pin in readings}


def observations_of(pins: PinMap, place: str, verdicts: Mapping[str, PinVerdict]) -> list[Observation]:
    """A judged sheet as evidence for `locate`."""
    out = []
    for pin, found in verdicts.items():
        net = pins.net(pin)
        if not found.counts:
            continue
        name = "power" if net.group == "power" else net.id
        key = f"inside.{net.id}" if place == "inside" else place
        contact = pin if place == "contact" else ""
        out.append(Observation(name, key, contact, net.group, found.verdict.weights))
    return out


def events_of(pins: PinMap, place: str, verdicts: Mapping[str, PinVerdict]) -> list[SheetEvent]:
    """The checks that a judged sheet stands for, each by its worst line.

    A contact that is open among others of its net counts: the worst line speaks. Weaker evidence (no reference behind
    it) never hides stronger: it is only taken where nothing better was read.
    """
    if place not in ENTERED:
        return []
    groups: dict[tuple[str, str], list[PinVerdict]] = {}
    for pin, found in verdicts.items():
        net = pins.net(pin)
        if net.check and found.counts:
            groups.setdefault((net.check, net.at), []).append(found)
    out = []
    for (check, at), rows in groups.items():
        worst = min(rows, key=lambda row: row.verdict.weights["in_band"])
        out.append(SheetEvent(_event(check, at, worst), worst, len(rows)))
    return out


def _event(check: str, at: str, worst: PinVerdict) -> CheckEvent:
    """One check's event: the reading with its reference and spread where there is one, else its grade."""
    grade = worst.verdict.grade
    if check == "sense_lines":
        grade = "clean" if grade == "in_band" and not worst.verdict.remark else "faulty"
    reference, reading = worst.reference, worst.reading.mv
    if worst.verdict.remark == "high" and worst.verdict.grade == "in_band" and check != "sense_lines":
        grade = "in_band"
    if reference is None or reference.expects_open or not 50 <= reference.median_mv <= 3000:
        return CheckEvent(check, at, grade)
    spread = min(max(sheet_spread(reference), 0.5), 500.0)
    values = {"reading": reading, "reference": round(reference.median_mv, 1), "spread": round(spread, 2)}
    return CheckEvent(check, at, "", values=values)
