"""The watch: a thread that looks at the supply and the thermocouple, and cuts the output when a limit is crossed."""

from __future__ import annotations

import atexit
import contextlib
import threading
import time

from django.db import OperationalError, connections
from django.utils import timezone

from chargepath.base.errors import DangerError, ReadingError
from chargepath.repair.watch import DONE, Sample, Watch, Watched
from rainfront.cell import actions
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.instruments.supply import BenchSupply, Thermocouple

EVERY_S, FLUSH_S, TRIES = 0.5, 1.0, 3
# Supplies that feed a cell now, by the run: where this process ends in good order, it switches them off.
_feeding: dict[int, Supply] = {}


def start(run: CellRun, watch: Watch, supply: BenchSupply, at: Supply) -> threading.Thread:
    """Set both limits, switch on and watch; the output is off again whatever happens.

    Raises
    ------
    ReadingError
        The supply cannot be set, shows another cell or does not switch on; the run is ended.

    """
    try:
        _switch_on(supply, watch)
    except ReadingError as error:
        off = _switch_off(supply)
        supply.close()
        actions.end_run(run.pk, CellRun.State.BROKEN, str(error), still_on=not off, now=timezone.now())
        raise
    _feeding[run.pk] = at
    thread = threading.Thread(
        target=_run, args=(run.pk, watch, supply, Thermocouple(at)), name=f"cell-{run.pk}", daemon=True
    )
    thread.start()
    return thread


def _switch_on(supply: BenchSupply, watch: Watch) -> None:
    """Off, is it this cell, both limits, on."""
    if not supply.switch(on=False):
        raise ReadingError("the supply does not switch off", "supply", "look at it, switch it off by hand")
    wrong = watch.differs(supply.measured()[0])
    if wrong:
        raise ReadingError(wrong, "volts", "measure it again, then put in what it reads")
    supply.set(watch.feed.volts, watch.feed.amps)
    if not supply.switch(on=True):
        raise ReadingError("the supply does not switch on", "supply", "look at it")


def _run(run_id: int, watch: Watch, supply: BenchSupply, thermocouple: Thermocouple) -> None:
    state, says, still_on = CellRun.State.BROKEN, "the watch failed", True
    try:
        state, says = _watch(run_id, watch, supply, thermocouple)
    except ReadingError as error:
        says = str(error)
    finally:
        still_on = not _switch_off(supply)
        _feeding.pop(run_id, None)
        supply.close()
        thermocouple.close()
        for _ in range(20):
            try:
                actions.end_run(run_id, state, says, still_on=still_on, now=timezone.now())
                break
            except OperationalError:
                time.sleep(FLUSH_S / 2)
        connections.close_all()


def _watch(run_id: int, watch: Watch, supply: BenchSupply, thermocouple: Thermocouple) -> tuple[CellRun.State, str]:
    """Look until there is a reason to stop; the state and why."""
    begun, flushed, seen = time.monotonic(), time.monotonic(), Watched()
    rows: list[actions.Row] = []
    while True:
        volts, amps = supply.measured()
        sample = Sample((time.monotonic() - begun) * supply.pace, volts, amps, thermocouple.temp_c)
        seen, verdict = watch.look(seen, sample)
        rows.append((sample.seconds, volts, amps, sample.temp_c))
        going = True
        if verdict is not None or time.monotonic() - flushed >= FLUSH_S:
            flushed = time.monotonic()
            try:
                going = actions.append_rows(run_id, rows, seen.moved_mah, now=timezone.now())
                rows = []
            except OperationalError:
                pass
            except DangerError as danger:
                return CellRun.State.CUT, str(danger)
        if verdict is not None:
            return (CellRun.State.DONE if verdict.kind == DONE else CellRun.State.CUT), verdict.says
        if not going:
            return CellRun.State.STOPPED, f"stopped by hand, {seen.moved_mah:.0f} mAh went in"
        higher = watch.raised(seen)
        if higher is not None:
            watch = higher
            supply.set(watch.feed.volts, watch.feed.amps)
        time.sleep(EVERY_S)


def _switch_off(supply: BenchSupply) -> bool:
    """Switch the output off, over a fresh line where the old one has lost its place; whether it is off."""
    for _ in range(TRIES):
        try:
            if supply.switch(on=False):
                return True
        except ReadingError:
            try:
                supply.connect()
            except ReadingError:
                return False
        time.sleep(0.1)
    return False


@atexit.register
def leave() -> None:
    """Switch off what still feeds a cell, over lines of their own: the watch ends with the process."""
    for at in list(_feeding.values()):
        with contextlib.suppress(ReadingError), BenchSupply(at) as supply:
            supply.switch(on=False)
