"""Faults: what can be wrong, and what it does to each check (faults.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table

FACTORS = ("history", "carrier", "connector", "kind", "wireless")


@dataclass(frozen=True)
class Mode:
    """One of several ways in which a fault is there, which exclude each other: its share, and the signs it shows."""

    share: Annotated[float, InFile(high=1)]
    signs: Annotated[Mapping[str, float], InFile(chances=True)]


@dataclass(frozen=True)
class Fault:
    """A cause, and what it does to each check (see the head of faults.toml).

    `label_on` is its label instead, by carrier. `modes` gives, by look, ways in which the fault is there that exclude
    each other; they stand in place of its signs.
    """

    id: str
    station: str
    label: str
    about: str
    weight: Annotated[float, InFile(low=1e-6, high=1)]
    factors: Mapping[str, Mapping[str, float]]
    passes: Annotated[float, InFile(high=0.99)]
    grades: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    signs: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    basis: str
    modes: Mapping[str, tuple[Mode, ...]] = field(default_factory=dict)
    label_on: Mapping[str, str] = field(default_factory=dict)

    def worded(self, carrier: str) -> Fault:
        """The same fault, called as on a device with that carrier."""
        return replace(self, label=self.label_on.get(carrier, self.label))


def _modes(read: Reader, table: Table, where: str) -> dict[str, tuple[Mode, ...]]:
    out = {}
    for key, rows in read.table(table, "modes", where).items():
        at, made = f"{where}.modes.{key}", []
        for row in rows:
            made.append(read.row(Mode, row, at))
        if abs(sum(mode.share for mode in made) - 1) > 1e-9:
            read.say(at, f"the shares must add up to 1, not {sum(mode.share for mode in made):g}")
        out[key] = tuple(made)
    return out


def _one(read: Reader, name: str, table: Table) -> Fault:
    where = f"faults.toml [{name}]"
    factors = {kind: read.numbers(read.table(table, kind, where), f"{where}.{kind}") for kind in FACTORS}
    return read.row(
        Fault, table, where, ("modes", *FACTORS), id=name, factors=factors, modes=_modes(read, table, where)
    )


def read_faults(read: Reader) -> dict[str, Fault]:
    """Every fault by its id."""
    return {name: _one(read, name, raw) for name, raw in read.load("faults").items()}
