"""What one closed job adds to what a shop has learned: whole numbers, so that adding and withdrawing are exact.

A tally is a bag of counts by key; the tally of a shop is the sum over its jobs, whatever the order. Shares of a count
are kept in billionths.

| key | counts |
|---|---|
| ``jobs`` | jobs that teach about faults |
| ``device``, model, kind, connector, carrier, coil, history | jobs of such devices with something found |
| ``found``, group, fault | billionths of jobs in which it was found, or was likely where nobody found out |
| ``cured`` or ``uncured``, route, fault, carrier | proved repairs |
| ``vain``, route, fault, carrier | billionths of failed repairs on devices handed on that are likely to have had it |
| ``back`` or ``stayed``, route | last repairs that passed their proof |
| ``shown``, fault, check key | readings that count for it |
| ``shows``, fault, check key, outcome | billionths of those readings |
| ``took``, timing key, person, step | timings, by their logarithm in steps of `STEP` |
"""

from __future__ import annotations

import json
import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Case, CheckEvent
from chargepath.case.timeline import Timeline
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.graded import GradedEvent, read_events
from chargepath.diagnosis.model import Model, compiled
from chargepath.knowledge import Check, Knowledge
from chargepath.learning.examples import Example, groups_of, minutes_of

Key = tuple[str | int, ...]
Tally = Counter[Key]

PARTS = 10**9
# A fault less likely than this teaches nothing of a device that was handed on.
HARDLY = 0.01
# Step of the logarithm in which timings are counted: a tenth of a percent of a minute.
STEP = 0.001
# A timing beyond these multiples of the prior is a lunch break or a slip.
TIMING_LOW, TIMING_HIGH = 0.2, 5.0


def tally_of(known: Knowledge, estimates: Iterable[Example]) -> Tally:
    """What examples add.

    Parameters
    ----------
    known : Knowledge
        The numbers in force without learning, by which a reading is shared between what could have made it.
    examples : iterable of Example

    """
    out: Tally = Counter()
    prior = minutes_of(known)
    for example in estimates:
        if example.counts:
            out["jobs",] += 1
        if _handed_on(example.case):
            _unsolved(out, known, example)
        else:
            if example.counts:
                _found(out, known, example, _in_parts(known, example.case))
                _shown(out, known, example.case)
            _repaired(out, known, example)
        for timing in example.timings:
            usual = prior.get(timing.key, 0.0)
            if usual > 0 and TIMING_LOW * usual <= timing.minutes <= TIMING_HIGH * usual:
                out["took", timing.key, timing.who, round(math.log(timing.minutes) / STEP)] += 1
    return out


def add(total: Tally, more: Mapping[Key, int], sign: int = 1) -> None:
    """Add a tally to a total in place, or withdraw it (`sign` -1); counts that are nothing go."""
    for key, count in more.items():
        there = total[key] + sign * count
        if there:
            total[key] = there
        else:
            del total[key]


def to_plain(tally: Mapping[Key, int]) -> dict[str, int]:
    """A tally with its keys as text, in order: for keeping."""
    rows = (
        (json.dumps(key, separators=(",", ":"), ensure_ascii=False), count) for key, count in tally.items() if count
    )
    return dict(sorted(rows))


def from_plain(kept: Mapping[str, int]) -> Tally:
    """Read back what `to_plain` gave."""
    return Counter({tuple(json.loads(key)): count for key, count in kept.items()})


def _handed_on(case: Case) -> bool:
    """Whether the job ended with a device that does not work; nobody has then confirmed its fault."""
    return case.outcome is not None and not case.outcome.works


def _in_parts(known: Knowledge, case: Case) -> dict[str, float]:
    """The job in equal parts among the faults that were found."""
    faults = [name for name in (case.outcome.faults if case.outcome else ()) if name in known.faults]
    return {name: 1 / len(faults) for name in faults}


def _unsolved(out: Tally, known: Knowledge, example: Example) -> None:
    """Count a job that was handed on: each fault by the chance that its readings and its failed repairs leave.

    The faults that a person named at handing on were read off the same belief, so they count no further. Without these
    jobs a shop would learn only of faults that it solves, and would take each repair for better than it is.
    """
    case = replace(example.case, outcome=None)
    model = compiled(known, *case.told(known).compiled_for)
    chances = {name: chance for name, chance in assess(model, case).faults if chance >= HARDLY}
    whole = sum(chances.values())
    if not whole:
        return
    if example.counts:
        _found(out, known, example, {name: chance / whole for name, chance in chances.items()})
    for event in Timeline(case.events).repairs:
        if event.works is False:
            for fault in chances.keys() & known.routes[event.route].cures_on(case.device.carrier).keys():
                out["vain", event.route, fault, case.device.carrier] += round(PARTS * chances[fault])


