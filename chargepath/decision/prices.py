"""Prices of one job: what minutes, waits, parts, damage and come-backs cost for this shop, technician and customer.

Minutes, money, waiting, harm, come-backs.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import accumulate

from chargepath.case.entries import Device
from chargepath.knowledge import Check, Knowledge, Route
from chargepath.knowledge.stations import Access
from chargepath.repair.figures import PlanFigures, plan_figures


@dataclass(frozen=True)
class Prices:
    """Prices of one job (money in the shop's currency).

    Attributes
    ----------
    rate_per_minute : float
        Labour.
    wait_per_minute : float
        A minute in which the device only waits on the bench.
    proof_minutes : float
        Minutes of proving after each repair.
    comeback : float
        What a device costs that passed its proof and comes back under the warranty.
    value : float
        What the working device is worth; lost where it is handed on.
    harm : float
        What a repair costs that does damage.
    day : float
        A day of waiting for a part.
    pace : float
        The technician's own minutes over the shop's.
    attempt_minutes : float
        Minutes until it shows that a repair has not helped; the proof is then spared.
    reassemble_minutes : float
        Minutes of putting the cover of an opened device on for a check on the charger, and of taking it off again.
    harms : mapping of route id to float
        Chance of damage where this device makes it another than usual.
    minutes : mapping
        The shop's own minutes by key: ``check:ID``, ``try:ID``, ``route:ID``, ``open:LEVEL``; the knowledge's else.
    parts, days : mapping of route id to float
        The shop's own part prices, and days until the part is there (0 in stock); the knowledge's else.
    comebacks : mapping of route id to float
        How many times as often as usual a repair that passed its proof comes back here.
    pulls : mapping of route id to tuple of route ids
        Routes whose part is only sold, or only works, together: their part and minutes are paid and their cures come
        along.

    """

    rate_per_minute: float
    wait_per_minute: float
    proof_minutes: float
    comeback: float
    value: float
    harm: float = 0.0
    day: float = 0.0
    pace: float = 1.0
    attempt_minutes: float = 0.0
    reassemble_minutes: float = 0.0
    minutes: Mapping[str, float] = field(default_factory=dict)
    harms: Mapping[str, float] = field(default_factory=dict)
    parts: Mapping[str, float] = field(default_factory=dict)
    days: Mapping[str, float] = field(default_factory=dict)
    pulls: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    comebacks: Mapping[str, float] = field(default_factory=dict)
    work_waits: Mapping[str, float] = field(default_factory=dict)

    @classmethod
    def of(
        cls,
        known: Knowledge,
        value: float,
        rate_per_minute: float | None = None,
        *,
        device: Device | None = None,
        hurry: bool = False,
        pace: float = 1.0,
        minutes: Mapping[str, float] | None = None,
        parts: Mapping[str, float] | None = None,
        days: Mapping[str, float] | None = None,
        pulls: Mapping[str, tuple[str, ...]] | None = None,
        comebacks: Mapping[str, float] | None = None,
        picks: Mapping[str, str] | None = None,
    ) -> Prices:
        """Prices for a device of a value: the costs of the knowledge, with the shop's own numbers in their place.

        A customer in a hurry makes every waiting minute and day dearer by the knowledge's `hurry_factor`.

        Parameters
        ----------
        known : Knowledge
        value : float
            What the working device is worth (money).
        rate_per_minute : float or None
            Labour (money per minute).
        device : Device or None
            By whose kind, carrier and traits minutes and harm may be others; the usual ones without.
        hurry : bool
        pace : float
            Minutes of this person over everybody's.
        minutes : mapping of key to float
            The shop's own [min].
        parts : mapping of route to float
            The shop's own prices (money).
        days : mapping of route to float
            Until its part is there [days].
        pulls : mapping of route to routes
            Parts only sold together.
        comebacks : mapping of route to float
            How many times as often it comes back here as usual.
        picks : mapping of slot to option
            How the shop does what can be done in several ways (`repair.workplan`).

        """
        costs = known.costs
        haste = costs.hurry_factor if hurry else 1.0
        figures = plan_figures(known, device, tuple(sorted((picks or {}).items())))
        rate = costs.comeback_rate
        usual = {route.id: _on(route.part_on, device) for route in known.routes.values()} if device else {}
        own = {name: price for name, price in usual.items() if price is not None}
        backs = {name: 1 + added / rate for name, added in figures.comebacks.items()} if rate else {}
        backs = {name: backs.get(name, 1.0) * (comebacks or {}).get(name, 1.0) for name in {*backs, *(comebacks or {})}}
        return cls(
            costs.rate_per_minute if rate_per_minute is None else rate_per_minute,
            costs.wait_per_minute * haste,
            costs.proof_minutes,
            costs.comeback_share * value + costs.comeback_handling,
            value,
            costs.harm_share * value + costs.comeback_handling,
            costs.day_price * haste,
            pace,
            costs.attempt_minutes,
            costs.reassemble_minutes,
            {**figures.minutes, **(minutes or {})},
            _harms_on(known, device, figures) if device else {},
            {**own, **(parts or {})},
            days or {},
            pulls or {},
            backs,
            figures.waits,
        )

    def check_minutes(self, check: Check) -> float:
        """Minutes of a check, without its opening."""
        return self.pace * self.minutes.get(f"check:{check.id}", check.minutes)

    def try_minutes(self, route: Route) -> float:
        """Minutes of a try, without its opening."""
        return self.pace * self.minutes.get(f"try:{route.id}", route.try_minutes or 0.0)

    def route_minutes(self, route: Route) -> float:
        """Minutes of a repair, without opening and proof."""
        return self.pace * self.minutes.get(f"route:{route.id}", route.minutes)

    def open_minutes(self, level: Access) -> float:
        """Minutes of opening to a level from the one before."""
        return self.pace * self.minutes.get(f"open:{level.id}", level.open_minutes)

    def harm_chance(self, route: Route) -> float:
        """Chance that a repair does damage on this device."""
        return self.harms.get(route.id, route.harm)

    @property
    def spared(self) -> float:
        """Money saved when a repair visibly fails: the proof is not made, only the look that shows the failure."""
        return max(self.proof_minutes - self.attempt_minutes, 0.0) * self.rate_per_minute

    def part(self, route: Route) -> float:
        """Price of a route's part."""
        return self.parts.get(route.id, route.part)

    def waits(self, route: Route) -> float:
        """Days until a route's part is there."""
        return self.days.get(route.id, route.days)

    def work_wait(self, route: Route) -> float:
        """Minutes of a repair in which nobody works and the device waits [min]."""
        return self.work_waits.get(route.id, 0.0)

    def coming_back(self, route: Route) -> float:
        """Expected cost of one come-back after this repair.

        The shop's come-back cost times how much more often this repair comes back than an average one.
        """
        return self.comeback * self.comebacks.get(route.id, 1.0)

    def opening(self, known: Knowledge, level: str, reached: str) -> float:
        """Minutes of opening from one access level to another, 0 where it is open already.

        Parameters
        ----------
        known : Knowledge
        level, reached : str
            Access wanted, and access there is.

        """
        upto = self.opening_upto(known)
        return max(upto[known.access[level].level] - upto[known.access[reached].level], 0.0)

    def opening_upto(self, known: Knowledge) -> list[float]:
        """Minutes of opening from the closed device to each access level."""
        if known not in self._upto:
            levels = known.access.values()
            self._upto[known] = list(accumulate(self.open_minutes(level) for level in levels))
        return self._upto[known]

    @cached_property
    def _upto(self) -> dict[Knowledge, list[float]]:
        return {}

    def putting_together(self, known: Knowledge, reached: str, *, cover: bool = True) -> float:
        """Minutes of putting an opened device together for a check from outside, and of opening it again.

        The cover where it goes on a charger, and below it each level as long as it takes to open; 0 where it is closed.
        """
        level = known.access[reached].level
        if level < 1:
            return 0.0
        upto = self.opening_upto(known)
        return upto[level] - upto[1] + (self.pace * self.reassemble_minutes if cover else 0.0)


def _on(table: Mapping[str, float], device: Device) -> float | None:
    """The largest number that a table by kind, carrier or trait gives for this device; None where it gives none."""
    return max((table[key] for key in (device.kind, device.carrier, *device.traits) if key in table), default=None)


def _harms_on(known: Knowledge, device: Device, figures: PlanFigures) -> dict[str, float]:
    """Chance of damage on this device, by route: from how it is built and from how the shop does the work."""
    out = {}
    for name, added in figures.harms.items():
        route = known.routes[name]
        found = _on(route.harm_on, device)
        own = route.harm if found is None else found
        out[name] = 1 - (1 - own) * (1 - added)
    return out
