"""How much two devices look alike: by how likely each cause is to have made what was seen of them as they came in.

What is compared are likelihoods, not conclusions: the chance of everything that was read before the first repair of
this bench, under nothing wrong and under each single fault. The measure is the Bayes factor of "both have the same
cause" against "each has its own", with the shop's usual shares of causes.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Case, CheckEvent
from chargepath.case.timeline import Timeline
from chargepath.diagnosis.forward import likelihood
from chargepath.diagnosis.graded import read_events
from chargepath.diagnosis.model import compiled
from chargepath.knowledge import Knowledge

# Under this factor two devices are not called alike.
LEAST_FACTOR = 3.0


def as_it_came(case: Case) -> Case:
    """A case as it stood before the first repair of this bench."""
    return replace(case, events=Timeline(case.events).before_repairs, outcome=None)


def cause_likelihoods(known: Knowledge, case: Case) -> Array:
    """Chance of what was seen as the device came in, under nothing wrong and under each fault alone.

    Returns
    -------
    array, shape (n_faults + 1,)
        Nothing wrong first, then the knowledge's faults; the largest is 1. All ones where nothing was read.

    """
    first = as_it_came(case)
    model = compiled(known, *first.told(known).compiled_for)
    rows = [model.states.index[frozenset()]]
    rows += [model.states.index[frozenset({fault})] for fault in range(len(model.fault_ids))]
    logs = np.zeros(len(rows))
    for entry in read_events(model, first.events):
        logs += np.log(np.maximum(likelihood(model, entry)[rows], 1e-12))
    return np.asarray(np.exp(logs - logs.max()))


def usual_causes(known: Knowledge) -> Array:
    """Share of nothing wrong and of each fault alone, whatever the device, shape (n_faults + 1,)."""
    weights = np.array([fault.weight for fault in known.faults.values()])
    nothing = known.model.nothing_wrong
    return np.concatenate([[nothing], (1 - nothing) * weights / weights.sum()])


def same_cause(usual: Array, one: Array, others: Array) -> Array:
    """Bayes factor of the same cause for one device and each of several others, shape (n,).

    Parameters
    ----------
    usual : array, shape (n_causes,)
    one : array, shape (n_causes,)
    others : array, shape (n, n_causes)

    Examples
    --------
    Two causes, 1 to 3. Both devices can only have the first: four times as likely the same as each its own.

    >>> usual = np.array([0.25, 0.75])
    >>> same_cause(usual, np.array([1.0, 0.0]), np.array([[1.0, 0.0], [0.0, 1.0], [1.0, 1.0]])).tolist()
    [4.0, 0.0, 1.0]

    """
    both = others @ (usual * one)
    return np.asarray(both / np.maximum((others @ usual) * float(usual @ one), 1e-30))


def shown_by(known: Knowledge, case: Case) -> frozenset[tuple[str, str]]:
    """What was read as it came in and counts: evidence key with its grade, or with each sign that was seen."""
    first = as_it_came(case)
    model = compiled(known, *first.told(known).compiled_for)
    out = set()
    for entry in read_events(model, first.events):
        if isinstance(entry.event, CheckEvent) and entry.state in ("counts", "joint"):
            key = known.checks[entry.event.check].key(entry.event.variant)
            out |= {(key, sign) for sign in entry.event.signs} if entry.event.signs else {(key, entry.grade or "seen")}
    return frozenset(out)
