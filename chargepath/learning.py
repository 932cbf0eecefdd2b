"""What the shop's own closed jobs say: how often each fault occurs, how well each repair cures, how long things take.

Shares of faults are Dirichlet with the shipped numbers as pseudo-counts, cure and come-back rates beta, minutes log-normal.
Everything is shrunk towards what ships, by a fixed number of imagined jobs, and carries an interval.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import median
from typing import Any

import numpy as np

from chargepath.betas import Learned, learned_share
from chargepath.casefile import Case, Device, RepairEvent
from chargepath.knowledge import Fault, Knowledge, Route
from chargepath.model import Model
from chargepath.showing import Shows, showing, with_showing

# How many jobs, repairs and timings a shipped number is worth: a shop's own year outweighs it, its first month does not.
SHARE_WORTH, CURE_WORTH, MINUTES_WORTH = 40.0, 10.0, 4.0
# Counts are not hedged as written-down chances are: after so many jobs half of the knowledge's sharpness is gone.
HEDGE_WORTH = 400.0
# A timing beyond these multiples of what ships is a lunch break or a slip.
TIMING_LOW, TIMING_HIGH = 0.2, 5.0
# Spread of the log of a timing before anything is known.
TIMING_SPREAD = 0.5


@dataclass(frozen=True)
class Timing:
    """How long something took, by the key of `Prices.minutes`."""

    key: str
    minutes: float
    who: str = ""


@dataclass(frozen=True)
class Lesson:
    """A closed job: its case with the outcome, its timings, its family, whether it came back, and whether its faults count."""

    case: Case
    timings: tuple[Timing, ...] = ()
    family: str = ""
    came_back: bool = False
    counts: bool = True


@dataclass(frozen=True)
class Lessons:
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

    shares: Mapping[str, Mapping[str, Learned]]
    cures: Mapping[tuple[str, str], Learned]
    comebacks: Mapping[str, Learned]
    minutes: Mapping[str, Learned]
    pace: Mapping[str, Learned]
    jobs: int
    shows: Shows = field(default_factory=dict)


def groups_of(lesson: Lesson) -> list[str]:
    """The groups that a job counts in."""
    case = lesson.case
    named = [f"family:{lesson.family}"] if lesson.family else []
    return ["all", f"kind:{case.device.kind}", *named, *(f"history:{flag}" for flag in case.history)]


def _shares(known: Knowledge, lessons: Sequence[Lesson]) -> dict[str, dict[str, Learned]]:
    """Dirichlet shares of the faults in every group; the mean shipped share over the group's jobs is its prior."""
    names = list(known.faults)
    prior: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(len(names)))
    hits: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(len(names)))
    count: dict[str, int] = defaultdict(int)
    told: dict[tuple[Device, tuple[str, ...]], np.ndarray] = {}
    for lesson in lessons:
        outcome = lesson.case.outcome
        faults = [name for name in (outcome.faults if outcome else ()) if name in known.faults]
        if not faults or not lesson.counts:
            continue
        kind = lesson.case.compiled_for
        if kind not in told:
            weights = Model(known, *kind).weights
            told[kind] = weights / weights.sum()
        found = np.zeros(len(names))
        for name in faults:
            found[names.index(name)] = 1 / len(faults)
        for group in groups_of(lesson):
            prior[group] += told[kind]
            hits[group] += found
            count[group] += 1
    out = {}
    for group, n in count.items():
        mean = prior[group] / n
        out[group] = {
            name: learned_share(float(mean[k]), SHARE_WORTH, float(hits[group][k]), n) for k, name in enumerate(names)
        }
    return out


def _repairs(known: Knowledge, lesson: Lesson) -> list[tuple[Route, str, bool]]:
    """Every proved repair of a job with a fault that it was to cure and whether it did; a come-back undoes the last success."""
    outcome = lesson.case.outcome
    present, out = set(outcome.faults if outcome else ()), []
    done = [event for event in lesson.case.events if isinstance(event, RepairEvent) and event.works is not None]
    for number, event in enumerate(done):
        route = known.routes[event.route]
        cured = bool(event.works) and not (lesson.came_back and number == len(done) - 1)
        for fault in present & set(route.cures_on(lesson.case.device.carrier)):
            out.append((route, fault, cured))
            if cured:
                present.discard(fault)
    return out


