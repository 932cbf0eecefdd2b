"""Faults: what can be wrong, and what it does to each check (faults.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from chargepath.knowledge.reader import Reader, Table

FACTORS = ("history", "carrier", "connector", "kind", "wireless")


@dataclass(frozen=True)
class Mode:
    """One of several ways in which a fault is there, which exclude each other: its share, and the signs it shows."""

    share: float
    signs: Mapping[str, float]


@dataclass(frozen=True)
class Fault:
    """A cause, and what it does to each check (see the head of faults.toml).

    `modes` gives, by look, ways in which the fault is there that exclude each other; they stand in place of its signs.
    """

    id: str
    station: str
    label: str
    about: str
    weight: float
    factors: Mapping[str, Mapping[str, float]]
    passes: float
    grades: Mapping[str, Mapping[str, float]]
    signs: Mapping[str, Mapping[str, float]]
    basis: str
    modes: Mapping[str, tuple[Mode, ...]] = field(default_factory=dict)


def _modes(read: Reader, table: Table, where: str) -> dict[str, tuple[Mode, ...]]:
    out = {}
    for key, rows in read.table(table, "modes", where).items():
        at, made = f"{where}.modes.{key}", []
        for row in rows:
            share = read.number(row, "share", at, high=1)
            made.append(Mode(share, read.chances(read.table(row, "signs", at), at)))
        if abs(sum(mode.share for mode in made) - 1) > 1e-9:
            read.say(at, f"the shares must add up to 1, not {sum(mode.share for mode in made):g}")
        out[key] = tuple(made)
    return out


def _one(read: Reader, name: str, table: Table) -> Fault:
    where = f"faults.toml [{name}]"
    read.only(
        table, where, ("station", "label", "about", "weight", "passes", "grades", "signs", "modes", "basis", *FACTORS)
    )
    grades = read.table(table, "grades", where)
    signs = read.table(table, "signs", where)
    return Fault(
        id=name,
        station=read.text(table, "station", where),
        label=read.text(table, "label", where),
        about=read.text(table, "about", where),
        weight=read.number(table, "weight", where, low=1e-6, high=1),
        factors={kind: read.numbers(read.table(table, kind, where), f"{where}.{kind}") for kind in FACTORS},
        passes=read.number(table, "passes", where, high=0.99),
        grades={key: read.chances(raw, f"{where}.grades.{key}") for key, raw in grades.items()},
        signs={key: read.chances(raw, f"{where}.signs.{key}") for key, raw in signs.items()},
        basis=read.basis(table, where),
        modes=_modes(read, table, where),
    )


def read_faults(read: Reader) -> dict[str, Fault]:
    """Every fault by its id."""
    return {name: _one(read, name, raw) for name, raw in read.load("faults").items()}
