"""What the shop's own closed jobs say: how often each fault occurs, how well each repair cures, how long things take.

Shares of faults are Dirichlet with the prior numbers as pseudo-counts, cure and come-back rates beta, minutes
log-normal. Everything is shrunk towards what ships, by a fixed number of imagined jobs, and carries an interval.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from statistics import median

import numpy as np

from chargepath.case.entries import RepairEvent
from chargepath.diagnosis.model import compiled
from chargepath.knowledge import Knowledge, Route
from chargepath.learning.betas import Learned, learned_share
from chargepath.learning.lessons import (
    CURE_WORTH,
    MINUTES_WORTH,
    SHARE_WORTH,
    Lesson,
    Lessons,
    Timing,
    groups_of,
    minutes_of,
)
from chargepath.learning.showing import showing

# A timing beyond these multiples of what ships is a lunch break or a slip.
TIMING_LOW, TIMING_HIGH = 0.2, 5.0
# Spread of the log of a timing before anything is known.
TIMING_SPREAD = 0.5


def _shares(known: Knowledge, lessons: Sequence[Lesson]) -> dict[str, dict[str, Learned]]:
    """Dirichlet shares of the faults in every group; the mean prior share over the group's jobs is its prior."""
    names = list(known.faults)
    prior: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(len(names)))
    hits: dict[str, np.ndarray] = defaultdict(lambda: np.zeros(len(names)))
    count: dict[str, int] = defaultdict(int)
    for lesson in lessons:
        outcome = lesson.case.outcome
        faults = [name for name in (outcome.faults if outcome else ()) if name in known.faults]
        if not faults or not lesson.counts:
            continue
        weights = compiled(known, *lesson.case.compiled_for).weights
        found = np.zeros(len(names))
        for name in faults:
            found[names.index(name)] = 1 / len(faults)
        for group in groups_of(lesson):
            prior[group] += weights / weights.sum()
            hits[group] += found
            count[group] += 1
    out = {}
    for group, n in count.items():
        mean = prior[group] / n
        out[group] = {
            name: learned_share(float(mean[k]), SHARE_WORTH, float(hits[group][k]), n) for k, name in enumerate(names)
        }
    return out


def _own_repairs(lesson: Lesson) -> list[RepairEvent]:
    """Repairs of this bench; what somebody else did before teaches nothing about it."""
    return [event for event in lesson.case.events if isinstance(event, RepairEvent) and not event.other]


def _repairs(known: Knowledge, lesson: Lesson) -> list[tuple[Route, str, bool]]:
    """Every proved repair of a job with a fault that it was to cure and whether it did.

    A come-back undoes the last success.
    """
    outcome = lesson.case.outcome
    present, out = set(outcome.faults if outcome else ()), []
    done = [event for event in _own_repairs(lesson) if event.works is not None]
    for number, event in enumerate(done):
        route = known.routes[event.route]
        cured = bool(event.works) and not (lesson.came_back and number == len(done) - 1)
        for fault in present & set(route.cures_on(lesson.case.device.carrier)):
            out.append((route, fault, cured))
            if cured:
                present.discard(fault)
    return out


def _minutes(prior: Mapping[str, float], timings: Iterable[Timing]) -> tuple[dict[str, Learned], dict[str, Learned]]:
    """Learned minutes by key, and each person's pace over everybody's.

    Parameters
    ----------
    prior : mapping of timing key to minutes
    timings : iterable of Timing
        Those beyond `TIMING_LOW` and `TIMING_HIGH` times the prior are left out.

    """
    logs: dict[str, list[float]] = defaultdict(list)
    people: dict[str, list[float]] = defaultdict(list)
    rows = []
    for timing in timings:
        usual = prior.get(timing.key, 0.0)
        if usual > 0 and TIMING_LOW * usual <= timing.minutes <= TIMING_HIGH * usual:
            rows.append(timing)
            logs[timing.key].append(math.log(timing.minutes / usual))
    minutes = {key: log_normal(prior[key], values) for key, values in logs.items()}
    for timing in rows:
        if timing.who:
            people[timing.who].append(math.log(timing.minutes / minutes[timing.key].here))
    return minutes, {who: log_normal(1.0, values) for who, values in people.items()}


