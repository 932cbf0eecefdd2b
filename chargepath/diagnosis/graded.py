"""The events of a case after grading: which of them count, and which a later reading or a repair has outdated."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from typing import TypeVar

from chargepath.case.entries import CheckEvent, Event, HazardEvent, MishapEvent, PathEvent, RepairEvent, TryEvent
from chargepath.case.timeline import Timeline, repaired_here
from chargepath.diagnosis.model import Model
from chargepath.electrical.lines import LineVerdict
from chargepath.grading.readings import Grading, grade_event
from chargepath.knowledge import Check, Knowledge

T = TypeVar("T")


@dataclass(frozen=True)
class GradedEvent:
    """One event of a case after grading: its grade, and whether it counts.

    Attributes
    ----------
    event : Event
    state : {'counts', 'replaced', 'void', 'joint'}
        'counts': its likelihood multiplies the mass. 'replaced': a later reading of the same check stands in its place.
        'void': it says nothing on this device or after what was read before. 'joint': it counts as part of the readings
        along the path.
    note : str
        Why the reading got its grade, or why it does not count.
    grade : str
        Grade id of a graded check, else ''.
    implied : tuple of (check, grade)
        Grades of other checks that the same event shows: a device that reports its battery percentage has started.
        For a reported danger, the sign or grade that the report stands for.
    weights : tuple of float
        Likelihood of the reading under each grade, empty where the grade stands as given.
    line : LineVerdict or None
        What a diode reading was found to be.
    given : tuple of float
        Likelihood, for each grade, of an earlier reading on the same path that this check partly repeats. Empty if
        there was no such reading or a repair has made it out of date.

    """

    event: Event
    state: str
    note: str
    grade: str = ""
    implied: tuple[tuple[str, str], ...] = ()
    weights: tuple[float, ...] = ()
    line: LineVerdict | None = None
    given: tuple[float, ...] = ()


def blocked(known: Knowledge, check: Check, grades: Mapping[str, str]) -> str:
    """The reason why a check tells nothing about a device that showed these grades; '' where it tells something.

    Parameters
    ----------
    known : Knowledge
    check : Check
    grades : mapping of str to str
        Grades of this part of the case by evidence key.

    """
    for other, grade in check.void_when:
        if grades.get(other) == grade:
            told = known.checks[other]
            return f"says nothing after '{told.label}: {told.name(grade)}'"
    if check.needs_before:
        seen = {(key.split("@")[0], grade) for key, grade in grades.items()}
        if not seen.intersection(check.needs_before):
            other, grade = check.needs_before[0]
            called_for = known.checks[other]
            return f"says nothing before something calls for it, as '{called_for.label}: {called_for.name(grade)}'"
    return ""


def failing(known: Knowledge, entries: Sequence[GradedEvent]) -> list[list[str]]:
    """For each entry the routes that it shows to have failed.

    One done or tried in vain, one that a reading says so of, and where a device comes back the one that had made it
    charge.
    """
    timeline = Timeline([entry.event for entry in entries])
    found = [_failing(known, entry) for entry in entries]
    for index, route in timeline.came_back_after.items():
        found[index].append(route)
    return found


def _failing(known: Knowledge, entry: GradedEvent) -> list[str]:
    event = entry.event
    if repaired_here(event) or isinstance(event, TryEvent):
        return [event.route] if event.works is False else []
    if isinstance(event, CheckEvent) and entry.state == "counts":
        read = (event.check, entry.grade)
        return [route.id for route in known.routes.values() if read in route.failed_by]
    return []


def changed_by(model: Model, event: RepairEvent | MishapEvent) -> AbstractSet[str]:
    """Faults that a repair of this bench may have taken away, or that its mishap may have brought in."""
    if isinstance(event, MishapEvent):
        return model.known.mishaps[event.mishap].leaves.keys()
    return model.known.routes[event.route].cures_on(model.device.carrier).keys()


def untouched(model: Model, readings: Mapping[str, T], event: RepairEvent | MishapEvent) -> dict[str, T]:
    """Readings that still stand after a repair or a mishap: those that depend on no fault which it may have changed."""
    changed = changed_by(model, event)
    return {key: reading for key, reading in readings.items() if not model.affecting(key) & changed}


def read_events(model: Model, events: tuple[Event, ...]) -> list[GradedEvent]:
    """Grade each event and decide which of them count.

    The last reading of a check stands in place of earlier ones, unless a repair between them could have changed it;
    checks that say nothing beside what stands are void.
    """
    known, entries = model.known, [GradedEvent(event, "counts", "") for event in events]
    standing: dict[str, str] = {}
    shown: dict[str, str] = {}
    lately: dict[str, str] = {}
    last: dict[str, int] = {}
    for segment in Timeline(events).segments:
        part = segment.indices
        graded: dict[int, Grading] = {}
        standing.update(_along_path(events, part))
        lately.update(_along_path(events, part))
        for index in part:
            event = events[index]
            if isinstance(event, CheckEvent):
                check = known.checks[event.check]
                graded[index] = Grading("", "") if check.is_look else grade_event(known, model.device, event)
                key = check.key(event.variant)
                if key in last:
                    entries[last[key]] = replace(
                        entries[last[key]], state="replaced", note="replaced by a later reading"
                    )
                last[key], standing[key] = index, graded[index].grade or "seen"
                lately[key] = standing[key]
        together = _along_path(events, part)
        for index, grading in graded.items():
            event = events[index]
            assert isinstance(event, CheckEvent)
            check = known.checks[event.check]
            why = blocked(known, check, lately)
            if last[check.key(event.variant)] != index:
                entries[index] = GradedEvent(event, "replaced", "replaced by a later reading", grading.grade)
            elif check.key(event.variant) in together:
                entries[index] = GradedEvent(event, "joint", "counted with the readings along the path", grading.grade)
            elif why or not model.offers(check):
                entries[index] = GradedEvent(event, "void", why or "makes no sense on this device", grading.grade)
            else:
                implied = _implied(check, event, {**standing, **shown})
                shown.update(implied)
                entries[index] = GradedEvent(
                    event=event,
                    state="counts",
                    note=grading.reason,
                    grade=grading.grade,
                    implied=implied,
                    weights=grading.weights,
                    line=grading.line,
                )
        for index in part:
            event = events[index]
            if isinstance(event, HazardEvent) and not event.overruled:
                shows = known.hazards[event.hazard].shows
                if shows and shows[0] not in standing:
                    entries[index] = replace(entries[index], implied=((shows[0], shows[1]),))
        for index in part:
            entries[index] = _with_given(known, entries, index, last)
        if segment.ended_by is not None:
            changed = segment.ended_by
            standing, last = untouched(model, standing, changed), untouched(model, last, changed)
            shown = untouched(model, shown, changed)
            # What a failed repair has not altered visibly still decides what can be asked at all.
            failed = isinstance(changed, RepairEvent) and changed.works is False
            lately = lately if failed else untouched(model, lately, changed)
    return entries


def _along_path(events: Sequence[Event], part: Sequence[int]) -> dict[str, str]:
    """Checks that the readings along the path stand for in one segment of a case, each with its grade."""
    shown: dict[str, str] = {}
    for index in part:
        event = events[index]
        if isinstance(event, PathEvent):
            shown.update(event.shows)
    return shown


def _with_given(known: Knowledge, entries: Sequence[GradedEvent], index: int, last: Mapping[str, int]) -> GradedEvent:
    """An event with the likelihoods of the reading on the same path that it partly repeats, where both count."""
    entry = entries[index]
    if not isinstance(entry.event, CheckEvent) or entry.state != "counts":
        return entry
    check = known.checks[entry.event.check]
    if check.given is None or check.key(entry.event.variant) != check.id or check.given.key not in last:
        return entry
    other = entries[last[check.given.key]]
    return entry if other.state != "counts" else replace(entry, given=weights_of(known, other))


def weights_of(known: Knowledge, entry: GradedEvent) -> tuple[float, ...]:
    """Likelihood of a graded reading under each grade: as computed, or 1 for the grade that a person stated."""
    assert isinstance(entry.event, CheckEvent)
    grades = known.checks[entry.event.check].grades
    return entry.weights or tuple(float(grade == entry.grade) for grade in grades)


def _implied(check: Check, event: CheckEvent, standing: Mapping[str, str]) -> tuple[tuple[str, str], ...]:
    """Grades of other checks that the values show, without checks whose grade is known already."""
    return tuple(
        (row.check, row.grade)
        for row in check.implies
        if row.check not in standing and row.least <= event.values.get(row.value, -1.0) < row.below
    )
