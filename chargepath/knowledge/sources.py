"""Chargers, guided routines and the limits of records (sources, traces .toml)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table


@dataclass(frozen=True)
class Source:
    """A kind of charger: the most it has to give [A], nominal and allowed volts at its port [V].

    `boost` is how many times the watts of a plain 5 V charger a healthy device takes from it. The volts of an
    `adjustable` one are any between its limits. A `pad` charges without a plug.
    """

    id: str
    label: str
    amps: Annotated[float, InFile(low=0.01, high=60)]
    volts: Annotated[float, InFile(low=0.01, high=60)]
    low_volts: Annotated[float, InFile(low=0.01, high=60)]
    high_volts: Annotated[float, InFile(low=0.01, high=60)]
    basis: str
    boost: Annotated[float, InFile(low=1.0, high=10)] = 1.0
    adjustable: bool = False
    pad: bool = False


@dataclass(frozen=True)
class RoutineStep:
    """One stretch of a guided routine: its id, how long [s], and what the person does."""

    stretch: str
    seconds: float
    text: str


@dataclass(frozen=True)
class Routine:
    """A guided routine and the check that comes of it."""

    id: str
    label: str
    check: str
    steps: tuple[RoutineStep, ...]
    basis: str

    @property
    def seconds(self) -> float:
        """How long it takes [s]."""
        return sum(step.seconds for step in self.steps)


def _routine(read: Reader, name: str, table: Table) -> Routine:
    where = f"traces.toml [{name}]"
    steps = []
    for raw in table.get("steps", []):
        if isinstance(raw, list) and len(raw) == 3 and isinstance(raw[1], int | float) and raw[1] > 0:
            steps.append(RoutineStep(str(raw[0]), float(raw[1]), str(raw[2])))
        else:
            read.say(f"{where}.steps", "each step is [stretch, seconds, text]")
    return read.row(Routine, table, where, ("steps",), id=name, steps=tuple(steps))


def read_sources(read: Reader) -> dict[str, Source]:
    """Every kind of charger by its id."""
    return read.rows(Source, "sources")


def read_traces(read: Reader) -> tuple[dict[str, float], dict[str, Routine]]:
    """Limits that records are graded by, and the guided routines."""
    raw = read.load("traces")
    grading = read.table(raw, "grading", "traces.toml")
    read.basis(grading, "traces.toml [grading]")
    routines = {name: _routine(read, name, table) for name, table in raw.items() if name != "grading"}
    return read.numbers(grading, "traces.toml [grading]"), routines
