"""What comes before a device is opened or handed on (intake.toml)."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from chargepath.knowledge.reader import Reader


@dataclass(frozen=True)
class IntakeRule:
    """A check or a route that comes first, and why.

    `first` before anything else, `told` only after one of these was told, `untold` only where none of these was, `seen`
    only where one of these checks showed one of these signs, `read` only where one read one of these grades.
    """

    kind: str
    id: str
    first: bool
    told: tuple[str, ...]
    seen: tuple[tuple[str, str], ...]
    why: str
    untold: tuple[str, ...] = ()
    read: tuple[tuple[str, str], ...] = ()

    def holds(self, told: Collection[str], signs: Collection[tuple[str, str]], grades: Mapping[str, str]) -> bool:
        """Whether what was told, seen and read calls for it; `grades` by evidence key."""
        return (
            (not self.told or any(flag in told for flag in self.told))
            and not any(flag in told for flag in self.untold)
            and (not self.seen or any(sign in signs for sign in self.seen))
            and (not self.read or any(grades.get(check) == grade for check, grade in self.read))
        )


@dataclass(frozen=True)
class Intake:
    """The rules in their order; from the chance `decisive` of one fault on they rest."""

    rules: tuple[IntakeRule, ...]
    decisive: float
    basis: str


def read_intake(read: Reader) -> Intake:
    """The habit of taking a device in."""
    raw = read.load("intake")
    where = "intake.toml"
    read.only(raw, where, ("rule", "decisive", "basis"))
    rules = []
    for number, table in enumerate(raw.get("rule", []), 1):
        at = f"{where} [[rule]] {number}"
        kind, key = ("repair", "route") if "route" in table else ("check", "check")
        rules.append(read.row(IntakeRule, table, at, (key,), kind=kind, id=read.text(table, key, at)))
    return Intake(tuple(rules), read.number(raw, "decisive", where, high=1), read.basis(raw, where))