def _minutes(shipped: Mapping[str, float], timings: Iterable[Timing]) -> tuple[dict[str, Learned], dict[str, Learned]]:
    """Learned minutes by key, and each person's pace over everybody's."""
    logs: dict[str, list[float]] = defaultdict(list)
    people: dict[str, list[float]] = defaultdict(list)
    rows = [
        timing
        for timing in timings
        if shipped.get(timing.key, 0) > 0
        and TIMING_LOW * shipped[timing.key] <= timing.minutes <= TIMING_HIGH * shipped[timing.key]
    ]
    for timing in rows:
        logs[timing.key].append(math.log(timing.minutes / shipped[timing.key]))
    minutes = {key: _log_normal(shipped[key], values) for key, values in logs.items()}
    for timing in rows:
        if timing.who:
            people[timing.who].append(math.log(timing.minutes / minutes[timing.key].here))
    return minutes, {who: _log_normal(1.0, values) for who, values in people.items()}


def _log_normal(shipped: float, logs: Sequence[float]) -> Learned:
    n = len(logs)
    middle = n * median(logs) / (n + MINUTES_WORTH)
    spread = TIMING_SPREAD
    if n > 2:
        around = sum((value - median(logs)) ** 2 for value in logs)
        spread = math.sqrt((MINUTES_WORTH * TIMING_SPREAD**2 + around) / (MINUTES_WORTH + n - 1))
    # A median wanders by pi/2 of a mean's variance; the normal quantile of the level is 1.96.
    reach = 1.96 * spread * math.sqrt(math.pi / 2 / (n + MINUTES_WORTH))
    here = shipped * math.exp(middle)
    return Learned(shipped, here, here * math.exp(-reach), here * math.exp(reach), n)


def minutes_of(known: Knowledge) -> dict[str, float]:
    """The shipped minutes by timing key."""
    return {
        **{f"check:{check.id}": check.minutes for check in known.checks.values()},
        **{f"route:{route.id}": route.minutes for route in known.routes.values()},
        **{f"try:{route.id}": route.try_minutes for route in known.routes.values() if route.try_minutes is not None},
        **{f"open:{level.id}": level.open_minutes for level in known.access.values()},
    }


def learn(known: Knowledge, lessons: Sequence[Lesson]) -> Lessons:
    """Learn from closed jobs.

    Parameters
    ----------
    known : Knowledge
        What ships: the pseudo-counts.
    lessons : sequence of Lesson
        Jobs with an outcome; the others teach nothing about faults.

    """
    cured: dict[tuple[str, str], list[bool]] = defaultdict(list)
    back: dict[str, list[bool]] = defaultdict(list)
    for lesson in lessons:
        for route, fault, worked in _repairs(known, lesson):
            cured[route.id, fault].append(worked)
        last = [e for e in lesson.case.events if isinstance(e, RepairEvent) and e.works]
        if last:
            back[last[-1].route].append(lesson.came_back)
    cures = {}
    for (name, fault), rows in cured.items():
        chances = [known.routes[name].cures_on(lesson.case.device.carrier).get(fault) for lesson in lessons]
        shipped = next((chance for chance in chances if chance is not None), 0.5)
        cures[name, fault] = learned_share(shipped, CURE_WORTH, sum(rows), len(rows))
    minutes, pace = _minutes(minutes_of(known), (timing for lesson in lessons for timing in lesson.timings))
    usual = known.costs.comeback_rate
    comebacks = {name: learned_share(usual, CURE_WORTH, sum(rows), len(rows)) for name, rows in back.items()}
    told = [lesson for lesson in lessons if lesson.counts]
    shows = showing(known, [lesson.case for lesson in told])
    return Lessons(_shares(known, lessons), cures, comebacks, minutes, pace, len(told), shows)


