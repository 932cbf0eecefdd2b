"""What every web worker does while a cell is on the supply: a sign of life for the watch, and the record.

`tend` looks whether a danger forbids the current by now. If none does, it gives the watch a sign of life and leave for
the full current; if one does, it has the watch stop. Then it stores what was read. So nothing is fed for longer than
ten seconds without somebody having looked, and nothing waits for the disk: what cannot be stored now stays with the
watch and is stored later. Several workers may do it at once: each reading has a number and is stored once.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import DatabaseError, connections
from django.utils import timezone

from chargepath.base.errors import ReadingError
from rainfront.cell import actions
from rainfront.cell.models import CellRun
from rainfront.instruments.supply import ask_watch

LOG = logging.getLogger("rainfront.cell")
EVERY_S = 1.0
# So long after a run's last reading a watch that does not answer is no hiccup any more, and one that knows nothing of
# the run never will.
STALE = timedelta(seconds=5)


@dataclass(frozen=True)
class Alarm:
    """An output that may be on over a cell: what is wrong, and the page of the run it was switched on for."""

    says: str
    href: str = ""


_alarms: tuple[Alarm, ...] = ()


def alarms() -> tuple[Alarm, ...]:
    """What every page warns of, as the last look of this process found it."""
    return _alarms


def forget_alarms() -> None:
    """As if nobody had looked yet."""
    global _alarms
    _alarms = ()


def tend(now: datetime | None = None) -> None:
    """Look after every run that the supply feeds or may feed still.

    Raises
    ------
    DatabaseError
        The database cannot be read, or cannot store what was read.

    """
    global _alarms
    now = now or timezone.now()
    runs = list(CellRun.objects.live().select_related("job", "by"))
    if not runs and not _alarms:
        return
    try:
        state = ask_watch("state")
    except ReadingError as error:
        # The warning goes first: it must not wait for the disk.
        _alarms = tuple(Alarm(f"{error.what}: the supply may be on", run.get_absolute_url()) for run in runs)
        _stale(runs, error.what, now)
        return
    _alarms = _alarms_of(runs, state)
    fed = state["run"]["id"] if state["run"] else None
    if fed is not None and fed not in {run.pk for run in runs if run.is_running}:
        ask_watch("stop", run=fed, state="broken", says="nobody has begun this run")
    for run in runs:
        if run.pk == fed and run.is_running:
            _under_way(run, state, now)
        else:
            _ended(run, state, now)
    # As it stands once this is stored.
    _alarms = _alarms_of(CellRun.objects.live(), state)


def _alarms_of(runs: Any, state: Mapping[str, Any]) -> tuple[Alarm, ...]:
    doubt = state["doubt"] if state["doubt"] and state["doubt"]["tries"] else None
    left = [run for run in runs if run.still_on]
    says = (
        f"the supply at {doubt['supply']} is not confirmed off: {doubt['says']}"
        if doubt
        else "the supply is not confirmed off"
    )
    if doubt and not left:
        return (Alarm(says),)
    return tuple(Alarm(says, run.get_absolute_url()) for run in left)


def _under_way(run: CellRun, state: Mapping[str, Any], now: datetime) -> None:
    """Look first, then give a sign of life, then store."""
    danger = actions.danger_of_run(run)
    if danger:
        ask_watch("stop", run=run.pk, state="cut", says=danger)
    elif run.state == CellRun.State.STOPPING:
        ask_watch("stop", run=run.pk)
    else:
        ask_watch("alive", run=run.pk)
        if state["run"]["wants_more"]:
            ask_watch("more", run=run.pk)
    _store(run, state["run"]["moved_mah"], now)


def _store(run: CellRun, moved_mah: float, now: datetime) -> None:
    found = ask_watch("rows", run=run.pk, start=run.taken)
    actions.append_rows(run.pk, found["first"], [tuple(row) for row in found["rows"]], moved_mah, now=now)


def _ended(run: CellRun, state: Mapping[str, Any], now: datetime) -> None:
    """Store how a run ended, or that its output is off by now."""
    outcome = next((row for row in state["ended"] if row["run"] == run.pk), None)
    if outcome is None:
        _stale([run], "the watch knows nothing of it", now)
        return
    if state["doubt"] and not state["doubt"]["tries"] and not outcome["off"]:
        # It is being switched off right now; the next look knows how that went.
        return
    if run.is_running:
        _store(run, max(outcome["moved_mah"], run.moved_mah), now)
        actions.end_run(run.pk, outcome["state"], outcome["says"], still_on=not outcome["off"], now=now)
    elif outcome["off"]:
        actions.found_off(run, now=now)
    if outcome["off"]:
        ask_watch("forget", run=run.pk)


def _stale(runs: list[CellRun], why: str, now: datetime) -> None:
    """End runs that nobody looks after: nobody knows whether the output is off."""
    for run in runs:
        # A reading from later than now was stored before the clock was set back, and says nothing either.
        if run.is_running and not now - STALE <= run.last_at <= now + STALE:
            actions.end_run(run.pk, CellRun.State.BROKEN, why, still_on=True, now=now)


def tend_quietly() -> None:
    """Tend from a page: what goes wrong is the next look's business, and the page is shown."""
    try:
        tend()
    except (DatabaseError, ReadingError) as error:
        LOG.warning("tending failed: %s", type(error).__name__)


def begin() -> Callable[[], None]:
    """Tend on a thread of this process until the function that is returned is called."""
    over = threading.Event()

    def work() -> None:
        while not over.wait(EVERY_S):
            try:
                tend()
            except Exception:
                # Whatever it is, the next second looks again: without a sign of life the watch switches off.
                LOG.exception("tending failed")
            finally:
                connections.close_all()

    thread = threading.Thread(target=work, name="tending", daemon=True)
    thread.start()

    def stop() -> None:
        over.set()
        thread.join(timeout=10)

    return stop