def _found(out: Tally, known: Knowledge, example: Example, shares: Mapping[str, float]) -> None:
    """A job by what was found in it: shares that add up to 1, or nothing."""
    case = example.case
    if not shares:
        return
    device = case.device
    coil = "yes" if device.wireless else "no"
    out["device", example.family, device.kind, device.connector, device.carrier, coil, " ".join(case.history)] += 1
    for group in groups_of(example):
        for name, share in shares.items():
            out["found", group, name] += round(PARTS * share)


def _repaired(out: Tally, known: Knowledge, example: Example) -> None:
    """Every proved repair with a fault that it was to cure and whether it did; a come-back undoes the last success.

    What somebody else did before teaches nothing about this bench.
    """
    case = example.case
    done = Timeline(case.events).repairs
    proved, present = [event for event in done if event.works is not None], set()
    if case.outcome:
        present = set(case.outcome.faults)
    for number, event in enumerate(proved):
        cured = bool(event.works) and not (example.came_back and number == len(proved) - 1)
        for fault in sorted(present & set(known.routes[event.route].cures_on(case.device.carrier))):
            out["cured" if cured else "uncured", event.route, fault, case.device.carrier] += 1
            if cured:
                present.discard(fault)
    passed = [event for event in done if event.works]
    if passed:
        out["back" if example.came_back else "stayed", passed[-1].route] += 1


def _shown(out: Tally, known: Knowledge, case: Case) -> None:
    """Every reading before the first repair, for the fault that it can speak of and for what shows without it.

    Where several were found, a reading that more than one of them affects teaches nothing: nobody knows which it was.
    """
    faults = case.outcome.faults if case.outcome else ()
    if not faults or not set(faults) <= known.faults.keys():
        return
    model = compiled(known, *case.compiled_for)
    for entry in _before_repairs(model, case):
        assert isinstance(entry.event, CheckEvent)
        check = known.checks[entry.event.check]
        affecting = model.affecting(check.key(entry.event.variant)).intersection(faults)
        if len(affecting) < 2:
            _share(out, model, check, entry, min(affecting, default=faults[0]))


def _before_repairs(model: Model, case: Case) -> list[GradedEvent]:
    first = Timeline(case.events).segments[0]
    entries = read_events(model, case.events)[: first.indices.stop]
    return [entry for entry in entries if isinstance(entry.event, CheckEvent) and entry.state == "counts"]


def _share(out: Tally, model: Model, check: Check, entry: GradedEvent, fault: str) -> None:
    """Share one reading between the fault and what shows without it."""
    assert isinstance(entry.event, CheckEvent)
    variant, key = entry.event.variant, check.key(entry.event.variant)
    effect, leak = model.effects(check, variant)[model.fault_ids.index(fault)], model.leak(check)
    usual = not any(flag in check.leak_history for flag in model.history)
    affects = fault in model.affecting(key)
    if check.is_look:
        seen = np.array([sign in entry.event.signs for sign in check.signs], dtype=float)
        either = 1 - (1 - effect) * (1 - leak)
        by_effect, by_leak = seen * effect / np.maximum(either, 1e-9), seen * leak / np.maximum(either, 1e-9)
    else:
        at = check.grades.index(entry.grade)
        by_effect, by_leak = _worse_of(effect, leak, at), _worse_of(leak, effect, at)
        if not affects:
            by_leak = np.eye(len(check.grades))[at]
    names = check.signs or check.grades
    if affects:
        _count(out, fault, key, names, by_effect)
    if usual:
        _count(out, "", key, names, by_leak)


def _worse_of(mine: Array, other: Array, at: int) -> Array:
    """Chances of my own grade where the worse of two, mine and the other's, is the grade `at`."""
    out = np.zeros(mine.size)
    out[:at] = mine[:at] * other[at]
    out[at] = mine[at] * other[: at + 1].sum()
    whole = out.sum()
    return np.asarray(out / whole if whole > 0 else mine)


def _count(out: Tally, fault: str, key: str, names: Sequence[str], hits: Array) -> None:
    out["shown", fault, key] += 1
    for name, hit in zip(names, hits.tolist(), strict=True):
        if round(PARTS * hit):
            out["shows", fault, key, name] += round(PARTS * hit)
