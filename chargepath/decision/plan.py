"""Repairing by the ratio rule: chance of cure over cost, re-filtered after every failed proof, handing on as the
floor.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array, Ints
from chargepath.decision.acts import PROVE, REFER, Act, act_of, combined_cures, deepest_access, pulled
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.states import States, take_away


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

    """

    act: Act
    cure: float
    comeback: float
    later: float
    spared: float = 0.0

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
class RouteTable:
    """Everything the ratio rule needs about the routes of one device.

    Shapes: `cures` (n_states, n_routes), `act_cost`, `comeback` and `levels` (n_routes,), `works` (n_states,).
    `removes` maps fault index to chance for each route; `opening` (n_levels,) is the summed price of opening that
    far, `spared` what a repair that visibly fails spares of its proof; `act_cost` is without it.
    """

    acts: tuple[Act, ...]
    states: States
    removes: tuple[dict[int, float], ...]
    cures: Array
    act_cost: Array
    levels: Ints
    works: Array
    opening: Array
    comeback: Array
    value: float
    refer: Act
    spared: float = 0.0

    def floor(self, mass: Array) -> Array:
        """Cost of handing on, weighted by mass of shape (n, n_states); shape (n,)."""
        total = mass.sum(axis=1)
        return np.asarray(self.value * (total - mass[:, 0]) + self.refer.cost * total)

    def still_to_open(self, paid: Ints) -> Array:
        """Price of opening for each route from each paid level, shape (n, n_routes)."""
        return np.maximum(self.opening[self.levels] - self.opening[paid][:, None], 0.0)


@dataclass(frozen=True, eq=False)
class Plan:
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


def plan(table: RouteTable, mass: Array, paid: Ints) -> Plan:
    """Follow the ratio rule through to the end.

    V = min(hand on, cost + P(passes, something left) · come-back + P(fails) · V'), backwards over the order that the
    ratio rule chooses forwards.

    Parameters
    ----------
    table : RouteTable
    mass : array, shape (n, n_states)
        Beliefs, not necessarily normalised; the costs are weighted by their sums.
    paid : int array, shape (n,)
        Access level already paid for.

    """
    n, n_routes = len(mass), len(table.acts)
    rows, left = np.arange(n), mass
    used = np.zeros((n, n_routes), dtype=bool)
    order = np.zeros((n, n_routes), dtype=np.int64)
    spent, floor = np.zeros((n, n_routes)), np.zeros((n, n_routes))
    left, fails = left.copy(), 1 - table.works
    for step in range(n_routes):
        total = left.sum(axis=1)
        floor[:, step] = table.value * (total - left[:, 0]) + table.refer.cost * total
        cost = table.act_cost + table.still_to_open(paid)
        ratio = np.where(used, -1.0, (left @ table.cures) / np.maximum(cost, 1e-9))
        chosen = ratio.argmax(axis=1)
        order[:, step] = chosen
        used[rows, chosen] = True
        paid = np.maximum(paid, table.levels[chosen])
        _do(table, left, chosen)
        wrong = left[:, 1:] @ table.works[1:]
        passed = wrong + left[:, 0] * table.works[0]
        spent[:, step] = cost[rows, chosen] * total + table.spared * passed + wrong * table.comeback[chosen]
        left *= fails
    return _backwards(order, spent, floor, table.floor(left))


def _do(table: RouteTable, left: Array, chosen: Ints) -> None:
    """Do each row's chosen route: the mass (n, n_states) moves to where what it cures is gone, in place."""
    for route in np.unique(chosen):
        if table.removes[route]:
            mine = np.flatnonzero(chosen == route)
            left[mine] = table.states.take_away(left[mine], table.removes[route])


def _backwards(order: Ints, spent: Array, floor: Array, last: Array) -> Plan:
    """Choose at each step between handing on (`floor`) and going on (`spent`), from the last step to the first.

    `last` is what handing on costs after all steps, shape (n,).
    """
    n_routes = order.shape[1]
    worth, stop = last, np.full(len(order), n_routes, dtype=np.int64)
    for step in range(n_routes - 1, -1, -1):
        going_on = spent[:, step] + worth
        stops = floor[:, step] <= going_on
        worth = np.where(stops, floor[:, step], going_on)
        stop[stops] = step
    return Plan(worth, order, stop)


# Left out of the costs of many beliefs at once: states and routes that hold less than this share of all their mass,
# and what follows once no route left pays for itself by half, or after so many. On the 177 states of the reference
# cases the next step is the same in each and its total within 0.08.
FEW_STATES, FEW_ROUTES, HARDLY_PAYS, MOST_STEPS = 1e-6, 1e-3, 0.4, 12


