"""What to do next: measure more, try a part, or commit to a repair, in minutes and money.

Repairs are ordered by the classical ratio rule, chance of cure over cost, re-filtered after every proof that fails, with
handing the device on as the floor. A check, a try and each repair is then valued by looking one step ahead and following
that rule afterwards. An opening is paid once per job.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from chargepath.belief import Belief, blocked
from chargepath.casefile import TryEvent
from chargepath.knowledge import Check, Knowledge
from chargepath.model import Model
from chargepath.states import Array, Ints, States

PROVE, REFER = "prove", "refer"


@dataclass(frozen=True)
class Prices:
    """What this shop and this job charge against each other (money in the shop's currency)."""

    rate_per_minute: float
    wait_per_minute: float
    proof_minutes: float
    comeback: float
    value: float

    @classmethod
    def of(cls, known: Knowledge, value: float, rate_per_minute: float | None = None) -> Prices:
        """Prices for a device of that value, by the knowledge's costs unless a rate is given."""
        costs = known.costs
        return cls(
            costs.rate_per_minute if rate_per_minute is None else rate_per_minute,
            costs.wait_per_minute,
            costs.proof_minutes,
            costs.comeback_share * value + costs.comeback_handling,
            value,
        )


@dataclass(frozen=True)
class RouteTerm:
    """One route as it stands now.

    Attributes
    ----------
    id : str
    cure : float
        Chance that it removes everything that is present (for `prove`: that nothing is wrong).
    cost : float
        Minutes, proof, part and opening not yet paid, in money.
    minutes : float
        Hands-on minutes with the proof and the opening.
    part, opening_minutes : float
        Terms of `cost`.
    total : float
        Expected cost of the whole job when this is done first (inf where it is not looked at).

    """

    id: str
    cure: float
    cost: float
    minutes: float
    part: float
    opening_minutes: float
    total: float = np.inf


@dataclass(frozen=True)
class Outcome:
    """One way a check or try can turn out: how likely, and what the job then costs."""

    label: str
    chance: float
    total: float
    top_fault: str
    top_chance: float


@dataclass(frozen=True)
class Option:
    """Something to do next.

    Attributes
    ----------
    kind : {'check', 'try', 'repair'}
    id : str
    minutes : float
        Hands-on minutes, the opening not yet paid included.
    cost : float
        Money for those minutes, waiting and parts.
    total : float
        Expected cost of the whole job when this is done first.
    saves : float
        For a check or try: how much less the job costs than committing to a repair at once. For a repair: how much less
        than handing the device on.
    outcomes : tuple of Outcome

    """

    kind: str
    id: str
    minutes: float
    cost: float
    total: float
    saves: float
    outcomes: tuple[Outcome, ...] = ()


@dataclass(frozen=True, eq=False)
class Advice:
    """The whole recommendation.

    Attributes
    ----------
    next : Option
        What to do next.
    equals : tuple of Option
        Options whose expected total lies within the tie of the best.
    beside : Option or None
        A cheap act with a small chance that would come first by cost alone.
    options : tuple of Option
        Every check and try that makes sense, by expected saving.
    routes : tuple of RouteTerm
        In the order in which the ratio rule would do them now.
    commit : float
        Expected cost of the job when a repair is committed to at once.
    refer_cost : float
        Expected cost of handing it on.

    """

    next: Option
    equals: tuple[Option, ...]
    beside: Option | None
    options: tuple[Option, ...]
    routes: tuple[RouteTerm, ...]
    commit: float
    refer_cost: float


@dataclass(frozen=True, eq=False)
class RouteTable:
    """Everything the ratio rule needs about the routes of one device.

    Shapes: `cures` (n_states, n_routes), `act_cost` (n_routes,), `levels` (n_routes,), `works` (n_states,). `removes` maps
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
    comeback: float
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
        spent[:, step] = cost[rows, chosen] * left.sum(axis=1) + passed[:, 1:].sum(axis=1) * table.comeback
        left = after - passed
    worth, stop = table.floor(left), np.full(n, n_routes, dtype=np.int64)
    for step in range(n_routes - 1, -1, -1):
        going_on = spent[:, step] + worth
        stops = floor[:, step] <= going_on
        worth = np.where(stops, floor[:, step], going_on)
        stop[stops] = step
    return Plan(worth, order, stop)


def route_table(model: Model, prices: Prices) -> RouteTable:
    """Compile the routes offered on the model's device."""
    known, carrier = model.known, model.device.carrier
    routes = [route for route in known.routes.values() if route.id != REFER and model.offers_route(route)]
    rate = prices.rate_per_minute
    return RouteTable(
        ids=tuple(route.id for route in routes),
        states=model.states,
        removes=tuple(model.removes(route) for route in routes),
        cures=np.stack([model.cured(route) for route in routes], axis=1),
        act_cost=np.array([rate * (route.minutes + prices.proof_minutes) + route.part for route in routes]),
        levels=np.array([known.access[route.access_for(carrier)].level for route in routes], dtype=np.int64),
        works=model.works,
        opening=np.cumsum([level.open_minutes for level in known.access.values()]) * rate,
        comeback=prices.comeback,
        value=prices.value,
        refer_cost=known.routes[REFER].minutes * rate,
    )


@dataclass(frozen=True, eq=False)
class _Question:
    """A check or try with the likelihood of each of its outcomes, shape (n_outcomes, n_states)."""

    kind: str
    id: str
    access: str
    minutes: float
    wait: float
    labels: tuple[str, ...]
    chances: Array


def _look_outcomes(check: Check, table: Array) -> tuple[tuple[str, ...], Array]:
    """Outcomes of a look, summed up: nothing seen, one sign alone, several signs."""
    none = (1 - table).prod(axis=1)
    alone = [none * table[:, k] / (1 - table[:, k]) for k in range(table.shape[1])]
    several = np.clip(1 - none - np.sum(alone, axis=0), 0.0, 1.0)
    labels = ("nothing to see", *(check.name(sign) for sign in check.signs), "several of these")
    return labels, np.stack([none, *alone, several])


def _questions(belief: Belief) -> list[_Question]:
    """Every check and try that would say something new."""
    model, known = belief.model, belief.model.known
    grades, out = belief.last_grades(), []
    for check in known.checks.values():
        if check.id in grades or blocked(check, grades) or not model.offers(check):
            continue
        table = model.table(check)
        if check.is_look:
            labels, chances = _look_outcomes(check, table)
        else:
            labels, chances = tuple(check.name(grade) for grade in check.grades), table.T
        out.append(_Question("check", check.id, check.access, check.minutes, check.wait_minutes, labels, chances))
    tried = {event.route for event in belief.since_repair() if isinstance(event, TryEvent)}
    for route in known.routes.values():
        if route.try_minutes is None or route.id in tried or not model.offers_route(route):
            continue
        works = model.works_trying(route)
        access = route.access_for(model.device.carrier)
        chances = np.stack([works, 1 - works])
        out.append(_Question("try", route.id, access, route.try_minutes, 0.0, ("it charges", "it does not"), chances))
    return out


def _minutes(known: Knowledge, level: str, reached: str) -> float:
    """Minutes of opening from one access level to another, 0 where it is open already."""
    levels = list(known.access.values())
    return sum(step.open_minutes for step in levels[known.access[reached].level + 1 : known.access[level].level + 1])


def _value_questions(belief: Belief, table: RouteTable, prices: Prices, commit: float) -> list[Option]:
    """Value every check and try by one look ahead; the plans of all outcomes are computed in one batch."""
    known, model = belief.model.known, belief.model
    questions = _questions(belief)
    if not questions:
        return []
    reached = known.access[belief.access].level
    mass = np.concatenate([belief.mass * question.chances for question in questions])
    levels = [max(reached, known.access[question.access].level) for question in questions]
    paid = np.repeat(np.array(levels, dtype=np.int64), [len(question.chances) for question in questions])
    costs = plan(table, mass, paid).cost
    chances = np.maximum(mass.sum(axis=1), 1e-300)
    marginals = mass @ model.states.has / chances[:, None]
    tops = marginals.argmax(axis=1)
    options, at = [], 0
    for question in questions:
        rows = range(at, at + len(question.chances))
        at = rows.stop
        minutes = question.minutes + _minutes(known, question.access, belief.access)
        cost = minutes * prices.rate_per_minute + question.wait * prices.wait_per_minute
        total = cost + float(costs[rows.start : rows.stop].sum())
        outcomes = tuple(
            Outcome(
                label,
                float(chances[row]),
                float(costs[row] / chances[row]),
                model.fault_ids[tops[row]],
                float(marginals[row, tops[row]]),
            )
            for label, row in zip(question.labels, rows, strict=True)
        )
        options.append(Option(question.kind, question.id, minutes, cost, total, commit - total, outcomes))
    return sorted(options, key=lambda option: -option.saves)


def _route_terms(belief: Belief, table: RouteTable, prices: Prices) -> list[RouteTerm]:
    """Every route in ratio-rule order with its total when done first; `refer` where going on would not be worth it."""
    known = belief.model.known
    paid = np.array([known.access[belief.access].level], dtype=np.int64)
    mass = belief.mass[None, :]
    whole = plan(table, mass, paid)
    after = np.stack([table.states.remove(belief.mass, removes) for removes in table.removes])
    passed = after * table.works
    later = plan(table, after - passed, np.maximum(paid, table.levels)).cost
    cost = table.act_cost + table.still_to_open(paid)[0]
    totals = cost + passed[:, 1:].sum(axis=1) * table.comeback + later
    cures = belief.mass @ table.cures
    terms = []
    for index in whole.order[0]:
        route = known.routes[table.ids[index]]
        opening = _minutes(known, route.access_for(belief.model.device.carrier), belief.access)
        minutes = route.minutes + prices.proof_minutes + opening
        terms.append(
            RouteTerm(
                route.id, float(cures[index]), float(cost[index]), minutes, route.part, opening, float(totals[index])
            )
        )
    refer = known.routes[REFER]
    hand_on = RouteTerm(REFER, 0.0, table.refer_cost, refer.minutes, 0.0, 0.0, float(table.floor(mass)[0]))
    terms.insert(int(whole.stop[0]), hand_on)
    return terms


def yield_of(option: Option) -> float:
    """What a check or try brings for what it costs, both in money: its saving before its own cost, over that cost."""
    return (option.saves + option.cost) / max(option.cost, 0.1)


def _as_option(term: RouteTerm, refer_total: float) -> Option:
    return Option("repair", term.id, term.minutes, term.cost, term.total, refer_total - term.total)


def advise(belief: Belief, prices: Prices) -> Advice:
    """Recommend the next step.

    Where a check or a try saves more than a tie, the one that brings most for its cost comes first: a cheap one does not take
    the place of a dear one, which can still follow, so that one look ahead sees further than one step. Else the lowest expected
    total wins. Among repairs the page leads with a plausible one, at least `plausible_share` of the best
    chance of cure; a cheap act with a small chance that would come first by cost alone is offered beside it.

    Parameters
    ----------
    belief : Belief
    prices : Prices

    Returns
    -------
    Advice

    """
    costs = belief.model.known.costs
    table = route_table(belief.model, prices)
    routes = _route_terms(belief, table, prices)
    refer = next(term for term in routes if term.id == REFER)
    repairs = [term for term in routes if term.id != REFER]
    cheapest = min(routes, key=lambda term: term.total)
    best_cure = max(term.cure for term in repairs)
    plausible = [term for term in repairs if term.cure >= costs.plausible_share * best_cure]
    lead = cheapest if cheapest.id == REFER else min(plausible, key=lambda term: term.total)
    beside = _as_option(cheapest, refer.total) if cheapest.id not in (lead.id, REFER) else None
    options = _value_questions(belief, table, prices, cheapest.total)
    step = _as_option(lead, refer.total)
    worth_it = [option for option in options if option.saves > costs.tie]
    if worth_it:
        step = max(worth_it, key=yield_of)
    everything = [*options, *(_as_option(term, refer.total) for term in plausible)]
    equals = tuple(
        option
        for option in sorted(everything, key=lambda option: option.total)
        if abs(option.total - step.total) <= costs.tie and (option.kind, option.id) != (step.kind, step.id)
    )
    return Advice(step, equals, beside, tuple(options), tuple(routes), cheapest.total, refer.total)
