"""Which device to pick up now, of everything on the bench.

First what somebody waits at already (a danger, a wait that is over), then what can be worked at, by the latest moment
at which it can be begun and still be ready as promised; what somebody else has in hand and what waits come after, the
wait that ends first before the others.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Generic, TypeVar

# Without a promised time a device is taken to be wanted so long after it came in [h], in a hurry and not (common
# practice).
WANTED_H, HURRY_H = 72.0, 24.0
# Somebody who entered something so lately has the device in hand [min].
IN_HAND_MIN = 20.0

Name = TypeVar("Name")


@dataclass(frozen=True)
class Wait:
    """What a device waits for: of which kind, since when, and until when where that is known."""

    kind: str
    since: datetime
    until: datetime | None = None

    def over(self, now: datetime) -> bool:
        """Whether the wait has ended."""
        return self.until is not None and self.until <= now


@dataclass(frozen=True)
class Lot(Generic[Name]):
    """A device on the bench.

    Attributes
    ----------
    name
        What the caller knows it by.
    left_minutes : float
        Hands-on minutes that are still expected [min].
    came : datetime
    promised : datetime or None
    hurry : bool
    danger : bool
        Whether something has to be done about it at once.
    wait : Wait or None
    in_hand : datetime or None
        When somebody else entered something last.

    """

    name: Name
    left_minutes: float
    came: datetime
    promised: datetime | None = None
    hurry: bool = False
    danger: bool = False
    wait: Wait | None = None
    in_hand: datetime | None = None

    @property
    def wanted(self) -> datetime:
        """When the device has to be ready."""
        return self.promised or self.came + timedelta(hours=HURRY_H if self.hurry else WANTED_H)

    @property
    def latest_start(self) -> datetime:
        """When the work has to begin at the latest."""
        return self.wanted - timedelta(minutes=self.left_minutes)


NOW, WORK, TAKEN, WAITS = range(4)


def group_of(lot: Lot[Name], now: datetime) -> int:
    """`NOW`, `WORK`, `TAKEN` (somebody else has it in hand) or `WAITS`."""
    if lot.danger:
        return NOW
    if lot.wait is not None:
        return NOW if lot.wait.over(now) else WAITS
    if lot.in_hand is not None and now - lot.in_hand < timedelta(minutes=IN_HAND_MIN):
        return TAKEN
    return WORK


def pick_order(lots: Iterable[Lot[Name]], now: datetime) -> list[Lot[Name]]:
    """Every device, the one to pick up now first.

    Examples
    --------
    >>> from datetime import datetime
    >>> at = datetime(2026, 3, 2, 9)
    >>> soon = Lot("soon", 30, at, promised=datetime(2026, 3, 2, 11))
    >>> [lot.name for lot in pick_order([Lot("slow", 30, at), soon, Lot("hot", 5, at, danger=True)], at)]
    ['hot', 'soon', 'slow']

    """

    def key(lot: Lot[Name]) -> tuple[int, datetime, datetime]:
        group = group_of(lot, now)
        if group == WAITS and lot.wait is not None and lot.wait.until is not None:
            return group, lot.wait.until, lot.came
        # A wait without an end comes after those with one, the longest first.
        if group == WAITS and lot.wait is not None:
            return group + 1, lot.wait.since, lot.came
        return group, lot.latest_start, lot.came

    return sorted(lots, key=key)
