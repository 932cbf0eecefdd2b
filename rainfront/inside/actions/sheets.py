"""Probe sheets: starting, reading, entering what they say, keeping good boards."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.shortcuts import get_object_or_404

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import OVERRANGE, parse_diode, parse_quantity, show
from chargepath.case.entries import CheckEvent
from chargepath.electrical.lines import recovered
from chargepath.electrical.references import usual
from chargepath.grading.sheet import events_of
from chargepath.knowledge import Knowledge
from rainfront.inside import adapters
from rainfront.inside.actions.path import keep_path
from rainfront.inside.adapters import Judged
from rainfront.inside.models import Point, Sheet
from rainfront.inside.probed import Probed, path_sheets
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.reference.actions import keep_readings, keep_values
from rainfront.reference.adapters import find_map, style_of
from rainfront.web.verdicts import sheet_words
from rainfront.workshop.adapters import Shop

MAX_POINTS = 1000
VOLTS_MAX = 30.0


def start_sheet(
    job: Job | int, details: dict[str, Any], *, user: User, now: datetime, shop: Shop | None = None
) -> Sheet:
    """Begin a probe sheet.

    Raises
    ------
    ReadingError, DangerError, JobError
        Unknown pin map or place; a danger forbids the charger that volts need; the job is closed.

    """
    with open_job(job, user, now, shop) as log:
        known = log.shop.known
        if find_map(details["map_id"], known) is None:
            raise ReadingError(f"'{details['map_id']}' is nothing to probe", "probe", "choose from the list")
        if details["place"] not in known.places:
            raise ReadingError(f"'{details['place']}' is no place", "at", f"one of {', '.join(known.places)}")
        if details.get("mode") == Sheet.Mode.VOLTS:
            log.refuse_current("charger")
        return Sheet.objects.create(job=log.job, by=user, at=now, **details)


def parse_value(sheet: Sheet, text: str) -> float:
    """What was typed, in the sheet's unit: millivolts or ohms (``inf`` for overrange), or volts.

    Raises
    ------
    AmbiguousReadingError, ReadingError
        It can be read in two ways, or it cannot be.

    """
    if sheet.mode == Sheet.Mode.DIODE:
        return parse_diode(text, style_of(sheet.meter))
    if sheet.mode == Sheet.Mode.OHMS:
        ohms = math.inf if OVERRANGE.fullmatch(text.strip()) else parse_quantity(text, "ohm", "ohms")
        if not ohms >= 0:
            raise ReadingError(f"{ohms:g} ohm is not possible", "ohms", "0 or more, or OL")
        return ohms
    volts = parse_quantity(text, "V", "volts")
    if not -1 <= volts <= VOLTS_MAX:
        raise ReadingError(f"{volts:g} V is not possible here", "volts", f"allowed: -1 to {VOLTS_MAX:g} V")
    return volts


@dataclass(frozen=True, kw_only=True)
class Stored:
    """A reading that was stored, its sheet judged with it, and what the whole path says then.

    `probed` is None where the sheet is none of the job's path: a good board, a lift, volts, or from before a repair.
    """

    point: Point
    judged: Judged
    probed: Probed | None


def store_point(
    sheet: Sheet,
    pin: str,
    value: float,
    *,
    source: str = "",
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Stored:
    """Store one pin's reading [mV, V or ohm]; an earlier one of the pin is kept, replaced.

    `source` is the instrument that gave it, '' where it was typed.

    Raises
    ------
    ReadingError, JobError
        The sheet has no such pin, or the job is closed.

    """
    with open_job(sheet.job_id, user, now, shop) as log:
        return _store(log, sheet.pk, pin, lambda _: value, source=source)


def type_point(
    job: int, pk: int, pin: str, text: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Stored:
    """Store what was typed for one pin of a sheet, read as that sheet's meter shows things.

    Raises
    ------
    AmbiguousReadingError, ReadingError, JobError, Http404
        It cannot be read, the sheet has no such pin, the job is closed, or there is no such sheet.

    """
    with open_job(job, user, now, shop) as log:
        return _store(log, pk, pin, lambda sheet: parse_value(sheet, text))


def _store(log: Log, pk: int, pin: str, value_of: Callable[[Sheet], float], *, source: str = "") -> Stored:
    """Store a reading; everything that is judged with it is fetched once, inside the transaction."""
    known = log.shop.known
    log.fetch()
    sheets = path_sheets(log.job)
    sheet = next((row for row in sheets if row.pk == pk), None)
    on_path = sheet is not None
    if sheet is None:
        sheet = get_object_or_404(Sheet.objects.whole(), pk=pk, job_id=log.job.pk)
    value, pins = value_of(sheet), find_map(sheet.map_id, known)
    if pins is None or pin not in pins.pin:
        raise ReadingError(f"there is no pin '{pin}'", "pin", "choose one from the drawing")
    if len(sheet.points.all()) >= MAX_POINTS:
        raise ReadingError(f"the sheet holds {MAX_POINTS} readings", "sheet", "start another one")
    if pin in adapters.standing_points(sheet):
        Point.objects.filter(sheet=sheet, pin=pin, replaced_at__isnull=True).update(replaced_at=log.now)
    point = Point.objects.create(
        sheet=sheet,
        pin=pin,
        value=None if math.isinf(value) else value,
        live=bool(source),
        source=source,
        by=log.person,
        at=log.now,
    )
    if not on_path:
        return Stored(point=point, judged=adapters.judge(sheet, known, point), probed=None)
    probed = keep_path(log, sheets, point)
    return Stored(point=point, judged=probed.judged[sheet.pk], probed=probed)


def enter_sheet(sheet: Sheet, *, user: User, now: datetime, shop: Shop | None = None) -> list[Entry]:
    """Enter a sheet's checks on the job: each check by its worst line, or what a lift says.

    Raises
    ------
    ReadingError, JobError
        The sheet says nothing that is a check.

    """
    if sheet.good:
        raise ReadingError("this sheet is of a known-good board", "sheet", "keep it as a reference instead")
    with open_job(sheet.job_id, user, now, shop) as log:
        events = _events_of(sheet, log.shop.known)
        if not events:
            raise ReadingError(
                "nothing on this sheet is a check of its own",
                "sheet",
                "its readings still count for where the fault lies",
            )
        made = [log.add(event, text) for event, text in events]
        sheet.entries.add(*made)
        _mark_entered(sheet, log)
    return made


def _events_of(sheet: Sheet, known: Knowledge) -> list[tuple[CheckEvent, str]]:
    """The checks that a sheet stands for, each with its words."""
    if sheet.lifted:
        return [_lift_event(sheet, known)]
    access = known.places[sheet.place].access
    if sheet.mode == Sheet.Mode.VOLTS:
        return [(replace(event, access=access), text) for event, text in _volts_events(sheet, known)]
    judged = adapters.judge(sheet, known)
    found = events_of(judged.pins, sheet.place, judged.verdicts)
    return [(replace(row.event, access=access), sheet_words(judged.pins, row)) for row in found]


def _mark_entered(sheet: Sheet, log: Log) -> None:
    sheet.entered_at = log.now
    sheet.save(update_fields=["entered_at"])


def _volts_events(sheet: Sheet, known: Knowledge) -> list[tuple[CheckEvent, str]]:
    """Volts on the power contacts as the check of the input at the port."""
    pins = find_map(sheet.map_id, known)
    if pins is None or sheet.place not in ("contact", "pads"):
        return []
    found = adapters.standing_points(sheet)
    power = [adapters.reading_of(point) for pin, point in found.items() if pins.net(pin).group == "power"]
    if not power:
        return []
    volts = max(min(power), 0.0)
    return [(CheckEvent("input_volts_port", values={"volts": volts}), f"lowest of {len(power)} power contacts")]


def start_lift(sheet: Sheet, chip: str, *, user: User, now: datetime, shop: Shop | None = None) -> Sheet:
    """Begin the second sheet after a chip was lifted: the lines that were off are asked for again.

    Raises
    ------
    ReadingError
        No line of the sheet was low, so none could recover.

    """
    if chip not in Sheet.Chip.values:
        raise ReadingError(f"'{chip}' is no chip to lift", "chip", f"one of {', '.join(Sheet.Chip.values)}")
    with open_job(sheet.job_id, user, now, shop) as log:
        judged = adapters.judge(sheet, log.shop.known)
        low = [pin for pin, found in judged.verdicts.items() if found.verdict.grade in ("low", "short")]
        if not low:
            raise ReadingError(
                "no line on this sheet reads low", "sheet", "a lift only tells something about a low or shorted line"
            )
        made = Sheet.objects.create(
            job=log.job,
            map_id=sheet.map_id,
            place=sheet.place,
            mode=sheet.mode,
            revision=sheet.revision,
            meter=sheet.meter,
            before=sheet,
            lifted=chip,
            pins=low,
            by=user,
            at=now,
        )
        again = ", ".join(judged.pins.named(pin) for pin in low)
        log.event(f"{Sheet.Chip(chip).label} lifted: {again} to be read again", "lift")
    return made


def lift_rows(judged: Judged) -> list[tuple[str, float, float, bool]]:
    """Lines before and after a lift: pin, before [mV], after [mV], whether it recovered.

    Lines not read again left out.
    """
    assert judged.sheet.before is not None
    first = adapters.readings_of(judged.sheet.before)
    rows = []
    for pin, seen in judged.readings.items():
        if pin in first:
            reference = judged.references.by_pin.get(pin) or usual(judged.pins.net(pin).usual_mv)
            rows.append((pin, first[pin].mv, seen.mv, recovered(first[pin].mv, seen.mv, reference)))
    return rows


def _lift_event(sheet: Sheet, known: Knowledge) -> tuple[CheckEvent, str]:
    rows = lift_rows(adapters.judge(sheet, known))
    if not rows:
        raise ReadingError("no line was read again", "sheet", "read at least one line that was low before")
    pins, good = find_map(sheet.map_id, known), sum(back for *_, back in rows)
    text = "; ".join(
        f"{pins.named(pin) if pins else pin} {show(before, 'mV')} to {show(after, 'mV')}"
        for pin, before, after, _ in rows
    )
    event = CheckEvent(f"lift_{sheet.lifted}", grade="recovers" if good * 2 > len(rows) else "still_low")
    return event, f"{good} of {len(rows)} recover: {text}"


def keep_good(sheet: Sheet, *, user: User, now: datetime, shop: Shop | None = None) -> int:
    """Keep a sheet's readings as known good for the job's model; a closed job's too.

    Raises
    ------
    ReadingError
        Nothing was read, no meter is named, or a chip has been lifted.

    """
    if sheet.lifted:
        raise ReadingError("only a whole board is a reference", "sheet", "read a good board")
    rows = [(pin, adapters.reading_of(point)) for pin, point in adapters.standing_points(sheet).items()]
    with open_job(sheet.job_id, user, now, shop, closed_too=True, right=Right.TEACH) as log:
        details = {
            "model_name": log.job.model_name,
            "revision": sheet.revision,
            "map_id": sheet.map_id,
            "place": sheet.place,
            "meter": sheet.meter,
        }
        taken = sheet.at.date()
        if sheet.mode == Sheet.Mode.DIODE:
            kept = keep_readings(details, rows, user=user, now=now, taken=taken)
        else:
            kept = keep_values(details, sheet.unit, rows, user=user, now=now, taken=taken)
        text = f"{kept} readings kept as known good for {log.job.model_name} {sheet.revision}".strip()
        log.event(text, "reference")
        _mark_entered(sheet, log)
    return kept
