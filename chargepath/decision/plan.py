"""Repairing by the ratio rule: chance of cure over cost, re-filtered after every failed proof, handing on as the
floor.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from chargepath.base.arrays import Array, Ints
from chargepath.decision.acts import Act, act_of, combined_cures, deepest_access, pulled
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import States
from chargepath.knowledge.routes import PROVE, REFER


@dataclass(frozen=True)
class RouteTerm:
    """One route as it stands now: what doing it costs, and what is then to be expected (money).

    Attributes
    ----------
    act : Act
    cure : float
        Chance that it removes everything that is present (for `prove`: that nothing is wrong).
    comeback : float
        Expected cost of a proof that passes with something still wrong.
    later : float
        Expected cost of what follows a proof that fails.
    spared : float
        What is expected to be spared of the proof, since a repair that has not helped shows at once.
    then : str
        The check or try that comes first after a proof that fails, where that is cheaper than the next repair.

    """

    act: Act
    cure: float
    comeback: float
    later: float
    spared: float = 0.0
    then: str = ""

    @property
    def id(self) -> str:
        """The route's id."""
        return self.act.id

    @property
    def total(self) -> float:
        """Expected cost of the whole job when this is done first."""
        return self.act.cost + self.comeback + self.later - self.spared

    @property
    def money(self) -> Mapping[str, float]:
        """Every term of the total by its name."""
        act = self.act
        return {
            "labour": act.labour - self.spared,
            "part": act.part,
            "harm": act.harm,
            "waiting": act.waiting,
            "comeback": self.comeback,
            "later": self.later,
        }


@dataclass(frozen=True, eq=False)
class CuredBy:
    """What several groups of routes, each done together, take away.

    Attributes
    ----------
    removes : tuple of mapping
        Fault index to chance, for each group.
    chances : array, shape (n_states, n_routes)
        Chance that it takes away everything that is present.

    """

    removes: tuple[dict[int, float], ...]
    chances: Array

    @cached_property
    def where(self) -> tuple[Ints, Ints, Array]:
        """The chances that are not 0, but those of the empty set: state, route, chance."""
        state, route = np.nonzero(self.chances[1:])
        return state + 1, np.ascontiguousarray(route), self.chances[1:][state, route]

    @cached_property
    def flat(self) -> tuple[Ints, Ints, Array]:
        """What is removed one after another: where each group's begins (n_routes + 1,), fault, chance."""
        faults = [fault for removes in self.removes for fault in removes]
        chances = [chance for removes in self.removes for chance in removes.values()]
        starts = _starts([len(removes) for removes in self.removes])
        return starts, np.array(faults, dtype=np.int64), np.array(chances, dtype=np.float64)


@lru_cache(maxsize=64)
def cured_by(model: Model, groups: tuple[tuple[str, ...], ...], failed: tuple[tuple[str, int], ...]) -> CuredBy:
    """What groups of routes take away on a device; `failed` is how often each route was done in vain already.

    Kept, since it is the same for most entries of a job.
    """
    routes, vain = model.known.routes, dict(failed)
    removes = tuple(combined_cures([routes[name] for name in group], model, vain) for group in groups)
    each = np.zeros((len(removes), model.states.n_faults))
    for row, chances in enumerate(removes):
        each[row, list(chances)] = list(chances.values())
    return CuredBy(removes, model.states.product(each).T)


@dataclass(frozen=True, eq=False)
class RouteTable:
    """Everything the ratio rule needs about the routes of one device.

    Shapes: `act_cost`, `comeback` and `levels` (n_routes,), `works` (n_states,). `opening` (n_levels,) is the summed
    price of opening that far, `spared` what a repair that visibly fails spares of its proof; `act_cost` is without it.
    """

    acts: tuple[Act, ...]
    states: States
    cured: CuredBy
    act_cost: Array
    levels: Ints
    works: Array
    opening: Array
    comeback: Array
    value: float
    refer: Act
    spared: float = 0.0

    @property
    def removes(self) -> tuple[dict[int, float], ...]:
        """Fault index to the chance that each route takes it away."""
        return self.cured.removes

    @property
    def cures(self) -> Array:
        """Chance that each route takes everything away, shape (n_states, n_routes)."""
        return self.cured.chances

    def floor(self, mass: Array) -> Array:
        """Cost of handing on, weighted by mass of shape (n, n_states); shape (n,)."""
        total = mass.sum(axis=1)
        return np.asarray(self.value * (total - mass[:, 0]) + self.refer.cost * total)

    @cached_property
    def compiled(self) -> tuple[Any, ...]:
        """The table as `kernel.ratio_rule` takes it, from `cure_state` to `spared`."""
        return (
            *self.cured.where,
            self.act_cost,
            self.levels,
            self.opening,
            self.works,
            self.comeback,
            *self.cured.flat,
            *self.states.pairs_flat,
            float(self.value),
            float(self.refer.cost),
            float(self.spared),
        )


def _starts(counts: Sequence[int]) -> Ints:
    """Offsets of consecutive groups in a flat list: where each begins, and where the last one ends."""
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)


