"""Hazards: what raises one, which current it forbids, and what leads out of it (hazards.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from chargepath.knowledge.reader import InFile, Reader, Table

# Kinds of current that an act puts into a device.
PUTS: Mapping[str, str] = {
    "charger": "a charger, a pad or a computer feeds the device",
    "cell": "current is put into the cell",
    "supply": "a bench supply feeds the board",
    "start": "the device is switched on",
    "battery": "a battery is connected to the board",
}


@dataclass(frozen=True)
class Raise:
    """One thing that raises a hazard, and what leads out of it then.

    Attributes
    ----------
    told : str
        History flag.
    seen : bool
        A person reported it.
    mishap : bool
        A mishap of this bench that names the hazard was entered.
    check, sign, grade, value : str
        A check, and what of it raises the hazard: a sign, a grade, or a value under `below` or over `above`
        (in the value's unit), or over `over_offered`.
    below, above : float
        0 for none.
    each : bool
        Whether that is a limit of each cell in series.
    over_offered : float
        Share of the volts that the charger offered, or else of the most that its devices ask for; 0 for none.
    looked : tuple of str
        Check and sign or grade, and the place where it has to be read: made afterwards and not showing this, it ends
        the hazard; empty for none.
    earlier : bool
        Whether that look counts, too, where it was made before, with no repair in between.
    way : tuple of str
        Checks and routes that lead out, in this order.
    after : tuple of str
        Checks that come before any current once something was repaired.
    ended_by : tuple of str
        Routes that end it.
    may_end : tuple of str
        Routes that may end it: only after one of them `looked` ends it.

    """

    told: Annotated[str, InFile(absent="")]
    seen: bool
    check: Annotated[str, InFile(absent="")]
    sign: Annotated[str, InFile(absent="")]
    grade: Annotated[str, InFile(absent="")]
    value: Annotated[str, InFile(absent="")]
    below: Annotated[float, InFile(absent=0.0)]
    above: Annotated[float, InFile(absent=0.0)]
    looked: tuple[str, ...]
    way: tuple[str, ...]
    after: tuple[str, ...]
    ended_by: tuple[str, ...]
    over_offered: Annotated[float, InFile(high=2.0)] = 0.0
    each: bool = False
    earlier: bool = False
    may_end: tuple[str, ...] = ()
    mishap: bool = False


@dataclass(frozen=True)
class Hazard:
    """Something that can hurt somebody or the device.

    Attributes
    ----------
    id, word, label, says : str
        `word` stands for it in the quick line; `says` what not to do and why.
    forbids : tuple of str
        Kinds of current, keys of `PUTS`.
    stops : tuple of str
        Acts of steps of a plan that nobody does while it stands.
    repairs : bool
        Whether any repair may be done meanwhile; else only those that lead out.
    sticky : bool
        Whether a second look that does not show it leaves it standing.
    overrule : bool
        Whether the lead may overrule it with a reason.
    work : tuple of str
        Words that a plan of work is made by while it stands.
    caution : str
    basis : str
    raised : tuple of Raise
    report : str
        How a person reports it, '' where nobody can.
    shows : tuple of str
        Check and sign or grade that such a report stands for until that check is made; empty for none.

    """

    id: str
    word: str
    label: str
    says: str
    forbids: tuple[str, ...]
    repairs: bool
    sticky: bool
    overrule: bool
    work: tuple[str, ...]
    caution: str
    basis: str
    raised: tuple[Raise, ...]
    stops: tuple[str, ...] = ()
    report: str = ""
    shows: tuple[str, ...] = ()


# Keys that a [[raised]] row may leave out; it then has those of the hazard that it belongs to.
SHARED = ("way", "after", "ended_by", "may_end")


def _one(read: Reader, name: str, table: Table) -> Hazard:
    where = f"hazards.toml [{name}]"
    rows: Any = table.get("raised", [])
    if not rows:
        read.say(f"{where}.raised", "nothing raises it")
    raised = []
    for row in rows:
        shared = {key: read.texts(row if key in row else table, key, f"{where}.raised") for key in SHARED}
        raised.append(read.row(Raise, row, f"{where}.raised", SHARED, **shared))
    return read.row(Hazard, table, where, ("raised", *SHARED), id=name, raised=tuple(raised))


def read_hazards(read: Reader) -> dict[str, Hazard]:
    """Every hazard by its id, the gravest first."""
    return {name: _one(read, name, raw) for name, raw in read.load("hazards").items()}
