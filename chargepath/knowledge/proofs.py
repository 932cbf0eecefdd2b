"""What a repaired device has to show, item by item, and the slips that a proof brings to light (proof, slips .toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table

# When a proof is made: before the device is closed, and after.
OPEN, CLOSED = "open", "closed"
WATCHES = ("", "settle", "wiggle", "turn", "replug", "gain")
# How values are judged, and what an item can show then, the good one first.
JUDGED: Mapping[str, tuple[str, ...]] = {
    "noted": ("noted",),
    "current": ("good", "low", "trickle", "none", "high"),
    "drop": ("good", "lost"),
    "flip": ("same", "one_side"),
    "own": ("good", "weak"),
    "off": ("same", "none", "higher"),
    "fast": ("fast", "plain", "low"),
    "idle": ("quiet", "leaks", "heavy"),
    "cell": ("plausible", "odd"),
    "rise": ("rises", "odd", "no_rise"),
}


@dataclass(frozen=True)
class ProofItem:
    """One thing to show.

    Attributes
    ----------
    id, label, do : str
    at : tuple of str
        When it is asked: `OPEN`, `CLOSED`.
    values : mapping of name to unit
        What can be typed.
    judged : str
        How values are judged, one of `JUDGED`; '' where it is answered.
    answers : mapping of answer to words
        The good one first.
    said : mapping of a result to words
        What may be said at a glance at the meter, instead of typing the values.
    check, variant : str
        The check that it makes, '' for none.
    grades : mapping of answer to grade of that check
    hazards : mapping of answer to the hazard that it reports
    stations : tuple of str
    watch : str
        How a live meter sees it, one of `WATCHES`.
    minutes, wait : float
        Hands on, and what the device waits by itself [min].
    essential, look, once, reversible, touched : bool
        It cannot be left out; it is part of a short look; it is asked once; only on plugs that turn over; only where
        the plan touches it.
    when, unless, told, seen, routes : tuple
        Where it belongs.
    again : str
        How a bad answer is made sure of first.
    looks : int
        From which bad answer on it counts, where it is made sure of.
    waits : mapping of answer to text
        Answers that are neither good nor bad: what to wait for until it is looked at once more.
    cautions : tuple of str
    signs : tuple of str
        Answers that are signs of the check.
    extra : bool
        It is offered, not asked.
    absent : str
        Why it is often left out.
    open_routes : tuple of str
        Before closing it is only asked after these repairs; after all where there are none.
    small : bool
        It is asked after every small repair, one that opens nothing.
    by_risk : bool
        After repairs that open the device it is asked by risk too, as everything else is after small ones.
    risk_routes, risk_told, risk_seen : tuple
        What is asked by risk is asked where one of these was done, told or seen, and else only offered.

    """

    id: str
    label: str
    do: str
    at: tuple[str, ...]
    values: Mapping[str, str]
    judged: Annotated[str, InFile(absent="")]
    answers: Mapping[str, str]
    said: Mapping[str, str]
    check: Annotated[str, InFile(absent="")]
    variant: Annotated[str, InFile(absent="")]
    grades: Mapping[str, str]
    hazards: Mapping[str, str]
    stations: tuple[str, ...]
    watch: Annotated[str, InFile(absent="")]
    minutes: Annotated[float, InFile(high=60)]
    wait: Annotated[float, InFile(high=600, absent=0.0)]
    essential: bool
    look: bool
    once: bool
    reversible: bool
    touched: bool
    when: tuple[str, ...]
    unless: tuple[str, ...]
    told: tuple[str, ...]
    seen: tuple[tuple[str, str], ...]
    routes: tuple[str, ...]
    again: Annotated[str, InFile(absent="")]
    looks: Annotated[int, InFile(low=2, high=5, absent=2)]
    waits: Mapping[str, str]
    cautions: tuple[str, ...]
    signs: tuple[str, ...]
    extra: bool
    absent: Annotated[str, InFile(absent="")]
    open_routes: tuple[str, ...]
    small: bool
    by_risk: bool
    risk_routes: tuple[str, ...]
    risk_told: tuple[str, ...]
    risk_seen: tuple[tuple[str, str], ...]
    basis: str

    def words(self, answer: str) -> str:
        """An answer in words; several signs are joined by a plus."""
        named = {**self.answers, **self.said}
        return ", ".join(named.get(part, part) for part in answer.split("+")) if answer else ""

    def takes(self, answer: str) -> bool:
        """Whether it is an answer of this item: one of them, what may be said of it, or several of its signs."""
        parts, one = answer.split("+"), {*self.answers, *self.said}
        return answer in one or (bool(parts) and all(part in self.signs for part in parts))

    @property
    def shows(self) -> tuple[str, ...]:
        """Results that the item can have, the good one first. An answer in `waits` is no result: it is asked again."""
        return JUDGED[self.judged] if self.judged else tuple(name for name in self.answers if name not in self.waits)


@dataclass(frozen=True)
class Slip:
    """A slip of the hand, or a flat cell that looks like one.

    `shows` says what the items of a proof show with it; `back` names the steps that mend it.

    One with `told` or `seen` is possible only where one of these was told before the work, or found.
    """

    id: str
    label: str
    do: str
    shows: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    share: Annotated[float, InFile(high=10)]
    when: tuple[str, ...]
    unless: tuple[str, ...]
    steps: tuple[str, ...]
    at: tuple[str, ...]
    back: tuple[str, ...]
    basis: str
    told: tuple[str, ...] = ()
    seen: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class ProofLimits:
    """What the readings of a proof are held against (see proof.toml), with what each number is called."""

    rise_minutes: float
    rise_percent: float
    rise_fastest: float
    full_percent: float
    direction_share: float
    own_share: float
    replug_times: float
    lean_times: float
    gain_most: float
    gain_least: float
    gain_share: float
    gain_from_mah: float
    path_drop_v: float
    fast_from_v: float
    seal_depth_kpa: float
    seal_seconds: float
    seal_worse: float
    seal_quiet_kpa: float
    capacity: Mapping[str, tuple[float, float]]
    cell_percent: tuple[float, ...]
    cell_low: tuple[float, ...]
    cell_high: tuple[float, ...]
    labels: Mapping[str, str]
    basis: str


_NUMBERS = tuple(
    name
    for name in ProofLimits.__dataclass_fields__
    if name not in ("capacity", "cell_percent", "cell_low", "cell_high", "labels", "basis")
)


def read_proof(read: Reader) -> tuple[ProofLimits, dict[str, ProofItem]]:
    """The numbers of the proof, and its items."""
    raw = read.load("proof")
    where = "proof.toml"
    cell = read.table(raw, "cell_volts", where)
    read.basis(cell, f"{where} [cell_volts]")
    capacity = read.table(raw, "capacity", where)
    limits = read.row(
        ProofLimits,
        raw,
        where,
        ("capacity", "cell_volts", "item"),
        capacity={kind: _pair(read, capacity, kind) for kind in capacity},
        cell_percent=_row(read, cell, "percent"),
        cell_low=_row(read, cell, "low"),
        cell_high=_row(read, cell, "high"),
    )
    read.known(limits.labels, _NUMBERS, f"{where} [labels]")
    if len({len(limits.cell_percent), len(limits.cell_low), len(limits.cell_high)}) != 1:
        read.say(f"{where} [cell_volts]", "percent, low and high differ in length")
    return limits, {
        name: read.row(ProofItem, item, f"{where} [item.{name}]", id=name)
        for name, item in read.table(raw, "item", where).items()
    }


def _row(read: Reader, table: Table, key: str) -> tuple[float, ...]:
    found = table.get(key, [])
    if isinstance(found, list) and found and all(isinstance(one, int | float) for one in found):
        return tuple(float(one) for one in found)
    read.say(f"proof.toml [cell_volts].{key}", "must be a list of numbers")
    return ()


def _pair(read: Reader, table: Table, key: str) -> tuple[float, float]:
    found = table[key]
    if isinstance(found, list) and len(found) == 2 and 0 < found[0] <= found[1]:
        return float(found[0]), float(found[1])
    read.say(f"proof.toml [capacity].{key}", "must be the smallest and the largest [mAh]")
    return 1.0, 1.0


def read_slips(read: Reader) -> dict[str, Slip]:
    """Slips of the hand."""
    out = {}
    for name, raw in read.load("slips").items():
        where = f"slips.toml [{name}]"
        at = read.texts(raw, "at", where) or (OPEN, CLOSED)
        out[name] = read.row(Slip, raw, where, ("at",), id=name, at=at)
    return out
