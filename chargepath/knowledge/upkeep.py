"""Tests of the bench's own tools, which every reading rests on, and how its consumables age (upkeep.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader


@dataclass(frozen=True)
class BenchTest:
    """A test of a tool of the bench that comes round again.

    Attributes
    ----------
    id, label : str
    every_days : float
        It is due so many days after the last one.
    do, right, fails : str
        What to do, what is right, and what follows where it is not.
    unit : str
        Of its reading; '' for a test without a number.
    low, high : float or None
        Between which the reading is right, both included.
    rests : tuple of str
        Checks that are only as good as this test.

    """

    id: str
    label: str
    every_days: Annotated[float, InFile(low=1, high=366)]
    do: str
    right: str
    fails: str
    rests: tuple[str, ...]
    unit: str = ""
    low: Annotated[float | None, InFile(high=1e6, absent=None)] = None
    high: Annotated[float | None, InFile(high=1e6, absent=None)] = None

    def holds(self, reading: float) -> bool:
        """Whether a reading lies within the limits of the test, both included; without limits every reading does."""
        return (self.low is None or reading >= self.low) and (self.high is None or reading <= self.high)

    def due_on(self, last: date | None) -> date | None:
        """The day on which the test is due again after it was done on `last`; None for a test that was never done."""
        return None if last is None else last + timedelta(days=self.every_days)


@dataclass(frozen=True)
class Consumable:
    """Something that is used up: for how many days after opening it is usually good, and how its end is seen."""

    id: str
    keeps_days: Annotated[float, InFile(low=1, high=3660)]
    spent: str


@dataclass(frozen=True)
class Upkeep:
    """The tests of the bench and its consumables, each by its id; that of a consumable is its name in the plans."""

    tests: Mapping[str, BenchTest]
    consumables: Mapping[str, Consumable]

    def behind(self, check: str) -> list[BenchTest]:
        """The tests that a check rests on."""
        return [test for test in self.tests.values() if check in test.rests]


def read_upkeep(read: Reader) -> Upkeep:
    """The tests and the consumables."""
    raw = read.load("upkeep")
    read.only(raw, "upkeep.toml", ("basis", "test", "consumable"))
    read.basis(raw, "upkeep.toml")
    tests = {
        name: read.row(BenchTest, row, f"upkeep.toml [test.{name}]", id=name)
        for name, row in read.table(raw, "test", "upkeep.toml").items()
    }
    for test in tests.values():
        if (test.low is None) != (test.high is None) or bool(test.unit) != (test.low is not None):
            read.say(f"upkeep.toml [test.{test.id}]", "has a unit with both limits, low and high, or none of them")
    consumables = {
        name: read.row(Consumable, row, f"upkeep.toml [consumable.{name}]", id=name)
        for name, row in read.table(raw, "consumable", "upkeep.toml").items()
    }
    return Upkeep(tests, consumables)