def log_normal(prior: float, logs: Sequence[float]) -> Learned:
    """Minutes learned from logarithms of timings over the prior.

    here = prior · exp(n · median / (n + w)), with w imagined timings at the prior; its interval is 1.96 standard
    errors of a median (pi/2 of a mean's variance, Kenney and Keeping 1962) wide on both sides, in the logarithm.

    Parameters
    ----------
    prior : float
        Minutes, or 1 for a person's pace.
    logs : sequence of float
        At least one.

    Examples
    --------
    >>> found = log_normal(10.0, [math.log(2.0)] * 4)
    >>> round(found.here, 3), round(found.low, 3), round(found.high, 3)
    (14.142, 10.185, 19.637)

    """
    n = len(logs)
    middle = n * median(logs) / (n + MINUTES_WORTH)
    spread = TIMING_SPREAD
    if n > 2:
        around = sum((value - median(logs)) ** 2 for value in logs)
        spread = math.sqrt((MINUTES_WORTH * TIMING_SPREAD**2 + around) / (MINUTES_WORTH + n - 1))
    reach = 1.96 * spread * math.sqrt(math.pi / 2 / (n + MINUTES_WORTH))
    here = prior * math.exp(middle)
    return Learned(prior, here, n, reach=reach)


def minutes_on(found: Learned, prior: float) -> float:
    """The same timings on another prior [min], as after the shop has set the minutes by hand.

    Examples
    --------
    >>> round(minutes_on(log_normal(10.0, [math.log(2.0)] * 4), 5.0), 2)
    10.0

    """
    weight = found.count / (found.count + MINUTES_WORTH)
    return float(found.here * (prior / found.prior) ** (1 - weight))


def _cures(known: Knowledge, lessons: Sequence[Lesson]) -> dict[tuple[str, str], Learned]:
    """Cure rates by route and fault; the prior is the mean chance on the carriers that were repaired."""
    rows: dict[tuple[str, str], list[tuple[float, bool]]] = defaultdict(list)
    for lesson in lessons:
        carrier = lesson.case.device.carrier
        for route, fault, worked in _repairs(known, lesson):
            rows[route.id, fault].append((route.cures_on(carrier)[fault], worked))
    out = {}
    for key, found in rows.items():
        prior = sum(chance for chance, _ in found) / len(found)
        out[key] = learned_share(prior, CURE_WORTH, sum(worked for _, worked in found), len(found))
    return out


def _comebacks(known: Knowledge, lessons: Sequence[Lesson]) -> dict[str, Learned]:
    """How often a device comes back after each route, by the last repair that passed its proof."""
    rows: dict[str, list[bool]] = defaultdict(list)
    for lesson in lessons:
        passed = [event for event in _own_repairs(lesson) if event.works]
        if passed:
            rows[passed[-1].route].append(lesson.came_back)
    usual = known.costs.comeback_rate
    return {name: learned_share(usual, CURE_WORTH, sum(found), len(found)) for name, found in rows.items()}


def learn(known: Knowledge, lessons: Sequence[Lesson]) -> Lessons:
    """Learn from closed jobs.

    Parameters
    ----------
    known : Knowledge
        The numbers in force without learning, the shop's own in place of those that ship: the pseudo-counts.
    lessons : sequence of Lesson
        Jobs with an outcome; the others teach nothing about faults.

    """
    timings = [timing for lesson in lessons for timing in lesson.timings]
    minutes, pace = _minutes(minutes_of(known), timings)
    told = [lesson for lesson in lessons if lesson.counts]
    return Lessons(
        shares=_shares(known, lessons),
        cures=_cures(known, lessons),
        comebacks=_comebacks(known, lessons),
        minutes=minutes,
        pace=pace,
        jobs=len(told),
        shows=showing(known, [lesson.case for lesson in told]),
    )
