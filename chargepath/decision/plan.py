"""Repairing by the ratio rule: chance of cure over cost, re-filtered after every failed proof, handing on as the floor."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array, Ints
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import States
from chargepath.knowledge import Route

PROVE, REFER = "prove", "refer"


@dataclass(frozen=True)
class RouteTerm:
    """One route as it stands now, its cost term by term (money).

    Attributes
    ----------
    id : str
    cure : float
        Chance that it removes everything that is present (for `prove`: that nothing is wrong).
    cost : float
        Everything that is paid when it is done: labour, part, harm and waiting.
    minutes : float
        Hands-on minutes with the proof, the opening and the checks it requires.
    part, labour, harm, waiting : float
        Terms of `cost`; `harm` is the chance of damage times what it costs.
    opening_minutes : float
        Minutes of opening not yet paid.
    days : float
        Days until its part is there.
    comeback : float
        Expected cost of a proof that passes with something still wrong.
    later : float
        Expected cost of what follows a proof that fails.
    total : float
        Expected cost of the whole job when this is done first.
    requires : tuple of str
        Checks that have to come before and were not done yet.

    """

    id: str
    cure: float
    cost: float
    minutes: float
    part: float
    opening_minutes: float
    labour: float = 0.0
    harm: float = 0.0
    waiting: float = 0.0
    days: float = 0.0
    comeback: float = 0.0
    later: float = 0.0
    total: float = np.inf
    requires: tuple[str, ...] = ()

    @property
    def quote(self) -> float:
        """What the customer would pay for it: labour and part (money)."""
        return self.labour + self.part


@dataclass(frozen=True, eq=False)
class RouteTable:
    """Everything the ratio rule needs about the routes of one device.

    Shapes: `cures` (n_states, n_routes), `act_cost`, `comeback` and `levels` (n_routes,), `works` (n_states,). `removes` maps
    fault index to chance for each route; `opening` (n_levels,) is the summed price of opening that far.
    """

    ids: tuple[str, ...]
    states: States
    removes: tuple[dict[int, float], ...]
    cures: Array
    act_cost: Array
    levels: Ints
    works: Array
    opening: Array
    comeback: Array
    value: float
    refer_cost: float

    def floor(self, mass: Array) -> Array:
        """Cost of handing on, weighted by mass of shape (n, n_states); shape (n,)."""
        total = mass.sum(axis=1)
        return np.asarray(self.value * (total - mass[:, 0]) + self.refer_cost * total)

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

    Parameters
    ----------
    table : RouteTable
    mass : array, shape (n, n_states)
        Beliefs, not necessarily normalised; the costs are weighted by their sums.
    paid : int array, shape (n,)
        Access level already paid for.

    """
    n, n_routes = len(mass), len(table.ids)
    rows, left = np.arange(n), mass
    used = np.zeros((n, n_routes), dtype=bool)
    order = np.zeros((n, n_routes), dtype=np.int64)
    spent, floor = np.zeros((n, n_routes)), np.zeros((n, n_routes))
    for step in range(n_routes):
        floor[:, step] = table.floor(left)
        cost = table.act_cost + table.still_to_open(paid)
        ratio = np.where(used, -1.0, (left @ table.cures) / np.maximum(cost, 1e-9))
        chosen = ratio.argmax(axis=1)
        order[:, step] = chosen
        used[rows, chosen] = True
        paid = np.maximum(paid, table.levels[chosen])
        after = np.empty_like(left)
        for route in np.unique(chosen):
            mine = chosen == route
            after[mine] = table.states.remove(left[mine], table.removes[route])
        passed = after * table.works
        spent[:, step] = cost[rows, chosen] * left.sum(axis=1) + passed[:, 1:].sum(axis=1) * table.comeback[chosen]
        left = after - passed
    worth, stop = table.floor(left), np.full(n, n_routes, dtype=np.int64)
    for step in range(n_routes - 1, -1, -1):
        going_on = spent[:, step] + worth
        stops = floor[:, step] <= going_on
        worth = np.where(stops, floor[:, step], going_on)
        stop[stops] = step
    return Plan(worth, order, stop)


def missing_checks(route: Route, belief: Belief) -> tuple[str, ...]:
    """Checks that a route requires and that have not spoken since the last repair."""
    done = {key.split("@")[0] for key in belief.last_grades()}
    known, model = belief.model.known, belief.model
    return tuple(name for name in route.requires if name not in done and model.offers(known.checks[name]))


