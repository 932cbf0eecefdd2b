"""The only place that turns a job's rows into the core's dataclasses and back."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from itertools import takewhile
from typing import Any

from chargepath.base.quantities import METERS, MeterStyle
from chargepath.case.entries import (
    Case,
    CheckEvent,
    Device,
    Event,
    HazardEvent,
    MishapEvent,
    Outcome,
    PathEvent,
    RepairEvent,
    TryEvent,
)
from chargepath.case.quickline import OTHER
from chargepath.case.timeline import Timeline
from chargepath.knowledge import Knowledge
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User

# What the grade of a danger says that the lead lets pass.
OVERRULED = "overruled"


def device_of(job: Job) -> Device:
    """The device of a job."""
    traits = tuple(sorted(job.traits))
    return Device(
        kind=job.kind,
        connector=job.connector,
        carrier=job.carrier,
        wireless=job.wireless,
        value=float(job.value),
        traits=traits,
        known_good_a=job.known_good_a,
    )


def meter_of(user: User) -> MeterStyle:
    """How the user's meter shows things."""
    return METERS.get(user.meter, METERS["any"])


def limit_of(job: Job) -> float | None:
    """The customer's limit for the core's arithmetic."""
    return float(job.limit) if job.limit is not None else None


def event_of(entry: Entry) -> Event:
    """An evidence entry as the core's event."""
    if entry.kind == Entry.EntryKind.TRY:
        return TryEvent(entry.name, bool(entry.works))
    if entry.kind == Entry.EntryKind.REPAIR:
        return RepairEvent(entry.name, entry.works, bool(entry.values.get("proved")), entry.variant == OTHER)
    if entry.kind == Entry.EntryKind.PATH:
        return PathEvent(entry.values.get("scores", {}), entry.values.get("shows", {}), entry.access)
    if entry.kind == Entry.EntryKind.HAZARD:
        return HazardEvent(entry.name, entry.grade == OVERRULED, entry.text if entry.grade == OVERRULED else "")
    if entry.kind == Entry.EntryKind.MISHAP:
        return MishapEvent(entry.name, entry.text)
    values = {name: math.inf if value == "OL" else float(value) for name, value in entry.values.items()}
    return CheckEvent(entry.name, entry.variant, entry.grade, tuple(entry.signs), values, access=entry.access)


def fields_of(event: Event) -> dict[str, Any]:
    """Field values of an entry for the core's event."""
    if isinstance(event, TryEvent):
        return {"kind": Entry.EntryKind.TRY, "name": event.route, "works": event.works}
    if isinstance(event, RepairEvent):
        return {
            "kind": Entry.EntryKind.REPAIR,
            "name": event.route,
            "works": event.works,
            "variant": OTHER if event.other else "",
            "values": {"proved": True} if event.proved else {},
        }
    if isinstance(event, PathEvent):
        values: dict[str, Any] = {"scores": dict(event.scores), "shows": dict(event.shows)}
        return {"kind": Entry.EntryKind.PATH, "name": "path", "values": values, "access": event.access}
    if isinstance(event, HazardEvent):
        state = {"grade": OVERRULED, "text": event.why} if event.overruled else {"grade": "seen"}
        return {"kind": Entry.EntryKind.HAZARD, "name": event.hazard, **state}
    if isinstance(event, MishapEvent):
        return {"kind": Entry.EntryKind.MISHAP, "name": event.mishap, "text": event.words}
    values = {name: "OL" if math.isinf(value) else value for name, value in event.values.items()}
    return {
        "kind": Entry.EntryKind.CHECK,
        "name": event.check,
        "variant": event.variant,
        "grade": event.grade,
        "signs": list(event.signs),
        "values": values,
        "access": event.access,
    }


def evidence_of(job: Job) -> list[Entry]:
    """What the belief reads, in order, out of the job's log; one query where that was not fetched yet."""
    return [entry for entry in job.log if entry.is_evidence and entry.struck_at is None]


def own_repairs(job: Job) -> list[Entry]:
    """What this bench has repaired and proved, in order, out of the job's log."""
    return [row for row in evidence_of(job) if row.is_own_repair]


def evidence_before_repairs(job: Job) -> list[Entry]:
    """What was read and told before this bench repaired or broke anything, in order, out of the job's log."""
    return list(takewhile(lambda row: not row.changes_device, evidence_of(job)))


def case_of(job: Job, known: Knowledge, evidence: Iterable[Entry] | None = None) -> Case:
    """A job as the core's case."""
    rows = evidence_of(job) if evidence is None else evidence
    events = tuple(event_of(entry) for entry in rows)
    outcome = None
    if job.is_closed and job.outcome_works is not None:
        done = tuple(dict.fromkeys(event.route for event in Timeline(events).repairs))
        outcome = Outcome(tuple(job.outcome_faults), done, job.outcome_works)
    history = tuple(flag for flag in known.history if flag in job.history)
    earlier = tuple(map(event_of, evidence_of(job.came_from))) if job.same_trouble and job.came_from else ()
    return Case(device_of(job), history, events, outcome, earlier=earlier, wet_hours=job.wet_hours)


def file_of(job: Job, known: Knowledge) -> Case:
    """A job as a case file holds it: its case, with what people want to read beside it."""
    return replace(
        case_of(job, known), model=job.model_name, complaint=job.complaint, limit=limit_of(job), id=str(job.case_id)
    )
