"""Hazards: what raises one, which current it forbids, and what leads out of it (hazards.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from chargepath.knowledge.reader import Reader, Table

# Kinds of current that an act puts into a device.
PUTS: Mapping[str, str] = {
    "charger": "a charger, a pad or a computer feeds the device",
    "cell": "current is put into the cell",
    "supply": "a bench supply feeds the board",
    "start": "the device is switched on",
    "battery": "a battery is connected to the board",
}
HAZARD_KEYS = (
    "word",
    "report",
    "shows",
    "label",
    "says",
    "forbids",
    "stops",
    "way",
    "after",
    "ended_by",
    "repairs",
    "sticky",
    "work",
    "overrule",
    "caution",
    "basis",
    "raised",
)
RAISED_KEYS = (
    "told",
    "seen",
    "check",
    "sign",
    "grade",
    "value",
    "below",
    "above",
    "each",
    "over_offered",
    "looked",
    "earlier",
    "way",
    "after",
    "ended_by",
    "may_end",
)


@dataclass(frozen=True)
class Raise:
    """One thing that raises a hazard, and what leads out of it then.

    Attributes
    ----------
    told : str
        History flag.
    seen : bool
        A person reported it.
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

    told: str
    seen: bool
    check: str
    sign: str
    grade: str
    value: str
    below: float
    above: float
    looked: tuple[str, ...]
    way: tuple[str, ...]
    after: tuple[str, ...]
    ended_by: tuple[str, ...]
    over_offered: float = 0.0
    each: bool = False
    earlier: bool = False
    may_end: tuple[str, ...] = ()


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


def _raise(read: Reader, table: Table, whole: Table, where: str) -> Raise:
    read.only(table, where, RAISED_KEYS)

    def texts(key: str) -> tuple[str, ...]:
        return read.texts(table if key in table else whole, key, where)

    def text(key: str) -> str:
        return read.text(table, key, where, "")

    return Raise(
        told=text("told"),
        seen=read.flag(table, "seen", where),
        check=text("check"),
        sign=text("sign"),
        grade=text("grade"),
        value=text("value"),
        below=read.number(table, "below", where, default=0.0),
        above=read.number(table, "above", where, default=0.0),
        over_offered=read.number(table, "over_offered", where, default=0.0, high=2.0),
        each=read.flag(table, "each", where),
        looked=read.texts(table, "looked", where),
        way=texts("way"),
        after=texts("after"),
        ended_by=texts("ended_by"),
        earlier=read.flag(table, "earlier", where),
        may_end=texts("may_end"),
    )


def _one(read: Reader, name: str, table: Table) -> Hazard:
    where = f"hazards.toml [{name}]"
    read.only(table, where, HAZARD_KEYS)
    raised: Any = table.get("raised", [])
    if not raised:
        read.say(f"{where}.raised", "nothing raises it")
    return Hazard(
        id=name,
        word=read.text(table, "word", where),
        label=read.text(table, "label", where),
        says=read.text(table, "says", where),
        forbids=read.texts(table, "forbids", where),
        stops=read.texts(table, "stops", where),
        repairs=read.flag(table, "repairs", where),
        sticky=read.flag(table, "sticky", where),
        overrule=read.flag(table, "overrule", where),
        work=read.texts(table, "work", where),
        caution=read.text(table, "caution", where),
        basis=read.basis(table, where),
        raised=tuple(_raise(read, row, table, f"{where}.raised") for row in raised),
        report=read.text(table, "report", where, ""),
        shows=read.texts(table, "shows", where),
    )


def read_hazards(read: Reader) -> dict[str, Hazard]:
    """Every hazard by its id, the gravest first."""
    return {name: _one(read, name, raw) for name, raw in read.load("hazards").items()}