def pulled(route: Route, prices: Prices, model: Model) -> list[Route]:
    """The route itself and those that it pulls in."""
    others = [model.known.routes[name] for name in prices.pulls.get(route.id, ()) if name in model.known.routes]
    return [route, *(other for other in others if model.offers_route(other))]


def combined_cures(routes: list[Route], model: Model) -> dict[int, float]:
    """Fault index to the chance that one of several routes done together takes it away."""
    stays: dict[int, float] = {}
    for route in routes:
        for index, chance in model.removes(route).items():
            stays[index] = stays.get(index, 1.0) * (1 - chance)
    return {index: 1 - stay for index, stay in stays.items()}


def act_terms(route: Route, belief: Belief, prices: Prices) -> RouteTerm:
    """What doing a route costs, term by term, without chances and what follows."""
    known, carrier = belief.model.known, belief.model.device.carrier
    together = pulled(route, prices, belief.model)
    requires = tuple(dict.fromkeys(name for one in together for name in missing_checks(one, belief)))
    deepest = max((one.access_for(carrier) for one in together), key=lambda level: known.access[level].level)
    opening = prices.opening(known, deepest, belief.access)
    hands = sum(prices.route_minutes(one) for one in together) + prices.proof_minutes
    hands += sum(prices.check_minutes(known.checks[name]) for name in requires)
    harm = (1 - np.prod([1 - one.harm for one in together])) * prices.harm
    part, days = sum(prices.part(one) for one in together), max(prices.waits(one) for one in together)
    labour, waiting = (hands + opening) * prices.rate_per_minute, days * prices.day
    return RouteTerm(
        route.id, 0.0, labour + part + float(harm) + waiting, hands + opening, part, opening, labour, float(harm), waiting,
        days, requires=requires,
    )  # fmt: skip


def route_table(belief: Belief, prices: Prices, forbidden: Collection[str] = ()) -> RouteTable:
    """Compile the routes offered on the belief's device, but the `forbidden` ones."""
    model = belief.model
    known, carrier, rate = model.known, model.device.carrier, prices.rate_per_minute
    routes = [
        route
        for route in known.routes.values()
        if route.id != REFER and model.offers_route(route) and (route.id == PROVE or route.id not in forbidden)
    ]
    together = [pulled(route, prices, model) for route in routes]
    terms = [act_terms(route, belief, prices) for route in routes]
    removes = [combined_cures(group, model) for group in together]
    n_faults = len(model.fault_ids)
    levels = [max(known.access[one.access_for(carrier)].level for one in group) for group in together]
    return RouteTable(
        ids=tuple(route.id for route in routes),
        states=model.states,
        removes=tuple(removes),
        cures=np.stack(
            [model.states.product(np.array([cures.get(i, 0.0) for i in range(n_faults)])) for cures in removes], axis=1
        ),
        act_cost=np.array([term.cost - term.opening_minutes * rate for term in terms]),
        levels=np.array(levels, dtype=np.int64),
        works=model.works,
        opening=np.cumsum([prices.open_minutes(level) for level in known.access.values()]) * rate,
        comeback=np.array([prices.coming_back(route) for route in routes]),
        value=prices.value,
        refer_cost=prices.route_minutes(known.routes[REFER]) * rate,
    )


def route_terms(belief: Belief, table: RouteTable, prices: Prices) -> list[RouteTerm]:
    """Every route in ratio-rule order with its total when done first; `refer` where going on would not be worth it."""
    known = belief.model.known
    paid = np.array([known.access[belief.access].level], dtype=np.int64)
    mass = belief.mass[None, :]
    whole = plan(table, mass, paid)
    after = np.stack([table.states.remove(belief.mass, removes) for removes in table.removes])
    passed = after * table.works
    later = plan(table, after - passed, np.maximum(paid, table.levels)).cost
    comeback = passed[:, 1:].sum(axis=1) * table.comeback
    cures = belief.mass @ table.cures
    terms = []
    for index in whole.order[0]:
        made = act_terms(known.routes[table.ids[index]], belief, prices)
        chances = {"cure": float(cures[index]), "comeback": float(comeback[index]), "later": float(later[index])}
        terms.append(RouteTerm(**{**made.__dict__, **chances, "total": made.cost + comeback[index] + later[index]}))
    minutes, floor = prices.route_minutes(known.routes[REFER]), float(table.floor(mass)[0])
    hand_on = RouteTerm(
        REFER, 0.0, table.refer_cost, minutes, 0.0, 0.0, table.refer_cost, later=floor - table.refer_cost, total=floor
    )
    terms.insert(int(whole.stop[0]), hand_on)
    return terms
