"""Closed jobs as examples to learn from, and the numbers learned from them; both are read and written as JSON."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from chargepath.case.entries import Case
from chargepath.knowledge import Knowledge
from chargepath.learning.betas import LearnedNumber

# How many jobs, repairs, jobs that show it, and timings a prior number is worth: a shop's own year outweighs it, its
# first month does not.
SHARE_WORTH, CURE_WORTH, SHOW_WORTH, MINUTES_WORTH = 40.0, 10.0, 20.0, 4.0

# Fault, check key, grade or sign; fault '' for what shows without one that affects the check.
Shows = Mapping[tuple[str, str, str], LearnedNumber]


@dataclass(frozen=True)
class Timing:
    """How long something took, by the key of `Prices.minutes`."""

    key: str
    minutes: float
    who: str = ""


@dataclass(frozen=True)
class Example:
    """A closed job: its case with the outcome, its timings, its family, whether it came back, and whether its faults
    count.
    """

    case: Case
    timings: tuple[Timing, ...] = ()
    family: str = ""
    came_back: bool = False
    counts: bool = True


@dataclass(frozen=True)
class Estimates:
    """Everything learned.

    Attributes
    ----------
    shares : mapping of group to mapping of fault id to Learned
        Groups: ``all``, ``kind:K``, ``family:F``, ``history:FLAG``.
    cures : mapping of (route, fault) to Learned
    comebacks : mapping of route to Learned
    minutes : mapping of timing key to Learned
    pace : mapping of person to Learned
        That person's minutes over everybody's; shipped is 1.
    jobs : int
    shows : mapping of (fault, check key, grade or sign) to Learned
        What faults show; fault '' for what shows without one that affects the check.

    """

    shares: Mapping[str, Mapping[str, LearnedNumber]]
    cures: Mapping[tuple[str, str], LearnedNumber]
    comebacks: Mapping[str, LearnedNumber]
    minutes: Mapping[str, LearnedNumber]
    pace: Mapping[str, LearnedNumber]
    jobs: int
    shows: Shows = field(default_factory=dict)


def groups_of(example: Example) -> list[str]:
    """The groups that a job counts in."""
    case = example.case
    named = [f"family:{example.family}"] if example.family else []
    return ["all", f"kind:{case.device.kind}", *named, *(f"history:{flag}" for flag in case.history)]


def minutes_of(known: Knowledge) -> dict[str, float]:
    """The shipped minutes by timing key."""
    return {
        **{f"check:{check.id}": check.minutes for check in known.checks.values()},
        **{f"route:{route.id}": route.minutes for route in known.routes.values()},
        **{f"try:{route.id}": route.try_minutes for route in known.routes.values() if route.try_minutes is not None},
        **{f"open:{level.id}": level.open_minutes for level in known.access.values()},
    }


def to_json(estimates: Estimates) -> dict[str, Any]:
    """Everything learned as plain JSON, for keeping and for taking out."""

    def plain(found: Mapping[str, LearnedNumber]) -> dict[str, list[float]]:
        return {key: [n.prior, n.here, n.count, n.worth, n.reach] for key, n in found.items()}

    return {
        "format": "rainfront-learned",
        "version": 2,
        "jobs": estimates.jobs,
        "shares": {group: plain(found) for group, found in estimates.shares.items()},
        "cures": plain({" ".join(key): n for key, n in estimates.cures.items()}),
        "comebacks": plain(estimates.comebacks),
        "minutes": plain(estimates.minutes),
        "pace": plain(estimates.pace),
        "shows": plain({" ".join(key): n for key, n in estimates.shows.items()}),
    }


def from_json(data: Mapping[str, Any]) -> Estimates:
    """Read back what `to_json` gave, by this version or the first, which kept each interval's ends."""
    first = data.get("version") == 1

    def read(table: str, worth: float = 0.0) -> dict[str, LearnedNumber]:
        return {key: one(numbers, worth) for key, numbers in data.get(table, {}).items()}

    def one(numbers: Sequence[float], worth: float) -> LearnedNumber:
        if not first:
            return LearnedNumber(*numbers)
        prior, here, _, high, count = numbers
        return LearnedNumber(prior, here, count, worth, 0.0 if worth else math.log(high / here))

    shares = {
        group: {fault: one(numbers, SHARE_WORTH) for fault, numbers in found.items()}
        for group, found in data.get("shares", {}).items()
    }
    return Estimates(
        shares=shares,
        cures={_two(key): found for key, found in read("cures", CURE_WORTH).items()},
        comebacks=read("comebacks", CURE_WORTH),
        minutes=read("minutes"),
        pace=read("pace"),
        jobs=int(data.get("jobs", 0)),
        shows={_three(key): found for key, found in read("shows", SHOW_WORTH).items()},
    )


def _two(key: str) -> tuple[str, str]:
    route, fault = key.split(" ")
    return route, fault


def _three(key: str) -> tuple[str, str, str]:
    fault, check, outcome = key.split(" ")
    return fault, check, outcome
