"""Rows into the core's sheets, ladders and locations, and back."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from chargepath.electrical.ladder import HopVerdict, judge_ladder
from chargepath.electrical.sense import (
    TYPE_2,
    SenseVerdict,
    fit_steinhart,
    judge_clock,
    judge_level,
    judge_thermistor,
)
from chargepath.grading.sheet import PinReading, PinVerdict, judge_sheet
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import PinMap
from rainfront.inside.models import Ladder, Point, Sheet
from rainfront.reference.adapters import References, find_map, references_for, test_current

SAME_MV, SAME_SHARE = 6.0, 0.02


def standing_points(sheet: Sheet) -> dict[str, Point]:
    """The reading of each pin that stands, from the prefetched points."""
    return {point.pin: point for point in sheet.points.all() if point.replaced_at is None}


def reading_of(point: Point) -> float:
    """A point's value; ``inf`` for overrange."""
    return math.inf if point.value is None else point.value


def readings_of(sheet: Sheet, just_stored: Point | None = None) -> dict[str, PinReading]:
    """Every pin as it stands, with how often it was read alike.

    `just_stored` was stored after the sheet's points were fetched; it replaces the reading of its pin that stood then.
    """
    standing = standing_points(sheet)
    earlier: dict[str, list[float]] = {}
    for point in sheet.points.all():
        replaced = just_stored is not None and point.pin == just_stored.pin
        if point.replaced_at is not None or replaced:
            earlier.setdefault(point.pin, []).append(reading_of(point))
    if just_stored is not None:
        standing[just_stored.pin] = just_stored
    out: dict[str, PinReading] = {}
    for pin, point in standing.items():
        mv = reading_of(point)
        alike = sum(_alike(mv, other) for other in earlier.get(pin, ()))
        out[pin] = PinReading(mv, min(1 + alike, 3))
    return out


def _alike(first: float, second: float) -> bool:
    if math.isinf(first) or math.isinf(second):
        return math.isinf(first) and math.isinf(second)
    return abs(first - second) <= max(SAME_MV, SAME_SHARE * second)


@dataclass(frozen=True)
class Judged:
    """A sheet with its map, references and verdicts."""

    sheet: Sheet
    pins: PinMap
    references: References
    readings: dict[str, PinReading]
    verdicts: dict[str, PinVerdict]
    known: Knowledge

    @cached_property
    def asked(self) -> tuple[str, ...]:
        """The pins this sheet asks for, in order."""
        return tuple(pin for pin in self.pins.walk() if not self.sheet.pins or pin in self.sheet.pins)

    def next_pin(self, after: str = "") -> str:
        """The next pin without a reading, from `after` on and round; '' when all are read."""
        asked = list(self.asked)
        start = asked.index(after) + 1 if after in asked else 0
        order = asked[start:] + asked[:start]
        return next((pin for pin in order if pin not in self.readings), "")


def judge(sheet: Sheet, known: Knowledge, just_stored: Point | None = None) -> Judged:
    """Judge a sheet fetched with its points; one query for its references, none for volts.

    `just_stored` is a reading that was stored after the points were fetched.
    """
    pins = find_map(sheet.map_id, known)
    if pins is None:
        pins = known.connectors[sheet.job.connector].map
    readings = readings_of(sheet, just_stored)
    if sheet.mode != Sheet.Mode.DIODE:
        return Judged(
            sheet=sheet,
            pins=pins,
            references=References({}, None, None, 0, ()),
            readings=readings,
            verdicts={},
            known=known,
        )
    references = references_for(sheet.job.model_name, sheet.revision, sheet.map_id, sheet.place, sheet.meter)
    verdicts = judge_sheet(
        pins,
        {pin: seen for pin, seen in readings.items() if pin in pins.pin},
        references.by_pin,
        test_current(sheet.meter),
    )
    return Judged(sheet=sheet, pins=pins, references=references, readings=readings, verdicts=verdicts, known=known)


def judge_sense(known: Knowledge, data: Mapping[str, Any]) -> list[SenseVerdict]:
    """Judge the battery connector's small lines, as far as they were measured (fields of `SenseForm`).

    Raises
    ------
    ReadingError
        A value or a curve that cannot be.

    """
    found = []
    if data.get("ntc_ohms") is not None:
        curve = dict(data.get("curve", {}))
        if curve.pop("type_2", False):
            curve["coefficients"] = TYPE_2
        if "points" in curve:
            curve["coefficients"] = fit_steinhart(curve.pop("points"))
        found.append(judge_thermistor(known, data["ntc_ohms"], data["room_c"], **curve))
    for name in ("data", "clock"):
        volts = data.get(f"{name}_volts")
        if volts is not None:
            found.append(replace(judge_level(known, volts, data["rail_volts"]), line=name))
    if data.get("clock_before") is not None:
        found.append(judge_clock(data["clock_before"], data["clock_behind"]))
    return found


def hops_of(ladder: Ladder, known: Knowledge) -> list[HopVerdict]:
    """A ladder's hops, judged."""
    return judge_ladder(known, ladder.volts, ladder.amps, connector=ladder.job.connector)
