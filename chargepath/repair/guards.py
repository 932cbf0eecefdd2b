"""Finds what is missing when somebody ticks off a step that protects a person or the device.

The page then asks for a reason before it takes the tick. A wait that is cut short, lines that nobody measured before
power, a battery that is said to be off and is not, and a screw that stayed behind cannot be seen any more once the
device is closed. Which steps these are: common practice.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from chargepath.knowledge.procedures import WorkStep

# Steps that follow each other faster than this were ticked off by a key held down, not by hands at work [s].
HELD_DOWN_S = 3.0


class GuardKind(StrEnum):
    """What a step guards with: a wait, a reading, what it read, the battery taken off, the screws counted back."""

    WAIT = "wait"
    READING = "reading"
    OFF = "off"
    CELL = "cell"
    SCREWS = "screws"


@dataclass(frozen=True, kw_only=True)
class Guard:
    """One thing that is open at a step which is ticked off.

    Attributes
    ----------
    kind : GuardKind
    waited, wait : float
        How much of a wait has passed, and how long it should be [min]; 0 for the other kinds.

    """

    kind: GuardKind
    waited: float = 0.0
    wait: float = 0.0


def may_guard(step: WorkStep) -> bool:
    """Whether anything can be open at a step that is ticked off."""
    takes_cell_off = dict(step.makes).get("cell_on") is False
    return bool(takes_cell_off or step.wait or step.record or step.screws == "in")


def guards_of(
    step: WorkStep, *, waited_min: float, is_read: bool, is_off: bool, has_map: bool, in_one_go: bool = False
) -> tuple[Guard, ...]:
    """What is open at a step that is ticked off now.

    Parameters
    ----------
    step : WorkStep
    waited_min : float
        How long its wait has lasted, or, for a step without one, how long ago the step before it was ticked off [min].
    is_read : bool
        Whether the reading that the step takes has been entered since the repair was chosen.
    is_off : bool
        Whether that reading is off. It only matters where power comes next: what is read to find the fault may be off.
    has_map : bool
        Whether the device's screws are on a map, so that the map says which of them are still out.
    in_one_go : bool
        Whether this is one of several steps that are ticked off together.

    """
    found = []
    if dict(step.makes).get("cell_on") is False and (in_one_go or waited_min * 60 < HELD_DOWN_S):
        found.append(Guard(kind=GuardKind.CELL))
    if step.wait and waited_min < step.wait:
        found.append(Guard(kind=GuardKind.WAIT, waited=max(waited_min, 0.0), wait=step.wait))
    if step.record and not is_read:
        found.append(Guard(kind=GuardKind.READING))
    if step.record and is_off and dict(step.makes).get("unmeasured") is False:
        found.append(Guard(kind=GuardKind.OFF))
    if step.screws == "in" and not has_map:
        found.append(Guard(kind=GuardKind.SCREWS))
    return tuple(found)
