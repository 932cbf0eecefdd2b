"""Estimates from the shop's own closed jobs: shares of faults, chances of cure, come-backs, minutes.

Everything is worked out from a tally (`tally`), so that it is the same whether jobs were added one by one, withdrawn
and added again, or counted from scratch. Shares of faults are Dirichlet with the prior numbers as pseudo-counts, cure
and come-back rates and what faults show beta, minutes log-normal. Everything is shrunk towards what ships, by a fixed
number of imagined jobs, and carries an interval.
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Device
from chargepath.diagnosis.model import effects_of, history_weight
from chargepath.knowledge import Knowledge
from chargepath.learning.betas import LearnedNumber, learned_share
from chargepath.learning.examples import (
    CURE_WORTH,
    MINUTES_WORTH,
    SHARE_WORTH,
    SHOW_WORTH,
    Estimates,
    Example,
    minutes_of,
)
from chargepath.learning.tally import PARTS, STEP, Key, tally_of

# Spread of the log of a timing before anything is known.
TIMING_SPREAD = 0.5


def _shares(known: Knowledge, tally: Mapping[Key, int]) -> dict[str, dict[str, LearnedNumber]]:
    """Dirichlet shares of the faults in every group; the mean prior share over the group's jobs is its prior."""
    faults = known.faults.values()
    prior: dict[str, Array] = defaultdict(lambda: np.zeros(len(faults)))
    count: Counter[str] = Counter()
    for key, n in sorted(_rows(tally, "device")):
        family, kind, connector, carrier, coil, told = (str(part) for part in key)
        device, history = Device(kind, connector, carrier, coil == "yes", 0.0), tuple(told.split())
        weights = np.array([history_weight(known, fault, device, history) for fault in faults])
        named = [f"family:{family}"] if family else []
        for group in ("all", f"kind:{kind}", *named, *(f"history:{flag}" for flag in history)):
            prior[group] += n * weights / weights.sum()
            count[group] += n
    return {group: _group(known, prior[group] / n, tally, group, n) for group, n in count.items()}


def _group(
    known: Knowledge, prior: Array, tally: Mapping[Key, int], group: str, count: int
) -> dict[str, LearnedNumber]:
    hits = [tally.get(("found", group, name), 0) / PARTS for name in known.faults]
    rows = zip(known.faults, prior.tolist(), hits, strict=True)
    return {name: learned_share(share, SHARE_WORTH, hit, count) for name, share, hit in rows}


def _rows(tally: Mapping[Key, int], kind: str) -> Iterable[tuple[Key, int]]:
    """Counts of the tally whose key begins with `kind`, by the rest of the key."""
    return ((key[1:], count) for key, count in tally.items() if key[0] == kind)


def _minutes(
    prior: Mapping[str, float], tally: Mapping[Key, int]
) -> tuple[dict[str, LearnedNumber], dict[str, LearnedNumber]]:
    """Learned minutes by key, and each person's pace over everybody's.

    Parameters
    ----------
    prior : mapping of timing key to minutes
    tally : Tally

    """
    by_key: dict[str, Counter[float]] = defaultdict(Counter)
    by_person: dict[tuple[str, str], Counter[float]] = defaultdict(Counter)
    for (key, who, step), n in _rows(tally, "took"):
        if prior.get(str(key)):
            moved = int(step) * STEP - math.log(prior[str(key)])
            by_key[str(key)][moved] += n
            by_person[str(who), str(key)][moved] += n
    minutes = {key: log_normal(prior[key], logs) for key, logs in sorted(by_key.items())}
    pace: dict[str, Counter[float]] = defaultdict(Counter)
    for (who, key), logs in by_person.items():
        usual = math.log(minutes[key].factor)
        for moved, n in logs.items():
            if who:
                pace[who][moved - usual] += n
    return minutes, {who: log_normal(1.0, logs) for who, logs in sorted(pace.items())}


