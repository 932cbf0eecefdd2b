"""What a number is held against, drawn: the zones of a check that is graded by one number, and what was read."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

from chargepath.base.quantities import show
from chargepath.case.entries import CheckEvent
from chargepath.grading.readings import steps_of
from chargepath.knowledge import Check, Knowledge
from rainfront.jobs.adapters import device_of, event_of, evidence_of
from rainfront.jobs.models import Job
from rainfront.web.scenes import scale
from rainfront.web.scenes.scale import Reading, Zone

SHOWN = 3
# Ends of the scales: a cell [V], a supply's current [A], volts as a share of what the source gives.
CELL_V, IDLE_A, SHARE = (1.0, 4.6), (0.0005, 3.0), (0.0, 1.1)


def check_scale(
    job: Job, check: Check, known: Knowledge, idle: tuple[float, float] | None = None
) -> scale.Scene | None:
    """The scale of a check with the newest readings of the job on it; None for one that has no such scale.

    `idle`: currents [A] from which a board leaks and draws heavily, where the model has its own.
    """
    limits = check.reading
    if check.graded_by == "cell":
        deep = max((row.below or 0.0 for row in known.hazards["cell_deep"].raised), default=0.0)
        cells = device_of(job).series
        deep, low, healthy = (cells * volts for volts in (deep, limits["low_from_v"], limits["healthy_from_v"]))
        zones = [
            Zone(f"under {deep:g} V: replace", cells * CELL_V[0], deep, "short"),
            Zone(f"flat to {low:g} V", deep, low, "off"),
            Zone(f"low to {healthy:g} V", low, healthy, "none"),
            Zone("healthy", healthy, cells * CELL_V[1], "good"),
        ]
        return _drawn(job, check, "volts", "V", [zone for zone in zones if zone.start < zone.stop])
    if check.tool == "supply" and check.graded_by == "steps":
        leaks, heavy = idle or (limits["leaks_from_a"], limits["heavy_from_a"])
        zones = [
            Zone("no leakage", IDLE_A[0], leaks, "good"),
            Zone(f"leakage from {show(leaks, 'A')}", leaks, heavy, "off"),
            Zone(f"heavy from {show(heavy, 'A')}", heavy, IDLE_A[1], "short"),
        ]
        return _drawn(job, check, "amps", "A", zones, logarithmic=True)
    if check.graded_by == "steps":
        return _by_steps(job, check)
    if check.graded_by == "volts":
        nominal = known.connectors[job.connector].source_volts
        absent, present = limits["absent_share"] * nominal, limits["present_share"] * nominal
        zones = [
            Zone("absent", SHARE[0], absent, "open"),
            Zone(f"sagging from {absent:.2g} V", absent, present, "off"),
            Zone(f"present from {present:.2g} V", present, SHARE[1] * nominal, "good"),
        ]
        return _drawn(job, check, "volts", "V", zones)
    return None


def _by_steps(job: Job, check: Check) -> scale.Scene:
    """The zones of a check that is graded by one number and the limits of its grades."""
    name, value = next(iter(check.values.items()))
    limits = sorted((limit, side, grade) for grade, side, limit in steps_of(check))
    edges = [value.min, *(limit for limit, _, _ in limits), value.max]
    zones = []
    for start, stop in pairwise(edges):
        crossed = [row for row in limits if (stop <= row[0] if row[1] == "below" else start >= row[0])]
        grade = crossed[0][2] if crossed else check.grades[0]
        zones.append(Zone(check.name(grade), start, stop, check.mark_of(grade)))
    ohms = value.unit == "ohm"
    if ohms:
        zones[0] = replace(zones[0], start=zones[0].stop / 100)
    return _drawn(job, check, name, value.unit, zones, logarithmic=ohms)


def _drawn(
    job: Job, check: Check, value: str, unit: str, zones: list[Zone], *, logarithmic: bool = False
) -> scale.Scene:
    events = [event_of(row) for row in evidence_of(job) if row.name == check.id]
    read = [event.values[value] for event in events if isinstance(event, CheckEvent) and value in event.values]
    readings = []
    for at in read[-SHOWN:]:
        zone = next((zone for zone in zones if at < zone.stop), zones[-1])
        readings.append(Reading(at, show(at, unit), zone.kind))
    said = ", ".join(reading.shown for reading in readings) or "nothing read yet"
    meant = "; ".join(zone.label for zone in zones)
    return scale.draw(f"{check.label}: {said}. {meant}", zones, readings, logarithmic=logarithmic)
