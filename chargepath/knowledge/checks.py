"""Checks: what can be looked at or measured (checks.toml)."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table

# How numbers become a grade, in words of the grading room; '' where the person says the grade.
METHODS = ("", "current", "cell", "steps", "volts", "line", "sense", "pulldown")
# What a check is measured with, where that has a page of its own.
TOOLS = ("", "sheet", "ladder", "supply", "sense")


@dataclass(frozen=True)
class Value:
    """A number that a check takes, with the limits of what is physically possible.

    `worked_out` marks one that the program fills in; nobody is asked for it. `of_charger` marks what the charger gives:
    a form offers what each kind of charger does.
    """

    name: str
    unit: str
    min: Annotated[float, InFile(low=-100)]
    max: float
    required: bool
    overrange: bool
    worked_out: bool = False
    of_charger: bool = False


@dataclass(frozen=True)
class Implied:
    """What a value shows besides: from `least` on and under `below`, `check` has shown `grade`."""

    check: str
    grade: str
    value: str
    least: float
    below: float = math.inf


@dataclass(frozen=True)
class Given:
    """Another reading of the same path, whose answer a check partly repeats.

    `key` of the other reading, the grades that are `shared`, and how surely one of them is seen again (`follows`). It
    holds for the first variant of the check.
    """

    key: str
    shared: tuple[str, ...]
    follows: Annotated[float, InFile(high=1)]


@dataclass(frozen=True)
class Check:
    """Something to look at or to measure.

    `word` stands for it in the quick line. A graded check has `grades` from healthy to worst, a look has `signs`;
    never both. `leak` maps grade or sign to its probability on a device with no fault that affects the check,
    `leak_history` overrides it under a history flag. `graded_by` names the arithmetic that grades its numbers, `tool`
    what it is measured with, `example` what may follow its word in the quick line, `implies` what its numbers show
    besides, `puts` what current it puts into the device (keys of `hazards.PUTS`), `given` another reading of the
    same path that it partly repeats; one that is `unasked` is taken when somebody has it to say and never proposed,
    and what it `repeats` was read from nearer by; after a grade of `no_proof` nobody
    proves that the device charges. A grade of `needs_value` is only entered with that number. `also` are other words
    that stand for it in the quick line.
    """

    id: str
    word: str
    station: str
    station_on: Mapping[str, str]
    marks: Mapping[str, str]
    access: str
    label: str
    place: str
    minutes: Annotated[float, InFile(high=600)]
    wait_minutes: Annotated[float, InFile(high=6000, absent=0.0)]
    grades: tuple[str, ...]
    signs: tuple[str, ...]
    labels: Mapping[str, str]
    leak: Annotated[Mapping[str, float], InFile(chances=True)]
    leak_history: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    variant_field: Annotated[str, InFile(absent="")]
    variants: tuple[str, ...]
    own_effects: tuple[str, ...]
    open_grade: Annotated[str, InFile(absent="")]
    cut_by: tuple[str, ...]
    connectors: tuple[str, ...]
    needs_wireless: bool
    void_when: tuple[tuple[str, str], ...]
    needs_before: tuple[tuple[str, str], ...]
    cautions: tuple[str, ...]
    values: Mapping[str, Value]
    reading: Mapping[str, float]
    basis: str
    needs_value: Mapping[str, str] = field(default_factory=dict)
    graded_by: str = ""
    tool: str = ""
    example: str = ""
    implies: tuple[Implied, ...] = ()
    puts: tuple[str, ...] = ()
    given: Given | None = None
    unasked: bool = False
    repeats: tuple[str, ...] = ()
    no_proof: tuple[str, ...] = ()
    also: tuple[str, ...] = ()

    @property
    def asked(self) -> tuple[str, ...]:
        """Values that a reading in numbers has to give: the required ones, or, where none is, all."""
        return tuple(name for name, value in self.values.items() if value.required) or tuple(self.values)

    def lacking(self, given: Collection[str]) -> list[str]:
        """Values that are still to be given where no grade is said; where none is required, one of them is enough."""
        if any(value.required for value in self.values.values()):
            return [name for name in self.asked if name not in given]
        return [] if given else list(self.asked)

    @property
    def in_one_piece(self) -> bool:
        """Whether an opened device has its board in and its battery on for it: it runs, or is on a charger."""
        return self.access == "outside" and bool(self.puts)

    @property
    def plugs_in(self) -> bool:
        """Whether a plug with current, or a pad, comes to the closed device; switching it on alone is none."""
        return self.access == "outside" and bool(set(self.puts) - {"start"})

    @property
    def is_look(self) -> bool:
        """Whether the check reports signs rather than one grade."""
        return bool(self.signs)

    @property
    def keys(self) -> tuple[str, ...]:
        """Evidence keys: the id, or ``id@variant`` for each further variant."""
        return (self.id, *(f"{self.id}@{variant}" for variant in self.variants[1:]))

    def fits(self, connector: str, wireless: bool) -> bool:
        """Whether the check makes sense on a device with that connector, with or without a coil."""
        return (not self.connectors or connector in self.connectors) and (wireless or not self.needs_wireless)

    def key(self, variant: str = "") -> str:
        """Evidence key of one variant; the first variant is the plain id."""
        return self.id if not variant or variant == self.variants[0] else f"{self.id}@{variant}"

    def mark_of(self, grade: str, signs: Sequence[str] = ()) -> str:
        """State mark of what it showed: good, off, open or short."""
        if self.is_look:
            return "off" if signs else "good"
        return self.marks.get(grade, "good" if grade == self.grades[0] else "off")

    def name(self, outcome: str) -> str:
        """Label of a grade, sign or variant."""
        return self.labels.get(outcome, outcome)

    def value_label(self, name: str) -> str:
        """What one of its numbers is called, with its unit."""
        unit = {"ohm": "Ω"}.get(self.values[name].unit, self.values[name].unit)
        return f"{self.labels.get(name, name.replace('_', ' ').capitalize())}{f' ({unit})' if unit else ''}"


def _one(read: Reader, name: str, table: Table) -> Check:
    where = f"checks.toml [{name}]"
    values = {
        key: read.row(Value, raw, f"{where}.values.{key}", name=key)
        for key, raw in read.table(table, "values", where).items()
    }
    implies = tuple(
        read.row(Implied, {"value": shown, **raw}, f"{where}.implies.{shown}")
        for shown, raw in read.table(table, "implies", where).items()
    )
    given = read.row(Given, table["given"], f"{where}.given") if "given" in table else None
    apart = ("values", "implies", "given")
    found = read.row(Check, table, where, apart, id=name, values=values, implies=implies, given=given)
    shows = found.grades + found.signs
    if bool(found.grades) == bool(found.signs):
        read.say(where, "needs either grades or signs")
    if set(found.leak) != set(shows):
        read.say(f"{where}.leak", f"must name each of {', '.join(shows)}")
    for flag, chances in {"": found.leak, **found.leak_history}.items():
        read.known(chances, shows, f"{where}.leak {flag}")
        if found.grades and abs(sum(chances.values()) - 1) > 1e-9:
            read.say(f"{where}.leak {flag}", f"must add up to 1, not {sum(chances.values()):g}")
    return found


def read_checks(read: Reader) -> dict[str, Check]:
    """Every check by its id, in the order of the work."""
    return {name: _one(read, name, raw) for name, raw in read.load("checks").items()}
