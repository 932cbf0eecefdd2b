"""The list of the day: every open job in the order in which to pick them up."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from chargepath.decision.queue import NOW, TAKEN, WAITS, WORK, Lot, Wait, group_of, pick_order
from rainfront.day.standing import in_hand
from rainfront.jobs.extensions import waits_of
from rainfront.jobs.layers import LayersDrawing, drawn
from rainfront.jobs.models import Job, Stage
from rainfront.people.models import User
from rainfront.stock.adapters import best_of
from rainfront.stock.models import Item
from rainfront.web.scenes.small_line import SmallLine, draw_small
from rainfront.workshop.adapters import Shop

WAIT_LABELS: Mapping[str, str] = {
    "timer": "timer",
    "cure": "cure",
    "charge": "on charge",
    "part": "part",
    "customer": "customer",
    "fetch": "to be collected",
}
GROUP_LABELS = {NOW: "At once", WORK: "To be worked at", TAKEN: "Somebody has it in hand", WAITS: "Waits"}
# Where the work of a stage is done.
PAGES = {Stage.DECIDE: "decide/", Stage.REPAIR: "repair/", Stage.PROVE: "prove/"}


@dataclass(frozen=True)
class DayRow:
    """One open job of the list."""

    job: Job
    lot: Lot[int]
    group: int
    line: SmallLine
    layers: LayersDrawing | None
    words: str
    minutes: str
    href: str
    wait: str
    wait_since: datetime | None
    wait_left: str
    wait_over: bool
    late: bool
    who: str
    since_held: datetime | None

    @property
    def group_label(self) -> str:
        """The part of the list it stands in."""
        return GROUP_LABELS[self.group]


@dataclass(frozen=True)
class Filter:
    """One choice of a filter, with how many jobs it leaves."""

    value: str
    label: str
    count: int
    on: bool


@dataclass(frozen=True)
class Day:
    """Everything on the page."""

    rows: Sequence[DayRow]
    stages: Sequence[Filter]
    people: Sequence[Filter]
    waits: Sequence[Filter]
    whole: int


def lasting(minutes: float) -> str:
    """A time that has passed or is left, in the unit a person would say."""
    if minutes < 90:
        return f"{max(math.ceil(minutes), 0)} min"
    return f"{minutes / 60:.0f} h" if minutes < 36 * 60 else f"{minutes / 1440:.0f} days"


def day_rows(jobs: Sequence[Job], items: Sequence[Item], person: User, shop: Shop, now: datetime) -> list[DayRow]:
    """Every job, the one to pick up now first."""
    by_pk = {job.pk: job for job in jobs}
    waits = {job.pk: _wait(job, items, shop, now) for job in jobs}
    lots = [_lot(job, waits[job.pk], person) for job in jobs]
    return [_row(by_pk[lot.name], lot, shop, now) for lot in pick_order(lots, now)]


def _wait(job: Job, items: Sequence[Item], shop: Shop, now: datetime) -> Wait | None:
    """What a job waits for, what ends by itself before what depends on somebody."""
    found: Any = job
    if found.timer_due_at:
        return Wait("cure" if found.timer_step == "cure" else "timer", found.timer_started_at, found.timer_due_at)
    others = waits_of(job, shop, now)
    if others:
        return others[0]
    standing = getattr(job, "standing", None)
    if standing is None:
        return None
    if standing.wants_part and standing.since:
        item = best_of(
            [row for row in items if row.route == standing.wants_part], job.kind, job.model_name, job.connector
        )
        if item is None or item.count <= 0:
            return Wait("part", standing.since)
    return Wait("customer", standing.asked_at) if standing.asked_at else None


def _lot(job: Job, wait: Wait | None, person: User) -> Lot[int]:
    standing = getattr(job, "standing", None)
    return Lot(
        name=job.pk,
        left_minutes=standing.minutes + standing.left_minutes if standing else 0.0,
        came=job.taken_in_at,
        promised=job.promised_at,
        hurry=job.hurry,
        danger=bool(standing and standing.danger),
        wait=wait,
        in_hand=in_hand(job, person.pk),
    )


def _row(job: Job, lot: Lot[int], shop: Shop, now: datetime) -> DayRow:
    known = shop.known.worded(job.carrier)
    standing, wait = getattr(job, "standing", None), lot.wait
    left = ""
    if wait is not None and wait.until is not None:
        minutes = (wait.until - now).total_seconds() / 60
        left = f"{lasting(minutes)} left" if minutes > 0 else "over"
    elif wait is not None:
        left = lasting((now - wait.since).total_seconds() / 60)
    words = standing.words if standing else "being worked out"
    return DayRow(
        job=job,
        lot=lot,
        group=group_of(lot, now),
        line=draw_small(
            {row.id: row.label for row in known.stations.values()},
            standing.levels if standing else {},
            standing.worst if standing else {},
        ),
        layers=drawn(job, shop, standing.facts) if standing and standing.facts else None,
        words=f"{standing.danger}. {words}" if standing and standing.danger else words,
        minutes=lasting(standing.minutes) if standing and standing.minutes >= 0.5 else "",
        href=f"{job.get_absolute_url()}{PAGES.get(standing.stage, '') if standing else ''}",
        wait=WAIT_LABELS[wait.kind] if wait else "",
        wait_since=wait.since if wait else None,
        wait_left=left,
        wait_over=wait is not None and wait.over(now),
        late=job.promised_at is not None and job.promised_at < now,
        who=str(job.held_by) if job.held_by else "",
        since_held=job.held_at,
    )


# By which a person can sort: the column, and the key of a row.
SORTS: Mapping[str, Callable[[DayRow], Any]] = {
    "job": lambda row: row.job.pk,
    "device": lambda row: row.job.model_name.lower(),
    "customer": lambda row: row.job.customer.lower(),
    "next": lambda row: row.lot.left_minutes,
    "waits": lambda row: (not row.wait, row.wait_since.timestamp() if row.wait_since else 0.0),
    "promised": lambda row: row.lot.wanted.timestamp(),
    "who": lambda row: (not row.who, row.who.lower()),
}


def day_of(rows: Sequence[DayRow], *, stage: str, person: str, waiting: str, by: str, down: bool) -> Day:
    """Filter, count and sort the rows; each filter counts what the others leave."""

    def stage_fits(row: DayRow) -> bool:
        return not stage or row.job.stage == stage

    def person_fits(row: DayRow) -> bool:
        return not person or str(row.job.held_by_id or 0) == person

    def waits_fits(row: DayRow) -> bool:
        return not waiting or row.wait == waiting or (waiting == "nothing" and not row.wait)

    stages = Counter(row.job.stage for row in rows if person_fits(row) and waits_fits(row))
    people = Counter(str(row.job.held_by_id or 0) for row in rows if stage_fits(row) and waits_fits(row))
    names = {str(row.job.held_by_id or 0): row.who or "nobody" for row in rows}
    waits = Counter(row.wait or "nothing" for row in rows if stage_fits(row) and person_fits(row))
    shown = [row for row in rows if stage_fits(row) and person_fits(row) and waits_fits(row)]
    if by in SORTS:
        shown = sorted(shown, key=SORTS[by], reverse=down)
    labels = [*WAIT_LABELS.values(), "nothing"]
    return Day(
        shown,
        [
            Filter(s.value, str(s.label), stages[s.value], stage == s.value)
            for s in Stage
            if s.value in stages or stage == s
        ],
        [
            Filter(key, names[key], people[key], person == key)
            for key in sorted(names, key=lambda key: names[key].lower())
        ],
        [Filter(word, word, waits[word], waiting == word) for word in labels if word in waits or waiting == word],
        len(rows),
    )
