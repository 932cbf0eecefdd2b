"""What faults show, learned: of closed jobs with one fault found, each reading counts for that fault and for what
shows without.

A reading that both could have made is shared between them as likely as either is under what ships: one step of
expectation and maximisation. A shipped chance is worth a fixed number of such jobs.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Case, CheckEvent, RepairEvent
from chargepath.diagnosis.belief import Entry, read_events
from chargepath.diagnosis.model import Model, compiled
from chargepath.knowledge import Check, Knowledge
from chargepath.learning.betas import Learned, learned_share
from chargepath.learning.lessons import SHOW_WORTH

Counts = dict[tuple[str, str], tuple[Array, Array, float]]


def showing(known: Knowledge, cases: Iterable[Case]) -> dict[tuple[str, str, str], Learned]:
    """Learn what faults show.

    Parameters
    ----------
    known : Knowledge
        What ships.
    cases : iterable of Case
        Closed, with what was found; those with more than one fault teach nothing here.

    Returns
    -------
    dict of (fault, check key, grade or sign) to Learned
        Fault '' for what shows without a fault that affects the check, where no history changes that.

    """
    counts: Counts = {}
    for case in cases:
        outcome = case.outcome
        if outcome is None or len(outcome.faults) != 1 or outcome.faults[0] not in known.faults:
            continue
        model = compiled(known, *case.compiled_for)
        for entry in _before_repairs(model, case):
            assert isinstance(entry.event, CheckEvent)
            _count(counts, model, known.checks[entry.event.check], entry, outcome.faults[0])
    out = {}
    for (fault, key), (shipped, hits, count) in counts.items():
        check = known.checks[key.split("@")[0]]
        for k, name in enumerate(check.signs or check.grades):
            if shipped[k] > 0 or hits[k] > 0:
                out[fault, key, name] = learned_share(float(shipped[k]), SHOW_WORTH, float(hits[k]), count)
    return out


def _before_repairs(model: Model, case: Case) -> list[Entry]:
    out = []
    for entry in read_events(model, case.events):
        if isinstance(entry.event, RepairEvent):
            break
        if isinstance(entry.event, CheckEvent) and entry.state == "counts":
            out.append(entry)
    return out


def _count(counts: Counts, model: Model, check: Check, entry: Entry, fault: str) -> None:
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
    if affects:
        _add(counts, (fault, key), effect, by_effect)
    if usual:
        _add(counts, ("", key), leak, by_leak)


def _worse_of(mine: Array, other: Array, at: int) -> Array:
    """Chances of my own grade where the worse of two, mine and the other's, is the grade `at`."""
    out = np.zeros(mine.size)
    out[:at] = mine[:at] * other[at]
    out[at] = mine[at] * other[: at + 1].sum()
    whole = out.sum()
    return np.asarray(out / whole if whole > 0 else mine)


def _add(counts: Counts, key: tuple[str, str], shipped: Array, hits: Array) -> None:
    _, before, count = counts.get(key, (shipped, np.zeros(shipped.size), 0.0))
    counts[key] = (shipped, before + hits, count + 1)
