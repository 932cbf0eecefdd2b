"""The timeline of a case: what this bench repaired and when, and which readings came before and after.

A repair of this bench cuts a case into segments, and so does a mishap of its own. What somebody else repaired earlier
cuts nothing, whenever it is entered: the device was like that when it came in. Belief, dangers, marks, sheets, papers
and learning ask this object.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TypeGuard

from chargepath.case.entries import Event, MishapEvent, RepairEvent
from chargepath.knowledge.routes import PROVE


def repaired_here(event: Event) -> TypeGuard[RepairEvent]:
    """Whether an event is a repair, or a proof, that this bench did."""
    return isinstance(event, RepairEvent) and event.here


def changed_here(event: Event) -> TypeGuard[RepairEvent | MishapEvent]:
    """Whether this bench did something to the device: a repair, a proof or a mishap."""
    return repaired_here(event) or isinstance(event, MishapEvent)


@dataclass(frozen=True, kw_only=True)
class Segment:
    """A stretch of a case in which this bench changed nothing about the device.

    Attributes
    ----------
    indices : range
        Places of its events in the case, what ends it among them.
    ended_by : RepairEvent, MishapEvent or None
        The repair or mishap of this bench that ends it; None for the last segment.
    came_back : bool
        Whether it ends with the come-back of a device that this bench had repaired and shown to charge.

    """

    indices: range
    ended_by: RepairEvent | MishapEvent | None
    came_back: bool


@dataclass(frozen=True)
class Timeline:
    """The events of a case with the repairs and mishaps of this bench as boundaries.

    Attributes
    ----------
    events : sequence of Event
        Every event of the case, in the order in which they happened.

    """

    events: Sequence[Event]

    @cached_property
    def segments(self) -> tuple[Segment, ...]:
        """The segments in order, at least one; nothing ends the last, which may be empty."""
        found, first, charged = list[Segment](), 0, False
        for index, event in enumerate(self.events):
            if isinstance(event, MishapEvent):
                found.append(Segment(indices=range(first, index + 1), ended_by=event, came_back=False))
                first = index + 1
            elif repaired_here(event):
                # A proof that fails though the repair before it had been shown to charge is how a come-back is kept.
                back = charged and event.route == PROVE and event.works is False
                found.append(Segment(indices=range(first, index + 1), ended_by=event, came_back=back))
                first, charged = index + 1, event.works is True
        return (*found, Segment(indices=range(first, len(self.events)), ended_by=None, came_back=False))

    @cached_property
    def repairs(self) -> tuple[RepairEvent, ...]:
        """The repairs of this bench, in order."""
        return tuple(event for event in self.events if repaired_here(event))

    @property
    def last_repair(self) -> RepairEvent | None:
        """The newest repair of this bench; None where this bench has repaired nothing."""
        return self.repairs[-1] if self.repairs else None

    @property
    def before_repairs(self) -> tuple[Event, ...]:
        """What was known before this bench repaired or broke anything: the device as it came in."""
        first = self.segments[0]
        return tuple(self.events[index] for index in first.indices if not changed_here(self.events[index]))

    @property
    def since_repair(self) -> tuple[Event, ...]:
        """Events after the newest repair of this bench; every event where this bench has repaired nothing."""
        last = max((index for index, event in enumerate(self.events) if repaired_here(event)), default=-1)
        return tuple(self.events[last + 1 :])

    @property
    def come_backs(self) -> tuple[int, ...]:
        """Places of the events that say that the device came back."""
        return tuple(segment.indices[-1] for segment in self.segments if segment.came_back)

    @cached_property
    def came_back_after(self) -> dict[int, str]:
        """The repair that had made the device charge, by the place of the event that says that it came back."""
        found: dict[int, str] = {}
        worked = ""
        for segment in self.segments:
            repair = segment.ended_by
            if segment.came_back and worked:
                found[segment.indices[-1]] = worked
            if isinstance(repair, RepairEvent) and repair.works and repair.route != PROVE:
                worked = repair.route
        return found

    def outdated_by(
        self, index: int, changes: Callable[[RepairEvent | MishapEvent], bool]
    ) -> RepairEvent | MishapEvent | None:
        """What made a reading out of date, None where the reading still describes the device.

        Parameters
        ----------
        index : int
            Place of the reading in the case.
        changes : callable
            Whether a repair or a mishap can have changed what the reading shows.

        """
        later = (segment.ended_by for segment in self.segments if segment.indices.stop > index + 1)
        return next((event for event in later if event is not None and changes(event)), None)
