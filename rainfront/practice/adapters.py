"""Rows into the knowledge and the prices in force."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import TypeVar

from chargepath.decision.prices import Prices
from chargepath.knowledge import Knowledge, Route, shipped
from chargepath.knowledge.changes import Change
from chargepath.knowledge.loader import load
from chargepath.learning.lessons import Lessons, from_json
from chargepath.learning.overlay import apply
from rainfront.practice.models import Edition, KnowledgeChange, Learned, PartPrice, ShopMinutes

T = TypeVar("T")


@dataclass(frozen=True)
class Part:
    """What a route's part costs in one family."""

    price: Decimal
    days: float
    sold_with: str


def days_to_come(part: Part | None, route: Route) -> float:
    """Days until a part is here where a shelf is kept and none lies there: the shop's own, else what ships."""
    return part.days if part and part.days else route.days


@dataclass(frozen=True, eq=False)
class InForce:
    """The knowledge and the shop's figures as they stand.

    `minutes` and `parts` are by family in small letters ('' for all); `lessons` is None where nothing learned is used.
    """

    known: Knowledge
    changed: Knowledge
    lessons: Lessons | None
    minutes: Mapping[str, Mapping[str, float]]
    parts: Mapping[str, Mapping[str, Part]]

    def _days(self, parts: Mapping[str, Part], shelf: Mapping[str, int]) -> dict[str, float]:
        days = {route: part.days for route, part in parts.items()}
        for route, there in shelf.items():
            days[route] = 0.0 if there > 0 else days_to_come(parts.get(route), self.known.routes[route])
        return days

    def known_for(self, model_name: str) -> Knowledge:
        """The knowledge for a model: with its own shares of the faults where closed jobs of it taught some."""
        family = model_name if self.lessons and f"family:{model_name}" in self.lessons.shares else ""
        return _known_for(self, family) if family else self.known

    def parts_for(self, kind: str, model_name: str) -> dict[str, Part]:
        """Parts of a device: its model's own, else its kind's, else the shop's."""
        return _narrow(self.parts, kind, model_name)

    def prices(
        self,
        kind: str,
        model_name: str,
        value: float,
        rate_per_minute: float,
        *,
        hurry: bool = False,
        who: str = "",
        shelf: Mapping[str, int] | None = None,
    ) -> Prices:
        """Prices of one job in the hands of one person; nobody waits for a part that lies on the `shelf` (parts by route)."""
        minutes: dict[str, float] = {}
        pace, comebacks = 1.0, {}
        if self.lessons:
            comebacks = {route: found.factor for route, found in self.lessons.comebacks.items()}
            minutes = {key: found.here for key, found in self.lessons.minutes.items()}
            pace = self.lessons.pace[who].here if who in self.lessons.pace else 1.0
        minutes |= _narrow(self.minutes, kind, model_name)
        parts = self.parts_for(kind, model_name)
        return Prices.of(
            self.known,
            value,
            rate_per_minute,
            hurry=hurry,
            pace=pace,
            minutes=minutes,
            parts={route: float(part.price) for route, part in parts.items()},
            days=self._days(parts, shelf or {}),
            pulls={route: (part.sold_with,) for route, part in parts.items() if part.sold_with},
            comebacks=comebacks,
        )


def _narrow(table: Mapping[str, Mapping[str, T]], kind: str, model_name: str) -> dict[str, T]:
    found: dict[str, T] = {}
    for family in ("", kind.lower(), model_name.lower()):
        found |= table.get(family, {})
    return found


@lru_cache(maxsize=128)
def _known_for(force: InForce, family: str) -> Knowledge:
    assert force.lessons is not None
    return apply(force.changed, force.lessons, family)


def in_force() -> InForce:
    """The numbers in force; one query, the rest is kept until the next edition."""
    token = Edition.objects.order_by("pk").values_list("token", flat=True).first()
    return _in_force(token) if token else _shipped()


@lru_cache(maxsize=1)
def _shipped() -> InForce:
    return InForce(shipped(), shipped(), None, {}, {})


@lru_cache(maxsize=4)
def _in_force(token: str) -> InForce:
    changes = [Change(row.path, row.value) for row in KnowledgeChange.objects.standing()]
    changed = load(changes=changes) if changes else shipped()
    learned = Learned.objects.first()
    lessons = None
    if learned is not None and learned.state != Learned.State.OFF and learned.jobs:
        lessons = from_json(learned.data)
    known = apply(changed, lessons) if lessons else changed
    minutes: dict[str, dict[str, float]] = {}
    for row in ShopMinutes.objects.standing():
        minutes.setdefault(row.family.lower(), {})[row.key] = row.minutes
    parts: dict[str, dict[str, Part]] = {}
    for part in PartPrice.objects.standing():
        parts.setdefault(part.family.lower(), {})[part.route] = Part(part.price, part.days, part.sold_with)
    return InForce(known, changed, lessons, minutes, parts)
