"""Faults: what can be wrong, and what it does to each check (faults.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from chargepath.knowledge.reader import Reader, Table

if TYPE_CHECKING:
    from chargepath.knowledge.book import Knowledge

FACTORS = ("history", "carrier", "connector", "kind", "wireless")


@dataclass(frozen=True)
class Fault:
    """A cause, and what it does to each check (see the head of faults.toml)."""

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


def _one(read: Reader, name: str, table: Table) -> Fault:
    where = f"faults.toml [{name}]"
    read.only(table, where, ("station", "label", "about", "weight", "passes", "grades", "signs", "basis", *FACTORS))
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
    )


def read_faults(read: Reader) -> dict[str, Fault]:
    """Every fault by its id."""
    return {name: _one(read, name, raw) for name, raw in read.load("faults").items()}


def cross_check(read: Reader, known: Knowledge) -> None:
    """Checks and outcomes that faults name; likelihoods leave room; something cures each."""
    keys = {key: check for check in known.checks.values() for key in check.keys}
    for fault in known.faults.values():
        where = f"faults.toml [{fault.id}]"
        read.known([fault.station], known.stations, f"{where}.station")
        read.known(fault.factors["history"], known.history, f"{where}.history")
        read.known(fault.factors["carrier"], known.carriers, f"{where}.carrier")
        read.known(fault.factors["connector"], known.connectors, f"{where}.connector")
        read.known(fault.factors["kind"], known.kinds, f"{where}.kind")
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
