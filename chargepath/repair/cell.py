"""A flat cell on the bench supply: whether it may be charged, with what, and how it goes.

The cell is its volts at rest, ohms at once and ohms that come after a while; shares of the capacity make it one cell in
many sizes. Charging is by the usual three stretches: a tenth of the capacity an hour under the recovery threshold, then
a constant current to the limit, then the limit until a twentieth flows.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError
from chargepath.base.quantities import shortest
from chargepath.knowledge import Knowledge
from chargepath.knowledge.cells import CellKind, CellTables

STEP_S, LONGEST_H = 5.0, 24.0
# What a set value may be over its limit by the arithmetic alone [V, A].
ROUNDING = 1e-9
CAPACITY_RANGE, TEMP_RANGE, VOLTS_RANGE = (200.0, 15_000.0), (-30.0, 80.0), (0.0, 5.0)
PRE, STEADY, LIMIT = "pre", "steady", "limit"


@dataclass(frozen=True)
class Cell:
    """A cell as it lies on the bench.

    Attributes
    ----------
    kind : CellKind
    capacity_mah : float
    volts : float
        At rest, its plug off the board [V].
    temp_c : float
    looks : frozenset of str
        Any of 'swollen', 'wet', 'dented', 'hot'.
    series : int
        How many cells are in series: each has its share of the volts.

    """

    kind: CellKind
    capacity_mah: float
    volts: float
    temp_c: float = 22.0
    looks: frozenset[str] = frozenset()
    series: int = 1

    @property
    def each_v(self) -> float:
        """Volts of each cell, taken as alike [V]."""
        return self.volts / self.series


@dataclass(frozen=True)
class Feed:
    """What somebody wants to put on it: volts and amps set, and whether it is a bare 5 V lead.

    `then_amps` are set once the cell has come over the recovery threshold; none: it stays as it is.
    """

    volts: float
    amps: float
    bare: bool = False
    then_amps: float = 0.0


@dataclass(frozen=True)
class Refusal:
    """Why a cell is not charged, or not with that.

    Attributes
    ----------
    id : str
        One of the looks, or 'deep', 'over', 'series', 'cold', 'warm', 'bare', 'volts', 'amps', 'then'.
    value : float
        What was read or is to be set: volts, amperes or degrees by `id`; 0 for a look.
    limit : float
        What it may be [the same unit]; for 'bare' the cell's limit [V].
    recovers_v : float
        The volts from which on it may have more [V]; 0 where that is not the reason.

    """

    id: str
    value: float = 0.0
    limit: float = 0.0
    recovers_v: float = 0.0


@dataclass(frozen=True)
class ChargeStretch:
    """One stretch of the charging: which, from when to when [s]."""

    kind: str
    start: float
    end: float


@dataclass(frozen=True)
class Charging:
    """The course of a charge.

    Attributes
    ----------
    times, volts, amps, percent : array (n,)
        [s], [V], [A], [%]
    stretches : sequence of Stretch
    boots_s : float or None
        When the device can start, at rest [s]; None where it does not get there.
    moved_mah : float
        What went in.

    """

    times: Array
    volts: Array
    amps: Array
    percent: Array
    stretches: Sequence[ChargeStretch]
    boots_s: float | None
    moved_mah: float


# What is seen of a cell that is not charged any more.
LOOKS = ("swollen", "wet", "dented", "hot")


def recovery_v(known: Knowledge) -> float:
    """Volts under which a cell is not charged any more [V]; the hazard of a deep-discharged cell holds the number."""
    return max(row.below for row in known.hazards["cell_deep"].raised if row.value == "volts")


def checked(cell: Cell) -> Cell:
    """The same cell, refused where a figure of it is impossible.

    Raises
    ------
    ReadingError
        Naming the first that is not.

    """
    for value, (low, high), name, unit in (
        (cell.capacity_mah, CAPACITY_RANGE, "capacity", "mAh"),
        (cell.each_v, VOLTS_RANGE, "volts at the cell", "V"),
        (cell.temp_c, TEMP_RANGE, "temperature", "°C"),
    ):
        if not low <= value <= high:
            raise ReadingError(
                f"{shortest(value)} {unit} is not possible", name, f"{shortest(low)} to {shortest(high)} {unit}"
            )
    return cell


def most_amps(cell: Cell, tables: CellTables) -> float:
    """The most that the cell may be given now [A]."""
    rates, ah = tables.charge, cell.capacity_mah / 1000
    return rates["pre_c"] * ah if cell.volts < rates["pre_below_v"] else most_steady(cell, tables)


def most_steady(cell: Cell, tables: CellTables) -> float:
    """The most that the cell may be given over the recovery threshold [A]."""
    rates, ah = tables.charge, cell.capacity_mah / 1000
    return (rates["cool_c"] if cell.temp_c < rates["cool_below_c"] else rates["most_c"]) * ah


def usual_feed(cell: Cell, tables: CellTables) -> Feed:
    """What to set the supply to: the limit's volts, and the usual current once it is over the threshold."""
    rates, ah = tables.charge, cell.capacity_mah / 1000
    steady = usual_rate(cell, tables) * ah
    if cell.volts < rates["pre_below_v"]:
        return Feed(cell.kind.limit_v, rates["pre_c"] * ah, then_amps=steady)
    return Feed(cell.kind.limit_v, steady)


