"""What is stored of a cell on the supply, and what it does to a job's log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta

from django.db import transaction

from chargepath.base.errors import DangerError, ReadingError
from chargepath.base.quantities import figure, shortest
from chargepath.hazards.standing import current_forbidding
from chargepath.hazards.standing import refuse as danger_of
from chargepath.repair.cell import Cell, Feed, refusals
from rainfront.cell.models import CellRun
from rainfront.cell.words import refusal_words
from rainfront.instruments.models import Supply
from rainfront.jobs.adapters import device_of
from rainfront.jobs.fetching import complete
from rainfront.jobs.judging import dangers_for
from rainfront.jobs.models import Job
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.workshop.adapters import Shop

STALE, MOST_ROWS = timedelta(seconds=20), 1500
Row = tuple[float, float, float, float | None]


def start_run(
    job: Job | int, cell: Cell, feed: Feed, *, user: User, now: datetime, shop: Shop | None = None
) -> CellRun:
    """Begin to charge a cell: refused where the cell, what is set, or a danger on the job forbids it.

    Raises
    ------
    JobError, DangerError, ReadingError
        The job is closed; a danger forbids current in the cell; the cell or the feed is refused, or one runs already.

    """
    with open_job(job, user, now, shop) as log:
        _refuse(log, cell, feed)
        fed = f"{figure(feed.volts, 2)} V and {figure(feed.amps, 2)} A set, {shortest(cell.temp_c)} °C"
        says = f"cell on the supply: {figure(cell.volts, 2)} V, {fed}"
        log.event(f"{says}, later {figure(feed.then_amps, 2)} A" if feed.then_amps else says, "cell")
        Supply.objects.update(held_at=now)
        return CellRun.objects.create(
            job=log.job,
            kind=cell.kind.id,
            capacity_mah=cell.capacity_mah,
            first_volts=cell.volts,
            set_volts=feed.volts,
            set_amps=feed.amps,
            then_amps=feed.then_amps,
            temp_c=cell.temp_c,
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
    mend_stale(now=log.now)
    if CellRun.objects.running().exists():
        raise ReadingError("the supply feeds a cell already", "supply", "stop that one first")


def append_rows(run_id: int, rows: Sequence[Row], moved_mah: float, *, now: datetime) -> bool:
    """Append what was read; False once somebody has asked to stop.

    Raises
    ------
    DangerError
        What has been entered on the job meanwhile forbids it: it is swollen, say.

    """
    with transaction.atomic():
        run = CellRun.objects.select_for_update().select_related("job").get(pk=run_id)
        kept = [*run.rows, *([round(value, 4) if value is not None else None for value in row] for row in rows)]
        if len(kept) > MOST_ROWS:
            kept = kept[:-200:2] + kept[-200:]
        CellRun.objects.filter(pk=run_id).update(rows=kept, moved_mah=moved_mah, last_at=now)
        Supply.objects.update(held_at=now)
    shop = Shop.current()
    danger = current_forbidding(dangers_for(complete(run.job), shop), "cell")
    if danger is not None:
        raise danger_of(shop.known, danger)
    return run.state == CellRun.State.RUNNING


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
        more = " The output could not be switched off: by hand, now." if still_on else ""
        log.event(f"cell on the supply, {word}: {says}.{more}", "cell")
        Supply.objects.update(held_at=None)


@needs(Right.MEASURE)
def ask_to_stop(run: CellRun, *, user: User, now: datetime) -> None:
    """Have the watch switch the output off."""
    CellRun.objects.filter(pk=run.pk, state=CellRun.State.RUNNING).update(state=CellRun.State.STOPPING, last_at=now)


@needs(Right.MEASURE)
def switched_off(run: CellRun, *, user: User, now: datetime) -> None:
    """Somebody has switched the output off by hand."""
    with open_job(run.job_id, user, now, closed_too=True) as log:
        if CellRun.objects.filter(pk=run.pk, still_on=True).update(still_on=False):
            log.event("the supply was switched off by hand", "cell")


def mend_stale(*, now: datetime) -> None:
    """Runs that nobody watches any more, as after a restart: nobody knows whether the output is off."""
    for run in CellRun.objects.running().filter(last_at__lt=now - STALE):
        end_run(run.pk, CellRun.State.BROKEN, "the program stopped watching", still_on=True, now=now)
