"""What the cell desk shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise
from typing import Any

from chargepath.base.quantities import figure
from chargepath.knowledge import Knowledge
from chargepath.knowledge.cells import CellKind
from chargepath.repair.cell import Cell, Feed, charge, new_cell_volts, refusals, share_at, usual_feed
from rainfront.cell.models import CellRun
from rainfront.cell.words import Refused, refusal_words
from rainfront.web.scenes.charge_chart import ChargeChart, draw

NAMES = {"pre": "pre-charge", "steady": "constant current", "limit": "constant voltage"}


@dataclass(frozen=True)
class CellPage:
    """A cell and what it would do."""

    title: str
    refused: Sequence[Refused]
    set_words: str
    stretches: Sequence[tuple[str, str]]
    chart: ChargeChart | None
    facts: Sequence[tuple[str, str, str]]


def lasting(seconds: float) -> str:
    """A time in words."""
    minutes = seconds / 60
    return f"{minutes:.0f} min" if minutes < 90 else f"{figure(minutes / 60, 1)} h"


def cell_of(cell: Cell, feed: Feed, known: Knowledge) -> CellPage:
    """What may be done with a cell, and how it goes.

    Raises
    ------
    ReadingError
        A figure is not possible.

    """
    found = refusals(cell, feed, known)
    low, high = new_cell_volts(cell.kind, known.cells)
    new_v = f"{figure(low * cell.series, 2)} to {figure(high * cell.series, 2)} V"
    new = ("A new one reads", new_v, "as it comes; look before it is glued in")
    if found:
        may = [row for row in found if row.id in ("volts", "amps", "then", "bare")]
        in_series = {row.id for row in found} - {"bare"} == {"series"}
        title = "Not like this" if len(may) == len(found) else "Do not charge it"
        title = "Not from a bench supply" if in_series else title
        usual = usual_feed(cell, known.cells)
        words = f"{figure(usual.volts, 2)} V and {figure(usual.amps, 2)} A would do." if len(may) == len(found) else ""
        return CellPage(
            title=title,
            refused=[refusal_words(row) for row in found],
            set_words=words,
            stretches=(),
            chart=None,
            facts=[new],
        )
    steady, threshold = feed.then_amps or feed.amps, known.cells.charge["pre_below_v"]
    course = charge(cell, known.cells, min(steady / (cell.capacity_mah / 1000), known.cells.charge["most_c"]))
    later = (
        f" From {figure(threshold, 1)} V on {figure(steady, 2)} A; the watch sets that by itself."
        if feed.then_amps
        else ""
    )
    boots = "it can start at once" if course.boots_s == 0 else f"it can start after {lasting(course.boots_s or 0)}"
    facts = [
        ("Full after", lasting(float(course.times[-1])), ""),
        ("Goes in", f"{course.moved_mah:.0f} mAh", ""),
        ("Charged now", f"{course.percent[0]:.0f} %", "by its volts at rest"),
        new,
    ]
    title = f"{lasting(float(course.times[-1]))} from {figure(cell.volts, 2)} to {figure(cell.kind.limit_v, 2)} V"
    return CellPage(
        title=boots[0].upper() + boots[1:],
        refused=(),
        set_words=f"Set {figure(feed.volts, 2)} V and {figure(feed.amps, 2)} A with the leads open, then on.{later}",
        stretches=[(NAMES[row.kind], lasting(row.end - row.start)) for row in course.stretches],
        chart=draw(
            course.times.tolist(), course.volts.tolist(), course.amps.tolist(), course.percent.tolist(),
            course.boots_s, title,
        ),
        facts=facts,
    )  # fmt: skip


def _boots(run: CellRun, kind: CellKind, seconds: float, known: Knowledge) -> str:
    """When the device can start, as it was reckoned at the begin."""
    cell = Cell(kind, run.capacity_mah, run.first_volts, run.temp_c)
    rate = (run.then_amps or run.set_amps) / (run.capacity_mah / 1000)
    boots = charge(cell, known.cells, min(rate, known.cells.charge["most_c"])).boots_s
    if boots is None:
        return ""
    left = boots - seconds
    return f"It can start in about {lasting(left)}." if left > 30 else "It can start by now: try it."


@dataclass(frozen=True)
class RunPage:
    """A cell on the supply as it stands."""

    volts: str
    amps: str
    temp: str
    moved: str
    since: str
    boots: str
    chart: ChargeChart | None
    held: str = ""


def held_words(held: Mapping[str, Any]) -> str:
    """What the supply does without anybody's help, as it was read back; '' where nothing was."""
    if not held:
        return ""
    says = f"The supply itself holds {figure(held['volts'], 2)} V and {figure(held['amps'], 2)} A"
    more = [
        f"cuts at {figure(held['cuts_at_v'], 2)} V" if held["cuts_at_v"] is not None else "",
        f"cuts {held['timer_s']:.0f} s after the watch falls silent" if held["timer_s"] is not None else "",
        "cuts when the line to it breaks" if held["off_at_hang_up"] else "",
    ]
    found = [words for words in more if words]
    if not found:
        return f"{says}, and goes on with both if this machine loses its power: stay with it."
    return f"{says}; it {' and '.join([', '.join(found[:-1]), found[-1]] if len(found) > 1 else found)}."


def run_of(run: CellRun, known: Knowledge) -> RunPage:
    """What is read now, and how it went so far."""
    kind = known.cells.kinds.get(run.kind)
    if not run.rows or kind is None:
        held = held_words(run.held)
        return RunPage(volts="", amps="", temp="", moved="", since="", boots="", chart=None, held=held)
    seconds, volts, amps, temp = run.rows[-1]
    times = [row[0] for row in run.rows]
    chart = None
    if len(times) > 1 and times[-1] > 0:
        title = f"{lasting(times[-1])} on the supply, {run.moved_mah:.0f} mAh"
        volts_of, amps_of = [row[1] for row in run.rows], [row[2] for row in run.rows]
        first = 100 * max(share_at(run.first_volts, kind, known.cells), 0.0)
        each = [0.0, *(a * (t - s) / 3.6 for (s, *_), (t, _, a, _) in pairwise(run.rows))]
        percent = [min(first + 100 * mah / run.capacity_mah, 100.0) for mah in accumulate(each)]
        chart = draw(times, volts_of, amps_of, percent, None, title)
    return RunPage(
        volts=f"{figure(volts, 2)} V",
        amps=f"{figure(amps, 2)} A",
        temp="" if temp is None else f"{temp:.0f} °C",
        moved=f"{run.moved_mah:.0f} mAh",
        since=lasting(seconds) if seconds >= 60 else f"{seconds:.0f} s",
        boots=_boots(run, kind, seconds, known),
        chart=chart,
        held=held_words(run.held),
    )
