"""What the keeper holds: the last reading, the run that goes on, how runs ended, and an output that may still be on."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from benchwatch.line import Address, Held
from chargepath.repair.watch import Watch, Watched

# Seconds since the start, volts, amps, and the temperature or None.
Row = tuple[float, float, float, float | None]


@dataclass(frozen=True, kw_only=True)
class Reading:
    """What the supply showed, and when by the monotonic clock."""

    volts: float
    amps: float
    seen: float
    simulated: bool
    pace: float


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """How a run ended: `state` is one of 'done', 'cut', 'stopped', 'broken'; `off`: the output has read back off."""

    run: int
    state: str
    says: str
    off: bool = False
    moved_mah: float = 0.0


@dataclass(kw_only=True)
class Run:
    """A cell that is fed now."""

    id: int
    watch: Watch
    held: Held
    unattended: bool
    began: float
    alive: float
    pace: float = 1.0
    seen: Watched = field(default_factory=Watched)
    rows: list[Row] = field(default_factory=list)
    first: int = 0
    stop: Outcome | None = None
    raise_allowed: bool = False
    wound: float = 0.0

    @property
    def wants_more(self) -> bool:
        """Whether the cell has come over its threshold and waits for leave to get its full current."""
        return self.watch.raised(self.seen) is not None


@dataclass(kw_only=True)
class Doubt:
    """An output that has not read back off since it was told to go off."""

    at: Address
    since: float
    tries: int = 0
    says: str = ""
    outcome: Outcome | None = None
    next_try: float = 0.0


@dataclass(kw_only=True)
class Errand:
    """Something that the supply's thread is to do for somebody who waits."""

    act: Callable[[], dict[str, Any]]
    given_up: bool = False
    done: threading.Event = field(default_factory=threading.Event)
    answer: dict[str, Any] = field(default_factory=dict)


class RefusedError(Exception):
    """What was asked for cannot be; the text says why and what would be right."""