def refusals(cell: Cell, feed: Feed | None, known: Knowledge) -> list[Refusal]:
    """List the reasons not to charge this cell, or not with this feed; an empty list allows it.

    Cells in series are not charged from a bench supply at all: nothing there keeps them alike, and the fuller one
    would pass its limit (common practice).
    """
    rates, limit = known.cells.charge, cell.kind.limit_v
    found = [Refusal(look) for look in LOOKS if look in cell.looks]
    least = recovery_v(known)
    if cell.each_v < least:
        found.append(Refusal("deep", cell.each_v, least))
    if cell.each_v > limit + rates["over_v"]:
        found.append(Refusal("over", cell.each_v, limit))
    if cell.series > 1:
        found.append(Refusal("series", cell.series))
    if cell.temp_c < rates["low_temp_c"]:
        found.append(Refusal("cold", cell.temp_c, rates["low_temp_c"]))
    if cell.temp_c > rates["high_temp_c"]:
        found.append(Refusal("warm", cell.temp_c, rates["high_temp_c"]))
    if feed is None:
        return found
    if feed.bare:
        return [*found, Refusal("bare", limit=limit)]
    if feed.volts > limit + ROUNDING:
        found.append(Refusal("volts", feed.volts, limit))
    most, steady = most_amps(cell, known.cells), most_steady(cell, known.cells)
    if feed.amps > most + ROUNDING:
        under = cell.volts < rates["pre_below_v"]
        found.append(Refusal("amps", feed.amps, most, rates["pre_below_v"] if under else 0.0))
    if feed.then_amps > steady + ROUNDING:
        found.append(Refusal("then", feed.then_amps, steady))
    return found


def share_at(volts: float, kind: CellKind, tables: CellTables) -> float:
    """Share of charge of a cell that rests at so many volts."""
    shares, rest = _rest(kind, tables)
    return float(np.interp(volts, rest, shares))


def _rest(kind: CellKind, tables: CellTables) -> tuple[Array, Array]:
    """Shares of charge, and the volts at rest at each of them."""
    shares, volts = np.array(tables.rest).T
    empty = float(np.interp(0.0, shares, volts))
    full = float(volts[-1])
    reach = (kind.limit_v - empty) / (full - empty)
    return shares, np.where(shares > 0, empty + (volts - empty) * reach, volts)


def charge(cell: Cell, tables: CellTables, rate_c: float | None = None) -> Charging:
    """Simulate a charge of a cell from its volts at rest.

    Parameters
    ----------
    cell : Cell
    tables : CellTables
    rate_c : float, optional
        Of the steady stretch, in capacities an hour; the usual one without.

    Raises
    ------
    ReadingError
        A figure is not possible, or the rate is none.

    """
    rates, ohms, ah = tables.charge, tables.ohms, checked(cell).capacity_mah / 1000
    rate = rate_c if rate_c is not None else usual_rate(cell, tables)
    if not 0 < rate <= rates["most_c"]:
        raise ReadingError(
            f"{shortest(rate)} C is not possible", "rate", f"over 0, up to {shortest(rates['most_c'])} C"
        )
    shares, rest = _rest(cell.kind, tables)
    share, late = share_at(cell.volts, cell.kind, tables), 0.0
    at_once, later, decay = ohms["at_once"] / ah, ohms["later"] / ah, math.exp(-STEP_S / ohms["later_s"])
    limit, kind, now = cell.kind.limit_v, "", 0.0
    rows: list[tuple[float, float, float, float]] = []
    stretches: list[tuple[str, float]] = []
    boots: float | None = None
    while now < LONGEST_H * 3600:
        here = float(np.interp(share, shares, rest))
        more = 1 + ohms["empty_more"] * math.exp(-max(share, 0.0) / ohms["empty_share"])
        step = PRE if here + late * more < rates["pre_below_v"] else STEADY
        amps = (rates["pre_c"] if step == PRE else rate) * ah
        volts = here + amps * at_once * more + late * more
        if volts > limit:
            step, volts = LIMIT, limit
            amps = max((limit - here - late * more) / (at_once * more), 0.0)
        if step != kind:
            stretches.append((step, now))
            kind = step
        rows.append((now, volts, amps, 100 * max(share, 0.0)))
        if boots is None and here >= rates["boots_v"]:
            boots = now
        if step == LIMIT and amps < rates["end_c"] * ah:
            break
        share += amps * STEP_S / 3600 / ah
        late = late * decay + amps * later * (1 - decay)
        now += STEP_S
    times, volts_of, amps_of, percent = np.array(rows).T
    moved = float(np.trapezoid(amps_of, times)) / 3.6
    ends = [start for _, start in stretches[1:]] + [float(times[-1])]
    made = [ChargeStretch(name, start, end) for (name, start), end in zip(stretches, ends, strict=True)]
    return Charging(
        times=times, volts=volts_of, amps=amps_of, percent=percent, stretches=made, boots_s=boots, moved_mah=moved
    )


def usual_rate(cell: Cell, tables: CellTables) -> float:
    """Capacities an hour of the steady stretch, as is usual at the cell's temperature."""
    rates = tables.charge
    return rates["cool_c"] if cell.temp_c < rates["cool_below_c"] else rates["rate_c"]


def new_cell_volts(kind: CellKind, tables: CellTables) -> tuple[float, float]:
    """Between which volts a new cell usually lies [V], before it is glued in."""
    shares, rest = _rest(kind, tables)
    low, high = (float(np.interp(tables.charge[name], shares, rest)) for name in ("new_low_share", "new_high_share"))
    return low, high
