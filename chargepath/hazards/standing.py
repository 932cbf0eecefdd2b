"""From a case's events to the dangers that stand now, and from these to what may be done."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from chargepath.base.errors import DangerError
from chargepath.base.sentences import inside
from chargepath.case.entries import Case, CheckEvent, Device, Event, HazardEvent, MishapEvent, PathEvent, TryEvent
from chargepath.case.timeline import Timeline, repaired_here
from chargepath.grading.readings import grade_event
from chargepath.knowledge import Knowledge
from chargepath.knowledge.hazards import Hazard, Raise
from chargepath.knowledge.routes import REFER

CHARGER = "charger"
TOLD = -1


@dataclass(frozen=True)
class Danger:
    """A hazard that stands.

    Attributes
    ----------
    hazard : Hazard
    raised : Raise
        What raised it.
    since : int
        Index of the event that raised it; -1 where it was told at take-in.
    value : float or None
        The value that raised it, in its own unit.
    todo : tuple of str
        Checks and routes that lead out of it and were not done since, in order.
    limit : float or None
        What that value has crossed, in its unit.

    """

    hazard: Hazard
    raised: Raise
    since: int
    value: float | None
    todo: tuple[str, ...]
    limit: float | None = None

    @property
    def allowed(self) -> frozenset[str]:
        """Routes that lead out of the danger and may be done while it stands."""
        return frozenset((*self.raised.way, *self.raised.ended_by, *self.raised.may_end))


def dangers_of(known: Knowledge, case: Case) -> tuple[Danger, ...]:
    """Every danger that stands after the case's events, the gravest first.

    An overruled one stands no more, until something raises it anew.

    Raises
    ------
    ReadingError
        An event holds values that cannot be graded.

    """
    out = []
    for hazard in known.hazards.values():
        found = _standing(known, case, hazard)
        if found is not None:
            out.append(found)
    return tuple(out)


def _standing(known: Knowledge, case: Case, hazard: Hazard) -> Danger | None:
    overruled = max(
        (
            index
            for index, event in enumerate(case.events)
            if isinstance(event, HazardEvent) and event.hazard == hazard.id and event.overruled and hazard.overrule
        ),
        default=TOLD - 1,
    )
    found = [
        _danger(known, case, hazard, raised, since)
        for raised in hazard.raised
        for since in _raising(known, case, hazard, raised)
        if since > overruled and not _ended(known, case, hazard, raised, since)
    ]
    return next((danger for danger in found if danger.todo), found[0] if found else None)


def _raising(known: Knowledge, case: Case, hazard: Hazard, raised: Raise) -> list[int]:
    """Indices of the events that raise a hazard in one of its ways, in order."""
    if raised.told:
        return [TOLD] if raised.told in case.history else []
    if raised.mishap:
        return [
            index
            for index, event in enumerate(case.events)
            if isinstance(event, MishapEvent) and known.mishaps[event.mishap].hazard == hazard.id
        ]
    if raised.seen:
        return [
            index
            for index, event in enumerate(case.events)
            # Nobody lets such a danger pass: who says that they do says at least that it was seen.
            if isinstance(event, HazardEvent)
            and event.hazard == hazard.id
            and not (event.overruled and hazard.overrule)
        ]
    return [
        index
        for index, event in enumerate(case.events)
        if (
            isinstance(event, CheckEvent) and event.check == raised.check and _raises(known, case.device, event, raised)
        )
        or (isinstance(event, PathEvent) and raised.grade and raised.grade in _along(event, raised.check))
    ]


def _along(event: PathEvent, check: str) -> set[str]:
    """Grades that readings along the path give for a check, of any of its variants."""
    return {grade for key, grade in event.shows.items() if key.split("@")[0] == check}


def _raises(known: Knowledge, device: Device, event: CheckEvent, raised: Raise) -> bool:
    """Whether a check shows what raises a hazard: its sign or grade, or a value under or over a limit."""
    if not raised.value:
        return _shows(known, device, event, raised.sign or raised.grade)
    found = event.values.get(raised.value)
    if found is None:
        return False
    found /= device.series if raised.each else 1
    return found < raised.below or found > _most(known, device, event, raised)


def _most(known: Knowledge, device: Device, event: CheckEvent, raised: Raise) -> float:
    """What a value may be at most before it raises a hazard, in its unit; infinity for no limit."""
    offered = event.values.get("offered", known.connectors[device.connector].most_volts[device.kind])
    return raised.above or offered * raised.over_offered or math.inf


def _shows(known: Knowledge, device: Device, event: CheckEvent, what: str) -> bool:
    """Whether a check shows a sign or a grade."""
    if known.checks[event.check].is_look:
        return what in event.signs
    return grade_event(known, device, event).grade == what


def _ended(known: Knowledge, case: Case, hazard: Hazard, raised: Raise, since: int) -> bool:
    """Whether a later event ended the hazard: a repair, the look that clears it, newer readings at the same places."""
    left = _places(known, case, raised, since) if not hazard.sticky else set()
    begun, may = bool(left), not raised.may_end
    if raised.looked and raised.earlier and _cleared_before(known, case, raised, since):
        return True
    for event in case.events[since + 1 :]:
        if repaired_here(event):
            may = may or event.route in raised.may_end
            if event.route in raised.ended_by:
                return True
        elif isinstance(event, PathEvent):
            left -= {key for key, grade in event.shows.items() if grade != raised.grade}
        elif isinstance(event, CheckEvent):
            if may and _clears(known, case.device, event, raised):
                return True
            if event.check == raised.check and not _raises(known, case.device, event, raised):
                left.discard(known.checks[event.check].key(event.variant))
        if begun and not left:
            return True
    return False


def _places(known: Knowledge, case: Case, raised: Raise, since: int) -> set[str]:
    """Evidence keys of the readings that raised a hazard: it ends only where these are read again."""
    start = case.events[since] if since >= 0 else None
    if isinstance(start, CheckEvent):
        return {known.checks[start.check].key(start.variant)}
    if isinstance(start, PathEvent):
        return {
            key for key, grade in start.shows.items() if key.split("@")[0] == raised.check and grade == raised.grade
        }
    return set()


def _clears(known: Knowledge, device: Device, event: CheckEvent, raised: Raise) -> bool:
    """Whether a check is the look that clears a hazard, made at its place and not showing it."""
    if not raised.looked or event.check != raised.looked[0]:
        return False
    check = known.checks[event.check]
    place = raised.looked[2] if len(raised.looked) > 2 else event.variant
    return check.key(event.variant) == check.key(place) and not _shows(known, device, event, raised.looked[1])


def _cleared_before(known: Knowledge, case: Case, raised: Raise, since: int) -> bool:
    """Whether the look that clears a hazard was made before it was raised, with no repair in between."""
    for event in reversed(case.events[: max(since, 0)]):
        if repaired_here(event):
            return False
        if isinstance(event, CheckEvent) and raised.looked and event.check == raised.looked[0]:
            return _clears(known, case.device, event, raised)
    return False


def _danger(known: Knowledge, case: Case, hazard: Hazard, raised: Raise, since: int) -> Danger:
    later = case.events[since + 1 :]
    since_then = Timeline(later)
    way = raised.after if since_then.last_repair and raised.after else raised.way
    if raised.after:
        later = since_then.since_repair
    done = {event.check for event in later if isinstance(event, CheckEvent)}
    start = case.events[since] if since >= 0 else None
    value = limit = None
    if isinstance(start, CheckEvent) and raised.value:
        value = start.values.get(raised.value)
        limit = raised.below or _most(known, case.device, start, raised)
        limit *= case.device.series if raised.each else 1
    return Danger(hazard, raised, since, value, tuple(name for name in way if name not in done), limit=limit)


def forbidding(known: Knowledge, dangers: Sequence[Danger], kind: str, name: str) -> Danger | None:
    """The gravest danger that forbids an act, None where it may be done.

    A check is forbidden where it puts a forbidden current into the device. A try is on a charger, and leaves the device
    as it was. A repair is forbidden by its own current, and waits where a charger is forbidden, since its proof needs
    one; what leads out of one of the dangers may always be done, and so may handing on.

    Parameters
    ----------
    known : Knowledge
    dangers : sequence of Danger
    kind : {'check', 'try', 'repair'}
    name : str
        Id of the check or route.

    """
    if kind == "check":
        return _first(dangers, lambda danger: set(known.checks[name].puts).intersection(danger.hazard.forbids))
    own = set(known.routes[name].puts)
    if kind == "try":
        return _first(dangers, lambda danger: (own | {CHARGER}).intersection(danger.hazard.forbids))
    by_current = _first(dangers, lambda danger: name not in danger.allowed and own.intersection(danger.hazard.forbids))
    if by_current or name == REFER or any(name in danger.allowed for danger in dangers):
        return by_current
    return _first(dangers, lambda danger: CHARGER in danger.hazard.forbids and not danger.hazard.repairs)


def _first(dangers: Sequence[Danger], holds: Callable[[Danger], object]) -> Danger | None:
    return next((danger for danger in dangers if holds(danger)), None)


def event_forbidding(known: Knowledge, dangers: Sequence[Danger], event: Event) -> Danger | None:
    """The gravest danger that forbids what an event says was done, None where it may be entered.

    A repair that has not been proved yet may have been done without any current, so only its own counts; one that was
    proved was on a charger, which what ended the danger before may be.
    """
    if isinstance(event, CheckEvent):
        return forbidding(known, dangers, "check", event.check)
    if isinstance(event, TryEvent):
        return forbidding(known, dangers, "try", event.route)
    if not repaired_here(event):
        return None
    own = set(known.routes[event.route].puts) | ({CHARGER} if event.works is not None else set())
    return _first(
        dangers, lambda danger: event.route not in danger.raised.ended_by and own.intersection(danger.hazard.forbids)
    )


def current_forbidding(dangers: Sequence[Danger], current: str) -> Danger | None:
    """The gravest danger that forbids a kind of current (a key of `PUTS`)."""
    return _first(dangers, lambda danger: current in danger.hazard.forbids)


# What a step of a plan puts into a device by its acts: keys of `PUTS`.
STEP_PUTS = {"power": CHARGER, "connect_cell": "battery"}


def step_forbidding(dangers: Sequence[Danger], acts: Iterable[str]) -> Danger | None:
    """The gravest danger that forbids what a step of a plan does: by its current, or by what the hazard stops."""
    done = set(acts)
    puts = {current for act, current in STEP_PUTS.items() if act in done}
    return _first(dangers, lambda danger: done & set(danger.hazard.stops) or puts & set(danger.hazard.forbids))


def way_out(known: Knowledge, dangers: Sequence[Danger], offered: Callable[[str, str], bool]) -> tuple[str, str] | None:
    """What to do first about the dangers: ('check' or 'repair', id); None where nothing presses or nothing is offered.

    The gravest danger's way comes first; a step that another danger forbids waits.
    """
    for danger in dangers:
        for name in danger.todo:
            kind = "check" if name in known.checks else "repair"
            if offered(kind, name) and forbidding(known, dangers, kind, name) is None:
                return kind, name
    return None


def refuse(known: Knowledge, danger: Danger) -> DangerError:
    """The error of an act that a danger forbids: what it is, and the way out."""
    names = [inside((known.checks[name] if name in known.checks else known.routes[name]).label) for name in danger.todo]
    right = f"first: {', then '.join(names)}" if names else "first find and repair what causes it"
    if danger.hazard.overrule:
        right += "; only the lead may overrule this, in writing"
    return DangerError(danger.hazard.label, danger.hazard.says, right)