@dataclass(frozen=True, eq=False)
class RatioPlan:
    """Repairing by the ratio rule, for n beliefs at once.

    Attributes
    ----------
    cost : array, shape (n,)
        Expected cost, referral as the floor after every failed proof.
    order : int array, shape (n, n_routes)
        Route indices in the order in which they are done.
    stop : int array, shape (n,)
        Step at which handing on becomes no dearer than going on (n_routes where it never does).

    """

    cost: Array
    order: Ints
    stop: Ints


def plan(
    table: RouteTable, mass: Array, paid: Ints, hardly_pays: float = -1.0, failed: Ints | None = None
) -> RatioPlan:
    """Follow the ratio rule.

    V = min(hand on, cost + P(passes, something left) · come-back + P(fails) · V'), backwards over the order that the
    ratio rule chooses forwards.

    Parameters
    ----------
    table : RouteTable
    mass : array, shape (n, n_states)
        Beliefs, not necessarily normalised; the costs are weighted by their sums.
    paid : int array, shape (n,)
        Access level already paid for.
    hardly_pays : float
        Hand on once no route left pays for itself by this share; under 0 to follow it to the end.
    failed : int array, shape (n,), optional
        The route that has just failed on each belief: it is no fresh chance and is left out; -1 for none.

    """
    from chargepath.decision.kernel import ratio_rule

    failed = np.full(len(mass), -1, dtype=np.int64) if failed is None else failed
    mass, paid = np.ascontiguousarray(mass, dtype=np.float64), np.asarray(paid, dtype=np.int64)
    return RatioPlan(*ratio_rule(mass, paid, failed, *table.compiled, hardly_pays))


# What follows once no route left pays for itself by so much is left out of the costs of many beliefs at once. On the
# 222 states of the reference cases the next step is the same in each and its total within 0.02.
HARDLY_PAYS = 0.6


def job_costs(table: RouteTable, mass: Array, paid: Ints, failed: Ints | None = None) -> Array:
    """`plan(...).cost` for many beliefs at once, shape (n,), with what hardly matters left out.

    Within a few cents of the whole plan (test_advice.py), in a fraction of its time.

    Parameters
    ----------
    table : RouteTable
    mass : array, shape (n, n_states)
    paid : int array, shape (n,)
    failed : int array, shape (n,), optional

    """
    return plan(table, mass, paid, HARDLY_PAYS, failed).cost


def route_table(belief: Belief, prices: Prices, forbidden: Collection[str] = ()) -> RouteTable:
    """Compile the routes offered on the belief's device, but the `forbidden` ones; proving where no other is left."""
    model, known, rate = belief.model, belief.model.known, prices.rate_per_minute
    offered = [route for route in known.routes.values() if route.id != REFER and model.offers_route(route)]
    routes = [route for route in offered if route.id not in forbidden] or [known.routes[PROVE]]
    together = [pulled(route, prices, model) for route in routes]
    acts = tuple(act_of(route, belief, prices) for route in routes)
    groups = tuple(tuple(route.id for route in group) for group in together)
    minutes = prices.route_minutes(known.routes[REFER])
    return RouteTable(
        acts=acts,
        states=model.states,
        cured=cured_by(model, groups, tuple(sorted(belief.failures.items()))),
        act_cost=np.array([act.cost - act.opening_minutes * rate - prices.spared for act in acts]),
        levels=np.array([known.access[deepest_access(group, model)].level for group in together], dtype=np.int64),
        works=model.works,
        opening=np.array(prices.opening_upto(known)) * rate,
        comeback=np.array([prices.coming_back(route) for route in routes]),
        value=prices.value,
        refer=Act(
            id=REFER,
            minutes=minutes,
            opening_minutes=0.0,
            labour=minutes * rate,
            part=0.0,
            harm=0.0,
            waiting=0.0,
            days=0.0,
        ),
        spared=prices.spared,
    )


def after_each(table: RouteTable, mass: Array) -> Array:
    """The mass (n_states,) after each route, before its proof, shape (n_routes, n_states)."""
    from chargepath.decision.kernel import removed_by_each

    return removed_by_each(np.ascontiguousarray(mass), *table.cured.flat, *table.states.pairs_flat)


def route_terms(belief: Belief, table: RouteTable) -> list[RouteTerm]:
    """Every route in ratio-rule order with its total when done first; `refer` where going on would not be worth it."""
    paid = np.array([belief.model.known.access[belief.access].level], dtype=np.int64)
    mass = belief.mass[None, :]
    first = plan(table, mass, paid)
    after = after_each(table, belief.mass)
    passed = after * table.works
    later = job_costs(table, after - passed, np.maximum(paid, table.levels), np.arange(len(table.acts)))
    comeback = passed[:, 1:].sum(axis=1) * table.comeback
    cures = belief.mass @ table.cures
    terms = [
        RouteTerm(
            table.acts[index],
            float(cures[index]),
            float(comeback[index]),
            float(later[index]),
            table.spared * float(1 - passed[index].sum()),
        )
        for index in first.order[0]
    ]
    floor = float(table.floor(mass)[0])
    terms.insert(int(first.stop[0]), RouteTerm(table.refer, 0.0, 0.0, floor - table.refer.cost))
    return terms
