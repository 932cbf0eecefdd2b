"""Reference cases: what the program says to each, before and after a number is changed."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache

from chargepath.case.entries import Case, Device
from chargepath.case.quickline import parse_line
from chargepath.decision.judgement import judge
from chargepath.decision.prices import Prices
from chargepath.knowledge import Knowledge
from chargepath.knowledge.loader import DATA

CASES = DATA.parent / "cases.toml"


@dataclass(frozen=True)
class ReferenceAnswer:
    """What the program says to a reference case: its likeliest fault with the chance, and what to do next."""

    name: str
    expected: str
    fault: str
    chance: float
    step: str


@dataclass(frozen=True)
class Difference:
    """A reference case whose answer changes."""

    before: ReferenceAnswer
    after: ReferenceAnswer


def cases(known: Knowledge) -> list[tuple[str, str, Case]]:
    """Every reference case: name, expected fault, the case."""
    out = []
    for number, row in enumerate(tomllib.loads(CASES.read_text(encoding="utf-8"))["case"], 1):
        kind, connector, carrier, *rest = row["device"].split()
        device = Device(kind, connector, carrier, "wireless" in rest, known.costs.default_value[kind])
        events = tuple(parse_line(line, known, device) for line in row["lines"])
        name = f"{number}: {row['device']}, {'; '.join(row['lines'])}"
        out.append((name, row["fault"], Case(device, tuple(row.get("history", ())), events)))
    return out


@lru_cache(maxsize=8)
def answers(known: Knowledge) -> tuple[ReferenceAnswer, ...]:
    """What the program says to each reference case with this knowledge."""
    out = []
    for name, expected, case in cases(known):
        judged = judge(known, case, Prices.of(known, case.device.value, device=case.device), steps=1)
        fault, chance = judged.belief.faults[0]
        step = judged.advice.next
        out.append(ReferenceAnswer(name, expected, fault, chance, f"{step.kind} {step.id}"))
    return tuple(out)


def differences(before: Knowledge, after: Knowledge) -> list[Difference]:
    """Reference cases whose likeliest fault or next step is another one."""
    pairs = zip(answers(before), answers(after), strict=True)
    return [Difference(old, new) for old, new in pairs if (old.fault, old.step) != (new.fault, new.step)]
