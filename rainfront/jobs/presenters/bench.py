"""The bench page: charge line, next step, suspects, routes, log."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from chargepath.case.entries import CheckEvent, MishapEvent, PathEvent, RepairEvent
from chargepath.case.quickline import reportable
from chargepath.case.timeline import repaired_here
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import PROVE
from rainfront.jobs.adapters import device_of, evidence_before_repairs
from rainfront.jobs.extensions import Panel, closing_of, panels_of, shown_of
from rainfront.jobs.models import Entry, Job, Repair, Stage
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.card import NextCard, card_of, equal_text
from rainfront.jobs.presenters.habits import HabitRow, followed_habit, hold_words
from rainfront.jobs.presenters.log import MOST_LINES, LogRow, log_of
from rainfront.jobs.presenters.routes import SHOWN, CheckLink, RouteRow, checks_of, routes_of
from rainfront.jobs.presenters.suspects import Suspect, suspects_of
from rainfront.jobs.presenters.words import graded
from rainfront.web.scenes import charge_line
from rainfront.web.scenes.charge_line import percent

MARKS = ("good", "off", "open", "short")
SHOWN_EQUALS, SHOWN_SUSPECTS, SHOWN_LINES = 3, 4, 3
AFTER = (Stage.PROVE, Stage.HAND_OVER, Stage.CLOSED)


@dataclass(frozen=True)
class Bench:
    """Everything on the job page."""

    job: Job
    scene: charge_line.Scene
    station: str
    station_label: str
    panels: list[Panel]
    next: NextCard
    equals: list[str]
    beside: NextCard | None
    hold: str
    habit: HabitRow | None
    suspects: list[Suspect]
    more_suspects: list[Suspect]
    clean: str
    widened: bool
    routes: list[RouteRow]
    more_routes: list[RouteRow]
    checks: list[tuple[str, list[CheckLink]]]
    log: list[LogRow]
    lately: list[LogRow]
    log_beside: bool
    earlier: list[LogRow]
    older: int
    closing: str
    repair: Repair | None
    repair_label: str
    repair_waits: bool
    proof_waits: bool
    history: list[str]
    reports: list[tuple[str, str]]


def bench_of(basis: Basis, now: datetime, *, lines: int = MOST_LINES) -> Bench:
    """Work everything out; `lines` of the log at most are put into words."""
    job, advice, known = basis.job, basis.advice, basis.known
    repair = next((repair for repair in job.repairs.all() if repair.is_open), None)
    card = card_of(basis, advice.next)
    suspects, part, (routes, more_routes) = suspects_of(basis), log_of(basis, most=lines), routes_of(basis)
    log = part.rows
    equals = [equal_text(basis, option) for option in advice.equals[:SHOWN_EQUALS]]
    log_beside = card.crowded_with(len(equals)) and not repair and job.stage not in AFTER
    # Under four routes there is room for two lines on the first screen.
    lines = SHOWN_LINES - (log_beside and len(routes) >= SHOWN)
    return Bench(
        job=job,
        scene=scene_of(basis),
        station=basis.station,
        station_label=known.stations[basis.station].label if basis.station else "",
        panels=panels_of(job, basis.shop, now),
        next=card,
        equals=equals,
        beside=card_of(basis, advice.beside) if advice.beside else None,
        hold=hold_words(basis),
        habit=followed_habit(basis),
        suspects=suspects[:SHOWN_SUSPECTS],
        more_suspects=suspects[SHOWN_SUSPECTS:],
        clean=percent(basis.belief.clean),
        widened=basis.belief.widened,
        routes=routes,
        more_routes=more_routes,
        checks=checks_of(basis),
        log=log,
        lately=log[:lines],
        earlier=log[lines:],
        older=part.older,
        log_beside=log_beside,
        closing=closing_of(job, basis.shop),
        repair=repair,
        repair_label=known.routes[repair.route].label if repair else "",
        repair_waits=repair is not None and basis.core.forbidden_by("repair", repair.route) is not None,
        proof_waits=basis.core.forbidden_by("repair", PROVE) is not None,
        history=[known.history[flag] for flag in basis.core.case.history],
        reports=[(f"danger {hazard.word}", hazard.report) for hazard in reportable(known)],
    )


def marks_before(job: Job, known: Knowledge) -> dict[str, str]:
    """The worst mark at each station before the first repair of this bench."""
    marks: dict[str, str] = {}
    for row in evidence_before_repairs(job):
        if row.kind == Entry.EntryKind.CHECK:
            _, mark = graded(row, device_of(job), known)
            station = Basis.station_of(known.checks[row.name], row.variant)
            if mark:
                marks[station] = max(marks.get(station, mark), mark, key=MARKS.index)
    return marks


def scene_of(basis: Basis, proved: Mapping[str, str] | None = None) -> charge_line.Scene:
    """The charge line: the belief in the gauges, and at each station the worst mark since the last repair.

    While it is proved, what the proof has shown of each station in place of that.
    """
    marks = dict(proved) if proved is not None else marks_now(basis)
    labels = {station.id: station.label for station in basis.known.stations.values()}
    absent = basis.known.absent_stations(basis.job.carrier)
    return charge_line.draw(labels, basis.belief.stations, marks, basis.station, absent)


def marks_now(basis: Basis) -> dict[str, str]:
    """The worst mark at each station since the last repair; once that charges, what its proofs have shown."""
    marks: dict[str, str] = {}
    known = basis.known
    last: RepairEvent | None = None
    for entry in basis.belief.entries:
        if repaired_here(entry.event):
            marks, last = {}, entry.event
        if isinstance(entry.event, MishapEvent):
            leaves = known.mishaps[entry.event.mishap].leaves
            if leaves:
                station = known.faults[max(leaves, key=lambda name: leaves[name])].station
                marks[station] = max(marks.get(station, "off"), "off", key=MARKS.index)
        if isinstance(entry.event, PathEvent):
            for key, grade in entry.event.shows.items():
                name, _, variant = key.partition("@")
                station, mark = basis.station_of(known.checks[name], variant), known.checks[name].mark_of(grade)
                marks[station] = max(marks.get(station, mark), mark, key=MARKS.index)
        if not isinstance(entry.event, CheckEvent) or entry.state not in ("counts", "joint"):
            continue
        check = basis.known.checks[entry.event.check]
        station = basis.station_of(check, entry.event.variant)
        mark = check.mark_of(entry.grade, entry.event.signs)
        marks[station] = max(marks.get(station, mark), mark, key=MARKS.index)
    if last is not None and last.works:
        marks |= shown_of(basis.job, basis.shop)
    return marks