def apply(known: Knowledge, lessons: Lessons, family: str = "") -> Knowledge:
    """The knowledge with what was learned in place of what ships: weights, history and kind factors, cures, what faults show.

    How much chances are drawn apart (`sharpness`) goes back to none as jobs are counted.
    With the name of a model, its own share of each fault moves the weights too. Minutes, pace and come-backs go into the prices.
    """
    whole, own = lessons.shares.get("all", {}), lessons.shares.get(f"family:{family}", {})
    faults = {}
    for name, fault in known.faults.items():
        base = whole[name].factor if name in whole else 1.0
        factors = {kind: dict(values) for kind, values in fault.factors.items()}
        for group, shares in lessons.shares.items():
            kind, _, value = group.partition(":")
            if kind in ("history", "kind") and name in shares:
                here = factors[kind].get(value, 1.0)
                factors[kind][value] = here * shares[name].factor / base
        weight = fault.weight * (own[name].factor if name in own else base)
        faults[name] = replace(fault, weight=min(max(weight, 1e-6), 1.0), factors=factors)
    routes = {name: _with_cures(route, lessons) for name, route in known.routes.items()}
    hedged = HEDGE_WORTH / (HEDGE_WORTH + lessons.jobs)
    numbers = replace(known.model, sharpness=1 + (known.model.sharpness - 1) * hedged)
    return with_showing(replace(known, faults=faults, routes=routes, model=numbers), lessons.shows)


def _with_cures(route: Route, lessons: Lessons) -> Route:
    own = {fault: learned.here for (name, fault), learned in lessons.cures.items() if name == route.id}
    if not own:
        return route
    plans = {carrier: {f: own.get(f, c) for f, c in cures.items()} for carrier, cures in route.plan_cures.items()}
    return replace(route, cures={f: own.get(f, c) for f, c in route.cures.items()}, plan_cures=plans)


def said(name: Fault | Route | str, learned: Learned) -> str:
    """One learned number in words: shipped 12 %, here 31 % from 45 jobs."""
    label = name if isinstance(name, str) else name.label
    span = f"{learned.low:.0%} to {learned.high:.0%}"
    return f"{label}: shipped {learned.shipped:.0%}, here {learned.here:.0%} ({span}) from {learned.count:.0f} jobs"


def to_json(lessons: Lessons) -> dict[str, Any]:
    """Everything learned as plain JSON, for keeping and for taking out."""

    def plain(found: Mapping[str, Learned]) -> dict[str, list[float]]:
        return {key: [n.shipped, n.here, n.low, n.high, n.count] for key, n in found.items()}

    return {
        "format": "rainfront-learned", "version": 1, "jobs": lessons.jobs,
        "shares": {group: plain(found) for group, found in lessons.shares.items()},
        "cures": {f"{route} {fault}": [n.shipped, n.here, n.low, n.high, n.count]
                  for (route, fault), n in lessons.cures.items()},
        "comebacks": plain(lessons.comebacks), "minutes": plain(lessons.minutes), "pace": plain(lessons.pace),
        "shows": plain({" ".join(key): n for key, n in lessons.shows.items()}),
    }  # fmt: skip


def from_json(data: Mapping[str, Any]) -> Lessons:
    """Read back what `to_json` gave."""

    def read(found: Mapping[str, Any]) -> dict[str, Learned]:
        return {key: Learned(*numbers) for key, numbers in found.items()}

    cures = {tuple(key.split(" ", 1)): Learned(*numbers) for key, numbers in data.get("cures", {}).items()}
    return Lessons(
        {group: read(found) for group, found in data.get("shares", {}).items()},
        {(route, fault): found for (route, fault), found in cures.items()},
        read(data.get("comebacks", {})),
        read(data.get("minutes", {})),
        read(data.get("pace", {})),
        int(data.get("jobs", 0)),
        {_three(key): found for key, found in read(data.get("shows", {})).items()},
    )


def _three(key: str) -> tuple[str, str, str]:
    fault, check, outcome = key.split(" ")
    return fault, check, outcome
