"""Rows into the core's sheets, ladders and locations, and back."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from chargepath.case.entries import CheckEvent, PathEvent
from chargepath.electrical.ladder import HopVerdict, judge_ladder
from chargepath.electrical.sense import (
    TYPE_2,
    SenseVerdict,
    fit_steinhart,
    judge_clock,
    judge_level,
    judge_thermistor,
)
from chargepath.grading.locate import Location, Observation, ladder_weights, locate, scores_of
from chargepath.grading.readings import grade_event
from chargepath.grading.sheet import PinReading, PinVerdict, events_of, judge_sheet, observations_of
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import PinMap
from rainfront.inside.models import Ladder, Point, Sheet
from rainfront.jobs.adapters import device_of
from rainfront.jobs.models import Entry, Job
from rainfront.reference.adapters import References, find_map, references_for, test_current
from rainfront.web.words import counted

SAME_MV, SAME_SHARE = 6.0, 0.02
# Which rung of the ladder is which check.
RUNG_CHECKS = {"carrier": "input_volts_port", "charge_ic": "input_volts_board", "cell": "battery_volts"}


def standing_points(sheet: Sheet) -> dict[str, Point]:
    """The reading of each pin that stands, from the prefetched points."""
    return {point.pin: point for point in sheet.points.all() if point.replaced_at is None}


def reading_of(point: Point) -> float:
    """A point's value; ``inf`` for overrange."""
    return math.inf if point.value is None else point.value


def readings_of(sheet: Sheet) -> dict[str, PinReading]:
    """Every pin as it stands, with how often it was read alike."""
    out: dict[str, PinReading] = {}
    earlier: dict[str, list[float]] = {}
    for point in sheet.points.all():
        if point.replaced_at is not None:
            earlier.setdefault(point.pin, []).append(reading_of(point))
    for pin, point in standing_points(sheet).items():
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


def judge(sheet: Sheet, known: Knowledge) -> Judged:
    """Judge a sheet fetched with its points; one query for its references, none for volts."""
    pins = find_map(sheet.map_id, known)
    if pins is None:
        pins = known.connectors[sheet.job.connector].map
    readings = readings_of(sheet)
    if sheet.mode != Sheet.Mode.DIODE:
        return Judged(sheet, pins, References({}, None, None, 0, ()), readings, {}, known)
    references = references_for(sheet.job.model_name, sheet.revision, sheet.map_id, sheet.place, sheet.meter)
    verdicts = judge_sheet(
        pins,
        {pin: seen for pin, seen in readings.items() if pin in pins.pin},
        references.by_pin,
        test_current(sheet.meter),
    )
    return Judged(sheet, pins, references, readings, verdicts, known)


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


def last_repair(job: Job) -> Entry | None:
    """The newest repair of this bench in the log."""
    return Entry.objects.own_repairs().filter(job=job).last()


def observations_for(sheets: Iterable[Sheet], ladder: Ladder | None, known: Knowledge) -> list[Observation]:
    """Evidence of the newest sheet of each map and place, and of a ladder."""
    seen: list[Observation] = []
    done: set[tuple[str, str]] = set()
    for sheet in sheets:
        key = (sheet.map_id, sheet.place)
        if key in done or not standing_points(sheet):
            continue
        judged = judge(sheet, known)
        if judged.verdicts:
            done.add(key)
            seen += observations_of(judged.pins, sheet.place, judged.verdicts)
    if ladder is not None:
        seen += ladder_weights(known, ladder.volts)
    return seen


def path_event(job: Job, known: Knowledge) -> tuple[PathEvent, str] | None:
    """Sheets and ladder since the last repair as one observation, and in a few words; None where nothing was probed."""
    repair = last_repair(job)
    since = repair.at if repair else None
    ladder = Ladder.objects.evidence(job.pk, since).first()
    sheets = list(Sheet.objects.evidence(job.pk, since))
    seen = observations_for(sheets, ladder, known)
    if not seen:
        return None
    shows: dict[str, str] = {}
    for sheet in reversed(sheets):
        judged = judge(sheet, known)
        for found in events_of(judged.pins, sheet.place, judged.verdicts):
            event = found.event
            grade = grade_event(known, device_of(job), event).grade
            shows[known.checks[event.check].key(event.variant)] = grade
    if ladder is not None:
        for rung, check in RUNG_CHECKS.items():
            if rung in ladder.volts and rung != "cell":
                event = CheckEvent(check, values={"volts": ladder.volts[rung]})
                shows[check] = grade_event(known, device_of(job), event).grade
    lines = sum(not row.key.startswith("volts") for row in seen)
    parts = [counted(lines, "line")] if lines else []
    parts += ["a ladder"] if ladder is not None else []
    return PathEvent(scores_of(known, seen), shows), " and ".join(parts)


def locate_fault(job: Job, known: Knowledge) -> Location | None:
    """Where the sheets and the ladder since the last repair point to; None where nothing was probed."""
    repair = last_repair(job)
    since = repair.at if repair else None
    ladder = Ladder.objects.evidence(job.pk, since).first()
    seen = observations_for(Sheet.objects.evidence(job.pk, since), ladder, known)
    return locate(known, seen) if seen else None


def hops_of(ladder: Ladder, known: Knowledge) -> list[HopVerdict]:
    """A ladder's hops, judged."""
    return judge_ladder(known, ladder.volts, ladder.amps, connector=ladder.job.connector)
