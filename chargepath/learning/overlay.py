"""What was learned put on top of the knowledge: weights, factors, cures, what faults show."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace

from chargepath.diagnosis.model import effects_of
from chargepath.knowledge import Fault, Knowledge, Route
from chargepath.learning.betas import LearnedNumber, rebased
from chargepath.learning.examples import Estimates, Shows

# Counts are not hedged as written-down chances are: after so many jobs half of the knowledge's sharpness is gone.
HEDGE_WORTH = 400.0


def apply(known: Knowledge, estimates: Estimates, family: str = "") -> Knowledge:
    """The knowledge with what was learned on top: weights, history and kind factors, cures, what faults show.

    How much chances are drawn apart (`sharpness`) goes back to none as jobs are counted. With the name of a model,
    its own share of each fault moves the weights too. Minutes, pace and come-backs go into the prices.
    """
    whole, own = estimates.shares.get("all", {}), estimates.shares.get(f"family:{family}", {})
    faults = {}
    for name, fault in known.faults.items():
        base = whole[name].factor if name in whole else 1.0
        factors = {kind: dict(values) for kind, values in fault.factors.items()}
        for group, shares in estimates.shares.items():
            kind, _, value = group.partition(":")
            if kind in ("history", "kind") and name in shares:
                here = factors[kind].get(value, 1.0)
                factors[kind][value] = here * shares[name].factor / base
        weight = fault.weight * (own[name].factor if name in own else base)
        faults[name] = replace(fault, weight=min(max(weight, 1e-6), 1.0), factors=factors)
    routes = {name: _with_cures(route, estimates) for name, route in known.routes.items()}
    hedged = HEDGE_WORTH / (HEDGE_WORTH + estimates.jobs)
    numbers = replace(known.model, sharpness=1 + (known.model.sharpness - 1) * hedged)
    return with_showing(replace(known, faults=faults, routes=routes, model=numbers), estimates.shows)


def _with_cures(route: Route, estimates: Estimates) -> Route:
    """A route with the cures that were learned, each carrier's own chance as its prior."""
    own = {fault: learned for (name, fault), learned in estimates.cures.items() if name == route.id}
    if not own:
        return route

    def moved(cures: Mapping[str, float]) -> dict[str, float]:
        return {fault: rebased(own[fault], chance).here if fault in own else chance for fault, chance in cures.items()}

    plans = {carrier: moved(cures) for carrier, cures in route.plan_cures.items()}
    return replace(route, cures=moved(route.cures), plan_cures=plans)


def with_showing(known: Knowledge, shows: Shows) -> Knowledge:
    """The knowledge with what faults were learned to show, and what shows without them; what it says is the prior."""
    if not shows:
        return known
    by_fault: dict[str, dict[str, dict[str, LearnedNumber]]] = defaultdict(lambda: defaultdict(dict))
    for (fault, key, outcome), learned in shows.items():
        by_fault[fault][key][outcome] = learned
    faults = {name: _fault(known, fault, by_fault[name]) for name, fault in known.faults.items()}
    checks = {
        name: replace(check, leak={**check.leak, **_moved(check.leak, by_fault[""][name])})
        if name in by_fault[""]
        else check
        for name, check in known.checks.items()
    }
    return replace(known, faults=faults, checks=checks)


def _moved(prior: Mapping[str, float], learned: Mapping[str, LearnedNumber]) -> dict[str, float]:
    return {name: rebased(found, prior.get(name, 0.0)).here for name, found in learned.items()}


def _fault(known: Knowledge, fault: Fault, shown: Mapping[str, Mapping[str, LearnedNumber]]) -> Fault:
    grades, signs = dict(fault.grades), dict(fault.signs)
    for key, learned in shown.items():
        name, _, variant = key.partition("@")
        check = known.checks[name]
        effect = dict(
            zip(
                check.signs or check.grades,
                effects_of(known, name, variant)[list(known.faults).index(fault.id)],
                strict=True,
            )
        )
        chances = _moved(effect, learned)
        if check.is_look:
            signs[key] = {**signs.get(key, {}), **chances}
        else:
            grades[key] = {grade: chance for grade, chance in chances.items() if grade != check.grades[0]}
    return replace(fault, grades=grades, signs=signs)