def median_of_counts(counts: Mapping[float, int]) -> float:
    """The median of values that are given with their counts."""
    values = np.array(sorted(counts))
    upto = np.cumsum([counts[value] for value in values.tolist()])
    n = int(upto[-1])
    low, high = np.searchsorted(upto, [(n - 1) // 2, n // 2], side="right")
    return float(values[low] + values[high]) / 2


def log_normal(prior: float, logs: Mapping[float, int]) -> LearnedNumber:
    """Minutes learned from logarithms of timings over the prior, which occur so often each.

    here = prior · exp(n · median / (n + w)), with w imagined timings at the prior; its interval is 1.96 standard
    errors of a median (pi/2 of a mean's variance, Kenney and Keeping 1962) wide on both sides, in the logarithm.

    Parameters
    ----------
    prior : float
        Minutes, or 1 for a person's pace.
    logs : mapping of float to int
        At least one.

    Examples
    --------
    >>> found = log_normal(10.0, {math.log(2.0): 4})
    >>> round(found.here, 3), round(found.low, 3), round(found.high, 3)
    (14.142, 10.185, 19.637)

    """
    n, middle = sum(logs.values()), median_of_counts(logs)
    spread = TIMING_SPREAD
    if n > 2:
        around = sum(count * (value - middle) ** 2 for value, count in sorted(logs.items()))
        spread = math.sqrt((MINUTES_WORTH * TIMING_SPREAD**2 + around) / (MINUTES_WORTH + n - 1))
    reach = 1.96 * spread * math.sqrt(math.pi / 2 / (n + MINUTES_WORTH))
    here = prior * math.exp(n * middle / (n + MINUTES_WORTH))
    return LearnedNumber(prior, here, n, reach=reach)


def minutes_on(found: LearnedNumber, prior: float) -> float:
    """Minutes learned from the same timings on another prior [min]: for a shop that has set its minutes by hand.

    Examples
    --------
    >>> round(minutes_on(log_normal(10.0, {math.log(2.0): 4}), 5.0), 2)
    10.0

    """
    weight = found.count / (found.count + MINUTES_WORTH)
    return float(found.here * (prior / found.prior) ** (1 - weight))


def _cures(known: Knowledge, tally: Mapping[Key, int]) -> dict[tuple[str, str], LearnedNumber]:
    """Cure rates by route and fault; the prior is the mean chance on the carriers that were repaired."""
    hits: Counter[tuple[str, str]] = Counter()
    count: dict[tuple[str, str], float] = defaultdict(float)
    prior: dict[tuple[str, str], float] = defaultdict(float)
    for worked, kind, parts in ((1, "cured", 1), (0, "uncured", 1), (0, "vain", PARTS)):
        for (route, fault, carrier), n in sorted(_rows(tally, kind)):
            key = (str(route), str(fault))
            chance = known.routes[key[0]].cures_on(str(carrier)).get(key[1]) if key[0] in known.routes else None
            if chance is not None:
                hits[key] += worked * n
                count[key] += n / parts
                prior[key] += chance * n / parts
    return {key: learned_share(prior[key] / n, CURE_WORTH, hits[key], n) for key, n in sorted(count.items())}


def _comebacks(known: Knowledge, tally: Mapping[Key, int]) -> dict[str, LearnedNumber]:
    """How often a device comes back after each route, by the last repair that passed its proof."""
    back = {str(key[0]): n for key, n in _rows(tally, "back")}
    stayed = {str(key[0]): n for key, n in _rows(tally, "stayed")}
    usual = known.costs.comeback_rate
    return {
        route: learned_share(usual, CURE_WORTH, back.get(route, 0), back.get(route, 0) + stayed.get(route, 0))
        for route in sorted({*back, *stayed} & known.routes.keys())
    }


def _shows(known: Knowledge, tally: Mapping[Key, int]) -> dict[tuple[str, str, str], LearnedNumber]:
    """What faults show; fault '' for what shows without one that affects the check."""
    out = {}
    for (fault, key), count in sorted(_rows(tally, "shown")):
        name, _, variant = str(key).partition("@")
        if name not in known.checks or (fault and fault not in known.faults):
            continue
        check = known.checks[name]
        outcomes = check.signs or check.grades
        if fault:
            usual = effects_of(known, name, variant)[list(known.faults).index(str(fault))].tolist()
        else:
            usual = [check.leak[outcome] for outcome in outcomes]
        for chance, outcome in zip(usual, outcomes, strict=True):
            hits = tally.get(("shows", fault, key, outcome), 0) / PARTS
            if chance > 0 or hits > 0:
                out[str(fault), str(key), outcome] = learned_share(chance, SHOW_WORTH, hits, count)
    return out


def estimate(known: Knowledge, tally: Mapping[Key, int]) -> Estimates:
    """Everything that is learned from a shop's tally.

    Parameters
    ----------
    known : Knowledge
        The numbers in force without learning, the shop's own in place of those that ship: the pseudo-counts.
    tally : Tally
        Of all jobs that teach.

    """
    minutes, pace = _minutes(minutes_of(known), tally)
    return Estimates(
        shares=_shares(known, tally),
        cures=_cures(known, tally),
        comebacks=_comebacks(known, tally),
        minutes=minutes,
        pace=pace,
        jobs=tally.get(("jobs",), 0),
        shows=_shows(known, tally),
    )


def learn(known: Knowledge, estimates: Sequence[Example]) -> Estimates:
    """Learn from closed jobs, from scratch; those without an outcome teach nothing about faults."""
    return estimate(known, tally_of(known, estimates))
