"""Small random problems, and their exact optimum by dynamic programming.

Every policy of checks, repairs and handing on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from random import Random
from typing import Any

import numpy as np

from chargepath.case.entries import Case, CheckEvent, Device, Event, RepairEvent
from chargepath.decision.advice import advise
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option
from chargepath.diagnosis.belief import Belief, assess
from chargepath.diagnosis.model import Model
from chargepath.knowledge import Check, Fault, Route
from chargepath.knowledge.costs import ModelNumbers
from chargepath.knowledge.intake import Intake
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.knowledge.stations import Access, Station

# Checks and routes: more of both at once would take the exact optimum minutes a problem.
SIZES = ((1, 4), (1, 5), (2, 3), (2, 4), (2, 5), (3, 2), (3, 3), (3, 4), (4, 2), (4, 3), (5, 2), (6, 2))
GRADES = ("fine", "odd", "bad")
TIE = 1.0
DEVICE = Device("phone", "usb_c", "sub_board", False, 0.0)
# A check about which nothing is special; what differs stands beside it.
PLAIN_CHECK: dict[str, Any] = {
    "place": "",
    "wait_minutes": 0.0,
    "labels": {},
    "leak_history": {},
    "variant_field": "",
    "variants": (),
    "own_effects": (),
    "connectors": (),
    "needs_wireless": False,
    "void_when": (),
    "needs_before": (),
    "cautions": (),
    "values": {},
    "reading": {},
    "basis": "practice",
    "station_on": {},
    "marks": {},
}


def problem(seed: int, faults: int = 0, checks: int = 0, routes: int = 0) -> tuple[Model, Prices]:
    """A random problem: up to six faults, six checks of two or three grades, five routes beside `prove`, `refer`."""
    rng, ship = Random(seed), shipped()
    n_faults, (n_checks, n_routes) = faults or rng.randint(2, 6), rng.choice(SIZES)
    n_checks, n_routes = checks or n_checks, routes or n_routes
    n_faults = min(n_faults, 4) if n_checks > 4 and not faults else n_faults
    names = [f"f{i}" for i in range(n_faults)]
    made = {}
    for i in range(n_checks):
        grades = GRADES[: rng.randint(2, 3)]
        leak = dict(zip(grades, _spread(rng, len(grades), 6.0), strict=True))
        level = rng.choice(("outside", "outside", "opened"))
        made[f"c{i}"] = Check(
            id=f"c{i}",
            word=f"c{i}",
            label=f"c{i}",
            grades=grades,
            leak=leak,
            access=level,
            minutes=rng.uniform(1, 12),
            station="s",
            signs=(),
            open_grade="",
            cut_by=(),
            **PLAIN_CHECK,
        )
    empty: dict[str, dict[str, float]] = {kind: {} for kind in ("history", "carrier", "connector", "kind", "wireless")}
    causes = {
        name: Fault(
            id=name,
            station="s",
            label=name,
            about="",
            weight=rng.random() ** 2 + 0.03,
            factors=empty,
            passes=rng.random() * 0.3,
            grades={
                c.id: dict(zip(c.grades[1:], _spread(rng, len(c.grades), 1.0)[1:], strict=True))
                for c in made.values()
                if rng.random() < 0.7
            },
            signs={},
            basis="practice",
        )
        for name in names
    }
    repairs = {
        f"r{i}": Route(
            id=f"r{i}",
            label="",
            access=rng.choice(("outside", "opened")),
            access_on={},
            minutes=rng.uniform(5, 40),
            part=rng.uniform(0, 25),
            carriers=(),
            cures={n: rng.uniform(0.6, 0.98) for n in rng.sample(names, rng.randint(1, min(3, n_faults)))},
            plan_cures={},
            try_minutes=None,
            try_cures={},
            basis="practice",
        )
        for i in range(n_routes)
    }
    repairs |= {
        PROVE: Route(
            id=PROVE,
            label="",
            access="outside",
            access_on={},
            minutes=0.0,
            part=0.0,
            carriers=(),
            cures={},
            plan_cures={},
            try_minutes=None,
            try_cures={},
            basis="practice",
        ),
        REFER: Route(
            id=REFER,
            label="",
            access="outside",
            access_on={},
            minutes=5.0,
            part=0.0,
            carriers=(),
            cures={},
            plan_cures={},
            try_minutes=None,
            try_cures={},
            basis="practice",
        ),
    }
    access = {
        "outside": Access(
            id="outside", label="", about="", open_minutes=0.0, cautions=(), level=0, stage="outside", basis="practice"
        ),
        "opened": Access(
            id="opened", label="", about="", open_minutes=8.0, cautions=(), level=1, stage="open", basis="practice"
        ),
    }
    numbers = ModelNumbers(
        slip=0.01,
        sharpness=1.0,
        nothing_wrong=0.03,
        pairs=0.15,
        triples=0.0,
        history_low=0.2,
        history_high=12.0,
        explained_below=0.0,
        works_when_clean=0.97,
        holds=0.0,
        returned_new=0.0,
        basis="practice",
    )
    known = replace(
        ship,
        stations={"s": Station("s", "", "", 0)},
        access=access,
        cautions={},
        history={},
        checks=made,
        faults=causes,
        routes=repairs,
        hazards={},
        intake=Intake((), 1.0, "practice"),
        model=numbers,
        schools={},
    )
    return Model(known, DEVICE), Prices.of(known, rng.choice((60.0, 150.0, 300.0)))


def _spread(rng: Random, size: int, first: float) -> list[float]:
    weights = [first * rng.random() if k == 0 else rng.random() ** 2 + 0.02 for k in range(size)]
    return [weight / sum(weights) for weight in weights]


class Optimum:
    """The least expected cost of a problem, by going through every policy; branches that cannot be better are cut.

    Each check is asked once, each route done once; masses are not normalised, so costs add up over outcomes.
    """

    def __init__(self, model: Model, prices: Prices) -> None:
        self.model, self.prices, known = model, prices, model.known
        self.rate = prices.rate_per_minute
        self.checks = [(check, model.table(check)) for check in known.checks.values()]
        self.routes = [route for route in known.routes.values() if route.id != REFER]
        self.open_price = known.access["opened"].open_minutes * self.rate
        self.refer_cost = known.routes[REFER].minutes * self.rate
        size = len(model.states)
        self.moves = [model.states.remove(np.eye(size), model.removes(route)) for route in self.routes]
        self.bounds: dict[tuple[frozenset[int], bool], np.ndarray] = {}
        self.seen: dict[object, float] = {}

    def least(self, done: frozenset[int], opened: bool) -> np.ndarray:
        """A lower bound for each state: the least cost for somebody who always knows what is present, shape
        (n_states,).
        """
        key = (done, opened)
        if key not in self.bounds:
            sick = np.ones(len(self.model.states))
            sick[0] = 0.0
            best = self.prices.value * sick + self.refer_cost
            for index in range(len(self.routes)):
                if index not in done:
                    price, leads = self.price(index, opened), opened or self.routes[index].access == "opened"
                    later = self.least(done | {index}, leads)
                    after = self.moves[index]
                    works = self.model.works
                    passing = works * (self.prices.comeback * sick + self.prices.spared)
                    worth = price + after @ (passing + (1 - works) * later)
                    best = np.minimum(best, worth)
            self.bounds[key] = best
        return self.bounds[key]

    def price(self, index: int, opened: bool) -> float:
        """What doing a route costs."""
        route = self.routes[index]
        opening = self.open_price if route.access == "opened" and not opened else 0.0
        return self.rate * (route.minutes + self.prices.attempt_minutes) + route.part + opening

    def cost(self) -> float:
        """Least expected cost from the prior."""
        return self.best(self.model.prior, frozenset(), (), False)

    def best(
        self, mass: np.ndarray, asked: frozenset[tuple[int, int, int]], done: tuple[int, ...], opened: bool
    ) -> float:
        """Least expected cost from a belief that came about by these outcomes and repairs."""
        key = (asked, done, opened)
        if key in self.seen:
            return self.seen[key]
        total, used = float(mass.sum()), frozenset(done)
        least = self.prices.value * (total - float(mass[0])) + self.refer_cost * total
        bound = float(mass @ self.least(used, opened))
        tries = []
        for index, route in enumerate(self.routes):
            if index in done:
                continue
            leads = opened or route.access == "opened"
            after = mass @ self.moves[index]
            passed = after * self.model.works
            now = self.price(index, opened) * total + float(passed[1:].sum()) * self.prices.comeback
            now += float(passed.sum()) * self.prices.spared
            left = after - passed
            tries.append((now + float(left @ self.least(used | {index}, leads)), now, left, index, leads))
        for at_least, now, left, index, leads in sorted(tries, key=lambda row: row[0]):
            if at_least < least:
                least = min(least, now + self.best(left, asked, (*done, index), leads))
        numbers = {number for number, _, _ in asked}
        for number, (check, table) in enumerate(self.checks):
            if number in numbers:
                continue
            leads = opened or check.access == "opened"
            now = (self.rate * check.minutes + (self.open_price if leads and not opened else 0.0)) * total
            halves = [mass * table[:, outcome] for outcome in range(table.shape[1])]
            bounds = [float(half @ self.least(used, leads)) for half in halves]
            worth = now + sum(bounds)
            for outcome, half in enumerate(halves):
                if worth >= least:
                    break
                made = frozenset({*asked, (number, outcome, len(done))})
                worth += self.best(half, made, done, leads) - bounds[outcome]
            least = min(least, worth)
            if least <= bound:
                break
        self.seen[key] = least
        return least


Choice = Callable[[Belief, frozenset[str], frozenset[str]], Option]


def follow(model: Model, prices: Prices, choose: Choice, events: tuple[Event, ...] = (), chance: float = 1.0) -> float:
    """Expected cost of a policy, exactly: every outcome of what `choose(belief, asked, done)` says is followed to its
    end.
    """
    belief = assess(model, Case(DEVICE, (), events))
    known, rate = model.known, prices.rate_per_minute
    asked = frozenset(event.check for event in events if isinstance(event, CheckEvent))
    done = frozenset(event.route for event in events if isinstance(event, RepairEvent))
    step = choose(belief, asked, done)
    if step.id == REFER:
        return chance * (prices.value * (1.0 - belief.clean) + known.routes[REFER].minutes * rate)
    if step.kind == "check":
        check = known.checks[step.id]
        opening = prices.opening(known, check.access, belief.access) * rate
        cost = chance * (check.minutes * rate + opening)
        for outcome, grade in enumerate(check.grades):
            weight = float(belief.mass @ model.table(check)[:, outcome])
            cost += follow(model, prices, choose, (*events, CheckEvent(check.id, grade=grade)), chance * weight)
        return cost
    route = known.routes[step.id]
    opening = prices.opening(known, route.access, belief.access) * rate
    cost = chance * (rate * (route.minutes + prices.attempt_minutes) + route.part + opening)
    after = model.states.remove(belief.mass, model.removes(route))
    passed = after * model.works
    cost += chance * (float(passed[1:].sum()) * prices.comeback + float(passed.sum()) * prices.spared)
    failing = chance * float((after - passed).sum())
    return cost + follow(model, prices, choose, (*events, RepairEvent(route.id, False)), failing)


def advised(prices: Prices, steps: int = 2) -> Choice:
    """The advice, each check asked once and each route done once, as the optimum has it."""

    def choose(belief: Belief, asked: frozenset[str], done: frozenset[str]) -> Option:
        advice = advise(belief, prices, forbidden=done, steps=steps)
        routes = [term for term in advice.routes if term.id not in done]
        if advice.next.kind == "check" and advice.next.id in asked:
            left = [option for option in advice.options if option.id not in asked and option.saves > TIE]
            if left:
                return min(left, key=lambda option: option.total)
        elif advice.next.id not in done:
            return advice.next
        best = min(routes, key=lambda term: term.total)
        return Option(
            kind="repair", id=best.id, minutes=best.act.minutes, cost=best.act.cost, total=best.total, saves=0.0
        )

    return choose