def job_costs(table: RouteTable, mass: Array, paid: Ints) -> Array:
    """`plan(...).cost` for many beliefs at once, shape (n,), with what hardly matters left out.

    Within a few cents of the whole plan, which stays the reference (test_advice.py), in a fraction of its time.

    Parameters
    ----------
    table : RouteTable
    mass : array, shape (n, n_states)
    paid : int array, shape (n,)

    """
    together = mass.sum(axis=0)
    states, pairs = _states_that_matter(table, together)
    routes = _routes_that_matter(table, together)
    cures, works = table.cures[np.ix_(states, routes)], table.works[states]
    levels, bare, comeback = table.levels[routes], table.act_cost[routes], table.comeback[routes]
    removes = [table.removes[route] for route in routes]
    n, n_routes, steps = len(mass), len(routes), 0
    left, alive, used = mass[:, states], np.arange(n), np.zeros((n, n_routes), dtype=bool)
    spent, floor = np.full((n, n_routes), np.inf), np.zeros((n, n_routes))
    last = np.zeros(n)
    for step in range(min(n_routes, MOST_STEPS)):
        total = left.sum(axis=1)
        here = table.value * (total - left[:, 0]) + table.refer.cost * total
        floor[alive, step] = here
        cost = bare + np.maximum(table.opening[levels] - table.opening[paid][:, None], 0.0)
        ratio = np.where(used, -1.0, (left @ cures) / np.maximum(cost, 1e-9))
        chosen = ratio.argmax(axis=1)
        pays = ratio.max(axis=1) * table.value > HARDLY_PAYS * total
        if not pays.all():
            left, alive, used, paid = left[pays], alive[pays], used[pays], paid[pays]
            total, cost, chosen = total[pays], cost[pays], chosen[pays]
        if not alive.size:
            break
        rows = np.arange(alive.size)
        used[rows, chosen] = True
        paid = np.maximum(paid, levels[chosen])
        for route in set(chosen.tolist()):
            if removes[route]:
                mine = np.flatnonzero(chosen == route)
                left[mine] = take_away(left[mine], removes[route], pairs)
        passed = left * works
        wrong = passed[:, 1:].sum(axis=1)
        worth = cost[rows, chosen] * total + table.spared * (wrong + passed[:, 0]) + wrong * comeback[chosen]
        spent[alive, step], steps = worth, step + 1
        left = left - passed
        last[alive] = table.value * left[:, 1:].sum(axis=1) + table.refer.cost * left.sum(axis=1)
    if steps < n_routes:
        floor[alive, steps] = last[alive]
    return _backwards(np.zeros((n, steps + 1), dtype=np.int64)[:, :n_routes], spent, floor, last).cost


def _states_that_matter(table: RouteTable, together: Array) -> tuple[Ints, list[tuple[Ints, Ints]]]:
    """Indices of the states that hold mass, closed under taking faults away, and for each fault which of them hold it
    and where its going leads.
    """
    keep = together > FEW_STATES * together.sum()
    keep |= table.states.has.sum(axis=1) <= 1
    for _ in range(2):
        for holding, freed in table.states.pairs:
            keep[freed[keep[holding]]] = True
    place = np.cumsum(keep) - 1
    pairs = []
    for holding, freed in table.states.pairs:
        there = keep[holding]
        pairs.append((place[holding[there]], place[freed[there]]))
    return np.flatnonzero(keep), pairs


def _routes_that_matter(table: RouteTable, together: Array) -> Ints:
    """Indices of the routes that take away something worth speaking of, and of the proof."""
    some = FEW_ROUTES * together.sum()
    faults = together @ table.states.has
    touched = [max((faults[fault] for fault in removes), default=0.0) for removes in table.removes]
    kept = [index for index, act in enumerate(table.acts) if act.id == PROVE or touched[index] > some]
    return np.array(kept or [0], dtype=np.int64)


def route_table(belief: Belief, prices: Prices, forbidden: Collection[str] = ()) -> RouteTable:
    """Compile the routes offered on the belief's device, but the `forbidden` ones."""
    model, known, rate = belief.model, belief.model.known, prices.rate_per_minute
    routes = [
        route
        for route in known.routes.values()
        if route.id != REFER and model.offers_route(route) and (route.id == PROVE or route.id not in forbidden)
    ]
    together = [pulled(route, prices, model) for route in routes]
    acts = tuple(act_of(route, belief, prices) for route in routes)
    failed = belief.failures
    removes = tuple(combined_cures(group, model, failed) for group in together)
    each = [[cures.get(index, 0.0) for index in range(model.states.n_faults)] for cures in removes]
    minutes = prices.route_minutes(known.routes[REFER])
    return RouteTable(
        acts=acts,
        states=model.states,
        removes=removes,
        cures=np.stack([model.states.product(np.array(chances)) for chances in each], axis=1),
        act_cost=np.array([act.cost - act.opening_minutes * rate - prices.spared for act in acts]),
        levels=np.array([known.access[deepest_access(group, model)].level for group in together], dtype=np.int64),
        works=model.works,
        opening=np.cumsum([prices.open_minutes(level) for level in known.access.values()]) * rate,
        comeback=np.array([prices.coming_back(route) for route in routes]),
        value=prices.value,
        refer=Act(REFER, minutes, 0.0, minutes * rate, 0.0, 0.0, 0.0, 0.0),
        spared=prices.spared,
    )


def route_terms(belief: Belief, table: RouteTable) -> list[RouteTerm]:
    """Every route in ratio-rule order with its total when done first; `refer` where going on would not be worth it."""
    paid = np.array([belief.model.known.access[belief.access].level], dtype=np.int64)
    mass = belief.mass[None, :]
    first = plan(table, mass, paid)
    after = np.stack([table.states.remove(belief.mass, removes) for removes in table.removes])
    passed = after * table.works
    later = job_costs(table, after - passed, np.maximum(paid, table.levels))
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
