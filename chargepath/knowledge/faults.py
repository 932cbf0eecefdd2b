"""Faults: what can be wrong, and what it does to each check (faults.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from chargepath.knowledge.reader import Reader, Table

if TYPE_CHECKING:
    from chargepath.knowledge.book import Knowledge

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


def _check_aftercare(read: Reader, known: Knowledge) -> None:
    """Every fault has its words for the customer, and no other has."""
    read.known(known.aftercare, known.faults, "aftercare.toml")
    for name in known.faults:
        if name not in known.aftercare:
            read.say(f"aftercare.toml [{name}]", "this fault has no words for the customer")


def cross_check(read: Reader, known: Knowledge) -> None:
    """Checks and outcomes that faults name; likelihoods leave room; something cures each."""
    _check_aftercare(read, known)
    keys = {key: check for check in known.checks.values() for key in check.keys}
    for fault in known.faults.values():
        where = f"faults.toml [{fault.id}]"
        read.known([fault.station], known.stations, f"{where}.station")
        read.known(fault.factors["history"], known.history, f"{where}.history")
        read.known(fault.factors["carrier"], known.carriers, f"{where}.carrier")
        read.known(fault.factors["connector"], known.connectors, f"{where}.connector")
        read.known(fault.factors["kind"], known.kinds, f"{where}.kind")
        for key, modes in fault.modes.items():
            read.known([key], keys, f"{where}.modes")
            if key in keys:
                read.known([sign for mode in modes for sign in mode.signs], keys[key].signs, f"{where}.modes.{key}")
                if sum(key in other.modes for other in known.faults.values()) > 1:
                    read.say(f"{where}.modes.{key}", "only one fault may show itself to a look in several ways")
        for kind, effects in (("grades", fault.grades), ("signs", fault.signs)):
            for key, chances in effects.items():
                at = f"{where}.{kind}.{key}"
                read.known([key], keys, at)
                if key in keys:
                    read.known(chances, getattr(keys[key], kind), at)
                if kind == "grades" and sum(chances.values()) > 1 + 1e-9:
                    read.say(at, f"the chances add up to {sum(chances.values()):g}; they may not pass 1")
        if not any(fault.id in route.cures for route in known.routes.values()):
            read.say(where, "no route in routes.toml cures it")
