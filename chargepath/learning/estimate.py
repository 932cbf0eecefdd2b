"""What the shop's own closed jobs say: how often each fault occurs, how well each repair cures, how long things take.

Shares of faults are Dirichlet with the shipped numbers as pseudo-counts, cure and come-back rates beta, minutes log-normal.
Everything is shrunk towards what ships, by a fixed number of imagined jobs, and carries an interval.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from statistics import median

import numpy as np

from chargepath.case.entries import Device, RepairEvent
from chargepath.diagnosis.model import Model
from chargepath.knowledge import Knowledge, Route
from chargepath.learning.betas import Learned, learned_share
from chargepath.learning.lessons import Lesson, Lessons, Timing, groups_of, minutes_of
from chargepath.learning.showing import showing

# How many jobs, repairs and timings a shipped number is worth: a shop's own year outweighs it, its first month does not.
SHARE_WORTH, CURE_WORTH, MINUTES_WORTH = 40.0, 10.0, 4.0

# A timing beyond these multiples of what ships is a lunch break or a slip.
TIMING_LOW, TIMING_HIGH = 0.2, 5.0
# Spread of the log of a timing before anything is known.
TIMING_SPREAD = 0.5


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
