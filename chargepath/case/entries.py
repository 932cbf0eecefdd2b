"""What a case is made of: a device, what was told, and what happened to it, in order."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from chargepath.base.errors import ReadingError
from chargepath.knowledge import Check, Knowledge

# Traits that the arithmetic asks for: a battery of two cells in series, a device that charges fast.
TWO_CELLS, FAST_CHARGE = "two_cells", "fast_charge"


@dataclass(frozen=True)
class Device:
    """What is on the bench; `value` is what it is worth working, in the shop's currency; `traits` how it is built.

    `known_good_a` is what a good one of this model draws at low charge [A], where the shop has measured it.
    """

    kind: str
    connector: str
    carrier: str
    wireless: bool = False
    value: float = 150.0
    traits: tuple[str, ...] = ()
    known_good_a: float | None = None

    @property
    def series(self) -> int:
        """Number of battery cells in series; volts at the battery are divided by it before one cell's limits apply."""
        return 2 if TWO_CELLS in self.traits else 1

    @property
    def charges_fast(self) -> bool:
        """Whether the device is known to charge fast."""
        return FAST_CHARGE in self.traits


@dataclass(frozen=True)
class CheckEvent:
    """A check was made: `values` (inf = overrange) or `grade`, or the `signs` of a look.

    `access` is how far the device was open for it, where that is not as the check usually needs it.
    """

    check: str
    variant: str = ""
    grade: str = ""
    signs: tuple[str, ...] = ()
    values: Mapping[str, float] = field(default_factory=dict)
    access: str = ""

    def __hash__(self) -> int:
        """Values are a mapping, so the hash is spelt out: what an event says can be looked up by."""
        values = tuple(sorted(self.values.items()))
        return hash((self.check, self.variant, self.grade, self.signs, values, self.access))


@dataclass(frozen=True)
class TryEvent:
    """A known-good part was put in and taken back; did the device charge meanwhile?"""

    route: str
    works: bool


@dataclass(frozen=True)
class RepairEvent:
    """A repair was done.

    Attributes
    ----------
    route : str
    works : bool or None
        Whether the device charges after it; None while nobody has looked.
    proved : bool
        Whether that was shown by a whole proof.
    other : bool
        Done by somebody else before the device came in: nothing is paid for it here, and nothing is open because of it.

    """

    route: str
    works: bool | None = None
    proved: bool = False
    other: bool = False

    @property
    def here(self) -> bool:
        """Whether this bench did it, now or on an earlier visit."""
        return not self.other


@dataclass(frozen=True)
class HazardEvent:
    """A danger that somebody reported, or, with `overruled`, one that the lead lets pass and says why."""

    hazard: str
    overruled: bool = False
    why: str = ""


@dataclass(frozen=True)
class MishapEvent:
    """A mishap of this bench.

    `words` say what was damaged or lost, what was read on both sides, and what is done about it.
    """

    mishap: str
    words: str = ""


@dataclass(frozen=True)
class PathEvent:
    """Lines and volts read at several places of the path, as one observation.

    Attributes
    ----------
    scores : mapping of suspicion to float
        Logarithm of how much likelier the readings are with this wrong than with nothing wrong on these lines.
    shows : mapping of evidence key to grade
        Checks that these readings stand for, each by its worst line.
    access : str
        How far the device was open for the deepest of them; '' where that is not known.

    """

    scores: Mapping[str, float]
    shows: Mapping[str, str] = field(default_factory=dict)
    access: str = ""

    def __hash__(self) -> int:
        """Both are mappings, so the hash is spelt out."""
        return hash((tuple(sorted(self.scores.items())), tuple(sorted(self.shows.items())), self.access))


Event = CheckEvent | TryEvent | RepairEvent | HazardEvent | PathEvent | MishapEvent


@dataclass(frozen=True)
class Outcome:
    """What turned out to be wrong, what was done, and whether it works."""

    faults: tuple[str, ...]
    repairs: tuple[str, ...]
    works: bool


@dataclass(frozen=True)
class Case:
    """A device, its history flags and what happened to it; `ignored` lists JSON paths that mean nothing here.

    `model`, `complaint` and `limit` (money) are kept for people, `id` names the case in every copy of it; nothing is
    judged by them here. `earlier` holds the events of the job that the device comes back from with the same trouble,
    `wet_hours` how long before it came in it got wet [h], None where nobody has said so.
    """

    device: Device
    history: tuple[str, ...] = ()
    events: tuple[Event, ...] = ()
    outcome: Outcome | None = None
    ignored: tuple[str, ...] = ()
    model: str = ""
    complaint: str = ""
    limit: float | None = None
    id: str = ""
    earlier: tuple[Event, ...] = ()
    wet_hours: float | None = None

    @property
    def compiled_for(self) -> tuple[Device, tuple[str, ...]]:
        """What a compiled model of the case depends on: the device without its value, and its history."""
        return replace(self.device, value=0.0, known_good_a=None), self.history

    def told(self, known: Knowledge) -> Case:
        """The same case with what others did before, and how long ago it got wet, told as history."""
        flags = [
            known.routes[event.route].told for event in self.events if isinstance(event, RepairEvent) and not event.here
        ]
        if self.wet_hours is not None:
            flags += [flag for flag, (least, below) in known.since_wet.items() if least <= self.wet_hours < below]
        more = tuple(dict.fromkeys(flag for flag in flags if flag and flag not in self.history))
        return replace(self, history=(*self.history, *more)) if more else self


def check_values(check: Check, values: Mapping[str, float]) -> None:
    """Refuse values that are physically impossible.

    Raises
    ------
    ReadingError
        Names the value, its limits and its unit.

    """
    for name, number in values.items():
        limits = check.values.get(name)
        if limits is None:
            wanted = ", ".join(check.values) or "no numbers"
            raise ReadingError(f"{check.label} takes no {name}", name, f"it takes {wanted}")
        if math.isnan(number) or (math.isinf(number) and not limits.overrange):
            raise ReadingError(f"{name.replace('_', ' ')} is not a number", name, f"type a number in {limits.unit}")
        if not math.isinf(number) and not limits.min <= number <= limits.max:
            raise ReadingError(
                f"{number:g} {limits.unit} is not possible for {name.replace('_', ' ')}",
                name,
                f"allowed: {limits.min:g} to {limits.max:g} {limits.unit}",
            )
