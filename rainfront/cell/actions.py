"""What is stored of a cell on the supply, and what it does to a job's log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.base.errors import DangerError, ReadingError
from chargepath.base.quantities import figure, shortest
from chargepath.hazards.standing import current_forbidding
from chargepath.hazards.standing import refuse as danger_of
from chargepath.repair.cell import Cell, Feed, refusals
from rainfront.cell.models import CellRun
from rainfront.cell.words import refusal_words
from rainfront.jobs.adapters import device_of
from rainfront.jobs.fetching import complete
from rainfront.jobs.judging import dangers_for
from rainfront.jobs.models import Job
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.workshop.adapters import Shop

MOST_ROWS = 1500
Row = tuple[float, float, float, float | None]


def start_run(
    job: Job | int,
    cell: Cell,
    feed: Feed,
    *,
    unattended: bool = False,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> CellRun:
    """Begin to charge a cell: refused where the cell, what is set, or a danger on the job forbids it.

    `unattended`: somebody chose that the watch goes on alone where no worker of the program gives a sign of life.

    Raises
    ------
    JobError, DangerError, ReadingError
        The job is closed; a danger forbids current in the cell; the cell or the feed is refused, or one runs already.

    """
    with open_job(job, user, now, shop) as log:
        _refuse(log, cell, feed)
        fed = f"{figure(feed.volts, 2)} V and {figure(feed.amps, 2)} A set, {shortest(cell.temp_c)} °C"
        says = f"cell on the supply: {figure(cell.volts, 2)} V, {fed}"
        says += f", later {figure(feed.then_amps, 2)} A" if feed.then_amps else ""
        says += "; the watch goes on alone if the program stops" if unattended else ""
        log.event(says, "cell")
        return CellRun.objects.create(
            job=log.job,
            kind=cell.kind.id,
            capacity_mah=cell.capacity_mah,
            first_volts=cell.volts,
            set_volts=feed.volts,
            set_amps=feed.amps,
            then_amps=feed.then_amps,
            temp_c=cell.temp_c,
            unattended=unattended,
            by=user,
            started_at=now,
            last_at=now,
        )


def refuse(job: Job | int, cell: Cell, feed: Feed, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Say why a cell is not charged, before anybody reaches for the supply; raises as `start_run` does."""
    with open_job(job, user, now, shop) as log:
        _refuse(log, cell, feed)


def _refuse(log: Log, cell: Cell, feed: Feed) -> None:
    log.refuse_current("cell")
    cell = replace(cell, series=max(cell.series, device_of(log.job).series))
    refused = refusals(cell, feed, log.shop.known)
    if refused:
        first = refusal_words(refused[0])
        raise DangerError(f"not charged: {first.says}", "cell", first.instead)
    if CellRun.objects.running().exists():
        raise ReadingError("the supply feeds a cell already", "supply", "stop that one first")


def append_rows(run_id: int, first: int, rows: Sequence[Row], moved_mah: float, *, now: datetime) -> None:
    """Append what was read; `first` is the number of the first row, and those that are stored already are left out."""
    with transaction.atomic():
        run = CellRun.objects.select_for_update().get(pk=run_id)
        new = rows[max(run.taken - first, 0) :]
        if not new:
            return
        kept = [*run.rows, *([round(value, 4) if value is not None else None for value in row] for row in new)]
        if len(kept) > MOST_ROWS:
            kept = kept[:-200:2] + kept[-200:]
        CellRun.objects.filter(pk=run_id).update(rows=kept, taken=first + len(rows), moved_mah=moved_mah, last_at=now)


def note_held(run: CellRun, held: Mapping[str, Any]) -> None:
    """Store what the supply holds by itself, as it was read back when the run began."""
    CellRun.objects.filter(pk=run.pk).update(held=dict(held))


def danger_of_run(run: CellRun) -> str:
    """What has been entered on the job meanwhile and forbids the current: it is swollen, say; '' where nothing does."""
    shop = Shop.current()
    danger = current_forbidding(dangers_for(complete(run.job), shop), "cell")
    return "" if danger is None else str(danger_of(shop.known, danger))


def end_run(
    run_id: int, state: str, says: str, *, still_on: bool = False, now: datetime, shop: Shop | None = None
) -> None:
    """The output is off, or should be: it stands on the job."""
    run = CellRun.objects.select_related("by").get(pk=run_id)
    if not run.is_running:
        return
    with open_job(run.job_id, run.by, now, shop, closed_too=True, begun=True) as log:
        CellRun.objects.filter(pk=run_id).update(
            state=state, says=says[:300], still_on=still_on, ended_at=now, last_at=now
        )
        word = CellRun.State(state).label
        more = " The output is not confirmed off: switch it off by hand, now." if still_on else ""
        log.event(f"cell on the supply, {word}: {says}.{more}", "cell")


@needs(Right.MEASURE)
@transaction.atomic
def ask_to_stop(run: CellRun, *, user: User, now: datetime) -> None:
    """Have the watch switch the output off."""
    CellRun.objects.filter(pk=run.pk, state=CellRun.State.RUNNING).update(state=CellRun.State.STOPPING, last_at=now)


@needs(Right.MEASURE)
def leads_off(run: CellRun, *, user: User, now: datetime) -> None:
    """Somebody has taken the leads off the cell, for nobody could confirm that the output is off."""
    with open_job(run.job_id, user, now, closed_too=True) as log:
        if CellRun.objects.filter(pk=run.pk, still_on=True).update(still_on=False):
            log.event("the leads were taken off the cell by hand; the supply never confirmed that it is off", "cell")


def found_off(run: CellRun, *, now: datetime) -> None:
    """The supply reads back off by now: it stands on the job."""
    with open_job(run.job_id, run.by, now, closed_too=True, begun=True) as log:
        if CellRun.objects.filter(pk=run.pk, still_on=True).update(still_on=False):
            log.event("the supply reads back off", "cell")
