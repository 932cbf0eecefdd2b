"""How the web application has a cell fed: it asks the watch, a process of its own that holds the supply."""

from __future__ import annotations

from django.utils import timezone

from benchwatch.desk import watch_fields
from chargepath.base.errors import ReadingError
from chargepath.repair.watch import Watch
from rainfront.cell import actions
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.instruments.supply import ERRAND_S, address_of, ask_watch

# The watch waits so long for the supply's answer to OFF before it answers itself [s].
STOPS_S = 4.0


def start(run: CellRun, watch: Watch, at: Supply) -> None:
    """Have the watch set what the supply holds by itself, switch it on and look at it.

    Raises
    ------
    ReadingError
        The supply cannot be set, shows another cell, does not switch on, or the watch is away; the run is ended.

    """
    fields = {"run": run.pk, "watch": watch_fields(watch), "unattended": run.unattended}
    try:
        found = ask_watch("start", within=ERRAND_S, at=address_of(at), **fields)
    except ReadingError as error:
        off = stop(run, "broken", str(error))
        actions.end_run(run.pk, CellRun.State.BROKEN, str(error), still_on=not off, now=timezone.now())
        raise
    actions.note_held(run, found["run"]["held"] if found["run"] else {})


def stop(run: CellRun, state: str = "stopped", says: str = "stopped by hand") -> bool:
    """Have the watch switch the output off, whatever else can be done; whether it has read back off."""
    try:
        found = ask_watch("stop", within=STOPS_S, run=run.pk, state=state, says=says)
    except ReadingError:
        return False
    return found["run"] is None and found["doubt"] is None


def is_off() -> bool:
    """Ask the supply whether its output is off, by way of the watch; False where nobody can say."""
    try:
        found = ask_watch("off", within=STOPS_S)
        if found["doubt"] is not None or found["run"] is not None:
            return False
        return not ask_watch("reads_on", within=ERRAND_S, at=address_of(Supply.current()))["on"]
    except ReadingError:
        return False
