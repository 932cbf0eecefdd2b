"""What doing a route costs, term by term: labour, part, risk of harm, waiting; what has to come before.

What comes along with it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.graded import blocked
from chargepath.diagnosis.model import Model
from chargepath.knowledge import Route


@dataclass(frozen=True)
class Act:
    """A route as an act, whatever comes of it (money in the shop's currency).

    Attributes
    ----------
    id : str
    minutes : float
        Hands-on minutes with the proof, the opening and the checks it requires.
    opening_minutes : float
        Those of them that go into opening not yet paid.
    labour, part, harm, waiting : float
        What is paid: minutes, part, chance of damage times what it costs, days of waiting for the part.
    days : float
        Days until its part is there.
    requires : tuple of str
        Checks that have to come before and were not done yet.

    """

    id: str
    minutes: float
    opening_minutes: float
    labour: float
    part: float
    harm: float
    waiting: float
    days: float
    requires: tuple[str, ...] = ()

    @property
    def cost(self) -> float:
        """Everything that is paid when it is done."""
        return self.labour + self.part + self.harm + self.waiting

    @property
    def quote(self) -> float:
        """What the customer would pay for it: labour and part."""
        return self.labour + self.part


def missing_checks(route: Route, belief: Belief) -> tuple[str, ...]:
    """Checks that a route requires and that have not spoken since the last repair.

    Where one says nothing before another one was made, that one; where it can say nothing any more, none.
    """
    if not route.requires:
        return ()
    known, done = belief.model.known, {key.split("@")[0] for key in belief.last_grades}
    read = {key.split("@")[0] for key in belief.lately}
    found = []
    for name in route.requires:
        check = known.checks[name]
        if name in done or not belief.model.offers(check):
            continue
        if not blocked(known, check, belief.lately):
            found.append(name)
        elif check.needs_before and not read & {other for other, _ in check.needs_before}:
            found.append(check.needs_before[0][0])
    return tuple(dict.fromkeys(found))


def pulled(route: Route, prices: Prices, model: Model) -> list[Route]:
    """The route itself and those that it pulls in: their part is only sold, or only works, together."""
    others = [model.known.routes[name] for name in prices.pulls.get(route.id, ()) if name in model.known.routes]
    return [route, *(other for other in others if model.offers_route(other))]


def combined_cures(routes: list[Route], model: Model, failed: Mapping[str, int] | None = None) -> dict[int, float]:
    """Fault index to the chance that one of several routes done together takes it away.

    `failed` is how often each was done in vain already.

    Examples
    --------
    Two routes of 0.6 and 0.5 for one fault leave it with 0.4 · 0.5.

    >>> from chargepath.case.entries import Device
    >>> from chargepath.knowledge.loader import shipped
    >>> model = Model(shipped(), Device("phone", "usb_c", "sub_board"))
    >>> twice = [shipped().routes["clean_port"]] * 2
    >>> one, both = (combined_cures(group, model) for group in (twice[:1], twice))
    >>> all(abs(both[index] - (1 - (1 - chance) ** 2)) < 1e-12 for index, chance in one.items())
    True

    """
    stays: dict[int, float] = {}
    for route in routes:
        for index, chance in model.removes(route, failed=(failed or {}).get(route.id, 0)).items():
            stays[index] = stays.get(index, 1.0) * (1 - chance)
    return {index: 1 - stay for index, stay in stays.items()}


def deepest_access(routes: list[Route], model: Model) -> str:
    """How far the device has to be opened for several routes done together."""
    known, carrier = model.known, model.device.carrier
    return max((route.access_for(carrier) for route in routes), key=lambda level: known.access[level].level)


def act_of(route: Route, belief: Belief, prices: Prices) -> Act:
    """What doing a route costs now, with what it pulls in and the checks that it requires.

    Hands-on minutes are those of the routes, of one proof and of the required checks; labour is all of them and the
    opening not yet paid, at the rate. Harm is 1 - Π(1 - h) over the routes, times what harm costs. Parts are waited
    for at once: the longest wait counts.

    Parameters
    ----------
    route : Route
    belief : Belief
        What is done already: access, checks, kept parts.
    prices : Prices
        Minutes [min], rate (money per minute), parts and harm (money).

    """
    known, together = belief.model.known, pulled(route, prices, belief.model)
    requires = tuple(dict.fromkeys(name for one in together for name in missing_checks(one, belief)))
    opening = prices.opening(known, deepest_access(together, belief.model), belief.access)
    hands = sum(prices.route_minutes(one) for one in together) + prices.proof_minutes
    hands += sum(prices.check_minutes(known.checks[name]) for name in requires)
    harm = 1 - math.prod(1 - prices.harm_chance(one) for one in together)
    waiting = sum(prices.work_wait(one) for one in together) * prices.wait_per_minute
    days = max(prices.waits(one) for one in together)
    return Act(
        id=route.id,
        minutes=hands + opening,
        opening_minutes=opening,
        labour=(hands + opening) * prices.rate_per_minute,
        part=sum(prices.part(one) for one in together),
        harm=harm * prices.harm,
        waiting=days * prices.day + waiting,
        days=days,
        requires=requires,
    )
