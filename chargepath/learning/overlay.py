"""What was learned put on top of the knowledge: weights, factors, cures, what faults show."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace

from chargepath.knowledge import Fault, Knowledge, Route
from chargepath.learning.lessons import Lessons, Shows

# Counts are not hedged as written-down chances are: after so many jobs half of the knowledge's sharpness is gone.
HEDGE_WORTH = 400.0


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


def with_showing(known: Knowledge, shows: Shows) -> Knowledge:
    """The knowledge with what faults were learned to show, and what shows without them, in place of what ships."""
    if not shows:
        return known
    by_fault: dict[str, dict[str, dict[str, float]]] = defaultdict(lambda: defaultdict(dict))
    for (fault, key, outcome), learned in shows.items():
        by_fault[fault][key][outcome] = learned.here
    faults = {name: _fault(known, fault, by_fault[name]) for name, fault in known.faults.items()}
    checks = {
        name: replace(check, leak={**check.leak, **by_fault[""].get(name, {})}) if name in by_fault[""] else check
        for name, check in known.checks.items()
    }
    return replace(known, faults=faults, checks=checks)


def _fault(known: Knowledge, fault: Fault, shown: Mapping[str, Mapping[str, float]]) -> Fault:
    grades, signs = dict(fault.grades), dict(fault.signs)
    for key, chances in shown.items():
        check = known.checks[key.split("@")[0]]
        if check.is_look:
            signs[key] = {**signs.get(key, {}), **chances}
        else:
            grades[key] = {grade: chance for grade, chance in chances.items() if grade != check.grades[0]}
    return replace(fault, grades=grades, signs=signs)
