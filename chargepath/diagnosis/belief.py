"""The belief over the set of faults that are present now: one forward pass through the events of a case.

Evidence multiplies the mass of each set of faults by its likelihood. A repair moves mass from a set to the same set
without the faults that it cures; whether the device charges afterwards is one more observation. A try observes the set
without the faults that the known-good part stands in for, and changes nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Case, CheckEvent, Event, HazardEvent, PathEvent, RepairEvent, TryEvent
from chargepath.case.timeline import Timeline, repaired_here
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import States, build_states, triples
from chargepath.electrical.lines import LineVerdict
from chargepath.grading.readings import Grading, grade_event
from chargepath.knowledge import Check, Knowledge

KEPT_TRIPLES = 60
T = TypeVar("T")


@dataclass(frozen=True)
class GradedEvent:
    """One event of a case after grading: its grade, and whether it counts.

    Attributes
    ----------
    event : Event
    state : {'counts', 'replaced', 'void', 'joint'}
        'counts': its likelihood multiplies the mass. 'replaced': a later reading of the same check stands in its place.
        'void': it says nothing on this device or after what was read before. 'joint': it counts as part of the readings
        along the path.
    note : str
        Why the reading got its grade, or why it does not count.
    grade : str
        Grade id of a graded check, else ''.
    implied : tuple of (check, grade)
        Grades of other checks that the same event shows: a device that reports its battery percentage has started.
        For a reported danger, the sign or grade that the report stands for.
    weights : tuple of float
        Likelihood of the reading under each grade, empty where the grade stands as given.
    line : LineVerdict or None
        What a diode reading was found to be.
    given : tuple of float
        Likelihood, for each grade, of an earlier reading on the same path that this check partly repeats. Empty if
        there was no such reading or a repair has made it out of date.

    """

    event: Event
    state: str
    note: str
    grade: str = ""
    implied: tuple[tuple[str, str], ...] = ()
    weights: tuple[float, ...] = ()
    line: LineVerdict | None = None
    given: tuple[float, ...] = ()


@dataclass(frozen=True)
class Push:
    """How far one event moved one fault: the fault's odds with the event over its odds without it."""

    index: int
    fault: str
    factor: float


@dataclass(frozen=True, eq=False)
class Belief:
    """The probability of every set of faults after the events of a case.

    Attributes
    ----------
    model : Model
        The model over the states that `mass` is spread over.
    source : Model
        Model that the forward pass ran over. It has more states than `model` where sets of three faults were needed.
    mass : array, shape (n_states,)
        Probability of each state now.
    entries : tuple of Entry
        One for each event, in order.
    access : str
        How far the device has been opened so far.
    widened : bool
        True where sets of three were needed.

    """

    model: Model
    source: Model
    mass: Array
    entries: tuple[GradedEvent, ...]
    access: str
    widened: bool

    @property
    def faults(self) -> list[tuple[str, float]]:
        """Fault ids with the chance of being present, highest first."""
        chances = self.model.states.marginals(self.mass)
        pairs = zip(self.model.fault_ids, chances.tolist(), strict=True)
        return sorted(pairs, key=lambda pair: -pair[1])

    @property
    def clean(self) -> float:
        """Chance that nothing is wrong (any more)."""
        return float(self.mass[0])

    @property
    def failures(self) -> Mapping[str, int]:
        """How often each repair of this bench failed, by route."""
        return Counter(event.route for event in self.timeline.repairs if event.works is False)

    @cached_property
    def timeline(self) -> Timeline:
        """The events as the timeline of the case."""
        return Timeline([entry.event for entry in self.entries])

    @property
    def stations(self) -> dict[str, float]:
        """Chance that at least one present fault sits at each station."""
        return self.stations_for(self.mass)

    def stations_for(self, mass: Array) -> dict[str, float]:
        """Chance that at least one present fault sits at each station, for another mass over the states (n_states,)."""
        known = self.model.known
        out = {}
        for station in known.stations:
            columns = [self.model.fault_ids.index(fault.id) for fault in known.faults_at(station)]
            touched = self.model.states.has[:, columns].any(axis=1)
            out[station] = float(mass[touched].sum())
        return out

    def since_repair(self) -> list[Event]:
        """Events after the newest repair of this bench."""
        return list(self.timeline.since_repair)

    def given(self, check: Check) -> Array | None:
        """Likelihood, for each grade, of an earlier reading on the same path that this check partly repeats.

        None if there was no such reading or a repair has made it out of date.
        """
        if check.given is None:
            return None
        found = None
        for entry in self.entries:
            if repaired_here(entry.event):
                found = None
            elif isinstance(entry.event, CheckEvent) and entry.state == "counts":
                key = self.model.known.checks[entry.event.check].key(entry.event.variant)
                found = entry if key == check.given.key else found
        return None if found is None else np.array(weights_of(self.model.known, found))

    @cached_property
    def last_grades(self) -> Mapping[str, str]:
        """Grade of each check that counts and that no repair since could have changed, by evidence key."""
        grades: dict[str, str] = {}
        for entry in self.entries:
            if repaired_here(entry.event):
                grades = untouched(self.model, grades, entry.event.route)
            elif isinstance(entry.event, PathEvent):
                grades.update(entry.event.shows)
            elif isinstance(entry.event, CheckEvent) and entry.state in ("counts", "joint"):
                check = self.model.known.checks[entry.event.check]
                grades[check.key(entry.event.variant)] = entry.grade or "seen"
        return grades


def blocked(known: Knowledge, check: Check, grades: Mapping[str, str]) -> str:
    """Why the check says nothing after these grades, or '' where it speaks.

    Parameters
    ----------
    known : Knowledge
    check : Check
    grades : mapping of str to str
        Grades of this part of the case by evidence key.

    """
    for other, grade in check.void_when:
        if grades.get(other) == grade:
            told = known.checks[other]
            return f"says nothing after '{told.label}: {told.name(grade)}'"
    if check.needs_before:
        seen = {(key.split("@")[0], grade) for key, grade in grades.items()}
        if not seen.intersection(check.needs_before):
            return "says nothing without a low or short line before it"
    return ""


def untouched(model: Model, readings: Mapping[str, T], route: str) -> dict[str, T]:
    """Readings that still stand after a repair: those that depend on no fault which the repair can cure."""
    cured = model.known.routes[route].cures_on(model.device.carrier).keys()
    return {key: reading for key, reading in readings.items() if not model.affecting(key) & cured}


def read_events(model: Model, events: tuple[Event, ...]) -> list[GradedEvent]:
    """Grade each event and decide which of them count.

    The last reading of a check stands in place of earlier ones, unless a repair between them could have changed it;
    checks that say nothing beside what stands are void.
    """
    known, entries = model.known, [GradedEvent(event, "counts", "") for event in events]
    standing: dict[str, str] = {}
    last: dict[str, int] = {}
    for segment in Timeline(events).segments:
        part = segment.indices
        graded: dict[int, Grading] = {}
        standing.update(_along_path(events, part))
        for index in part:
            event = events[index]
            if isinstance(event, CheckEvent):
                check = known.checks[event.check]
                graded[index] = Grading("", "") if check.is_look else grade_event(known, model.device, event)
                key = check.key(event.variant)
                if key in last:
                    entries[last[key]] = replace(
                        entries[last[key]], state="replaced", note="replaced by a later reading"
                    )
                last[key], standing[key] = index, graded[index].grade or "seen"
        together = _along_path(events, part)
        for index, grading in graded.items():
            event = events[index]
            assert isinstance(event, CheckEvent)
            check = known.checks[event.check]
            why = blocked(known, check, standing)
            if last[check.key(event.variant)] != index:
                entries[index] = GradedEvent(event, "replaced", "replaced by a later reading", grading.grade)
            elif check.key(event.variant) in together:
                entries[index] = GradedEvent(event, "joint", "counted with the readings along the path", grading.grade)
            elif why or not model.offers(check):
                entries[index] = GradedEvent(event, "void", why or "makes no sense on this device", grading.grade)
            else:
                implied = _implied(check, event, standing)
                entries[index] = GradedEvent(
                    event=event,
                    state="counts",
                    note=grading.reason,
                    grade=grading.grade,
                    implied=implied,
                    weights=grading.weights,
                    line=grading.line,
                )
        for index in part:
            event = events[index]
            if isinstance(event, HazardEvent) and not event.overruled:
                shows = known.hazards[event.hazard].shows
                if shows and shows[0] not in standing:
                    entries[index] = replace(entries[index], implied=((shows[0], shows[1]),))
        for index in part:
            entries[index] = _with_given(known, entries, index, last)
        if segment.ended_by is not None:
            route = segment.ended_by.route
            standing, last = untouched(model, standing, route), untouched(model, last, route)
    return entries


def _along_path(events: Sequence[Event], part: Sequence[int]) -> dict[str, str]:
    """Checks that the readings along the path stand for in one segment of a case, each with its grade."""
    shown: dict[str, str] = {}
    for index in part:
        event = events[index]
        if isinstance(event, PathEvent):
            shown.update(event.shows)
    return shown


def _with_given(known: Knowledge, entries: Sequence[GradedEvent], index: int, last: Mapping[str, int]) -> GradedEvent:
    """An event with the likelihoods of the reading on the same path that it partly repeats, where both count."""
    entry = entries[index]
    if not isinstance(entry.event, CheckEvent) or entry.state != "counts":
        return entry
    check = known.checks[entry.event.check]
    if check.given is None or check.key(entry.event.variant) != check.id or check.given.key not in last:
        return entry
    other = entries[last[check.given.key]]
    return entry if other.state != "counts" else replace(entry, given=weights_of(known, other))


def weights_of(known: Knowledge, entry: GradedEvent) -> tuple[float, ...]:
    """Likelihood of a graded reading under each grade: as computed, or 1 for the grade that a person stated."""
    assert isinstance(entry.event, CheckEvent)
    grades = known.checks[entry.event.check].grades
    return entry.weights or tuple(float(grade == entry.grade) for grade in grades)


def _implied(check: Check, event: CheckEvent, standing: Mapping[str, str]) -> tuple[tuple[str, str], ...]:
    """Grades of other checks that the values show, without checks that have a reading of their own."""
    return tuple(
        (row.check, row.grade)
        for row in check.implies
        if row.check not in standing and event.values.get(row.value, -1.0) >= row.least
    )


def likelihood(model: Model, entry: GradedEvent) -> Array:
    """Likelihood of one event in each state, shape (n_states,); all ones where the event does not count."""
    event, known = entry.event, model.known
    if entry.state != "counts" or (isinstance(event, RepairEvent) and (event.works is None or not event.here)):
        return np.ones(len(model.states))
    if isinstance(event, PathEvent):
        return model.along_path(event.scores)
    if isinstance(event, HazardEvent):
        chance = np.ones(len(model.states))
        for name, shown in entry.implied:
            check = known.checks[name]
            column = check.signs.index(shown) if check.is_look else check.grades.index(shown)
            chance = chance * model.table(check)[:, column]
        return chance
    if isinstance(event, CheckEvent):
        check = known.checks[event.check]
        if not check.is_look:
            given = np.array(entry.given)
            table = model.table_given(check, given) if entry.given else model.table(check, event.variant)
            chance = table @ entry.weights if entry.weights else table[:, check.grades.index(entry.grade)]
            for other, grade in entry.implied:
                chance = chance * model.table(known.checks[other])[:, known.checks[other].grades.index(grade)]
            return chance
        return model.seen(check, event.signs)
    works = model.works
    if isinstance(event, TryEvent):
        works = model.works_trying(known.routes[event.route])
    return np.asarray(works if event.works else 1 - works)


@dataclass(frozen=True, eq=False)
class _Step:
    """What an event does to the mass: faults that a repair may remove or leave, and the likelihood of what was seen."""

    removes: Mapping[int, float]
    leaves: Mapping[int, float]
    chance: Array

    def through(self, states: States, mass: Array) -> Array:
        """The mass (n_states,) after the repair, before what was seen."""
        return states.bring_in(states.remove(mass, self.removes), self.leaves) if self.removes or self.leaves else mass

    def back(self, states: States, worth: Array) -> Array:
        """Carry the worth of each state after the repair (n_states, n) back to the states before it."""
        return states.back_through(worth, self.removes, self.leaves) if self.removes or self.leaves else worth


def _steps(model: Model, entries: Sequence[GradedEvent]) -> list[_Step]:
    """The steps of the forward pass, one for each event."""
    out, failed, none = [], Counter[str](), dict[int, float]()
    for entry in entries:
        event, chance = entry.event, likelihood(model, entry)
        if repaired_here(event):
            route = model.known.routes[event.route]
            out.append(_Step(model.removes(route, failed=failed[route.id]), model.leaves(route), chance))
            failed[route.id] += event.works is False
        else:
            out.append(_Step(none, none, chance))
    return out


def _pass(model: Model, entries: Sequence[GradedEvent]) -> Array:
    """Probability of each state after all entries, shape (n_states,)."""
    mass = model.prior
    for step in _steps(model, entries):
        mass = step.through(model.states, mass) * step.chance
        mass = mass / mass.sum()
    return mass


def _explained(model: Model, entries: Sequence[GradedEvent]) -> float:
    """How well the best state explains every event of each segment: 1 fully, near 0 only as a slip of the hand."""
    least, worst = 1.0, np.ones(len(model.states))
    for entry in entries:
        if repaired_here(entry.event):
            least, worst = min(least, float(worst.max())), np.ones(len(model.states))
        chance = likelihood(model, entry)
        worst = np.minimum(worst, chance / chance.max())
    return min(least, float(worst.max()))


def access_reached(known: Knowledge, case: Case) -> str:
    """Id of the deepest access level that the events have opened the device to."""
    reached = 0
    for event in case.events:
        if isinstance(event, CheckEvent):
            level = event.access or known.checks[event.check].access
        elif isinstance(event, PathEvent):
            level = event.access or next(iter(known.access))
        elif isinstance(event, HazardEvent) or (isinstance(event, RepairEvent) and not event.here):
            continue
        else:
            level = known.routes[event.route].access_for(case.device.carrier)
        reached = max(reached, known.access[level].level)
    return list(known.access)[reached]


def assess(model: Model, case: Case) -> Belief:
    """Compute the belief for a case.

    Parameters
    ----------
    model : Model
        Compiled for the case's device and history.
    case : Case

    Returns
    -------
    Belief
        Over sets of up to two faults; where no such set explains every entry since the last repair, over the sixty
        likeliest sets of three as well.

    Raises
    ------
    ReadingError
        An event holds values that cannot be graded.

    """
    entries = tuple(read_events(model, case.events))
    access = access_reached(model.known, case)
    if _explained(model, entries) >= model.known.model.explained_below:
        return Belief(
            model=model, source=model, mass=_pass(model, entries), entries=entries, access=access, widened=False
        )
    n_faults = len(model.fault_ids)
    full = model.with_states(build_states(n_faults, triples(n_faults)))
    mass = _pass(full, entries)
    pairs = len(model.states)
    best = np.argsort(-mass[pairs:])[:KEPT_TRIPLES] + pairs
    narrow = full.with_states(build_states(n_faults, tuple(full.states.sets[row] for row in best)))
    kept = mass[[full.states.index[state] for state in narrow.states.sets]]
    return Belief(model=narrow, source=full, mass=kept / kept.sum(), entries=entries, access=access, widened=True)


def faults_at_intake(belief: Belief) -> list[tuple[str, float]]:
    """Chance of each fault having been there when the device came in, given everything that was entered since.

    The belief of now no longer holds what the repairs took away; this one does, and a repair that brought the device
    back speaks for what it cures.

    Returns
    -------
    list of (fault id, chance)
        Highest chance first.

    """
    model = belief.source
    worth = np.ones((len(model.states), 1))
    for step in reversed(_steps(model, belief.entries)):
        worth = step.back(model.states, worth * step.chance[:, None])
        worth = worth / worth.max()
    mass = model.prior * worth[:, 0]
    chances = model.states.marginals(mass / mass.sum())
    return sorted(zip(model.fault_ids, chances.tolist(), strict=True), key=lambda pair: -pair[1])


def pushes(belief: Belief) -> list[Push]:
    """How far each entry that counts moved each fault: the odds with it over the odds without it.

    Leaving an entry out is linear in the mass before it. One pass forwards keeps that mass, one backwards keeps how
    each state before an entry contributes to each fault after the rest, so that the work grows with the entries, not
    with their square.
    """
    model, entries = belief.source, belief.entries
    before, mass = [], model.prior.copy()
    steps = _steps(model, entries)
    for step in steps:
        mass = step.through(model.states, mass)
        before.append(mass)
        mass = mass * step.chance
        mass = mass / mass.sum()
    now = model.states.marginals(mass)
    after = np.column_stack([model.states.has, np.ones(len(model.states))])
    rows = []
    for step, entry, mass in zip(reversed(steps), reversed(entries), reversed(before), strict=True):
        if entry.state == "counts" and not (isinstance(entry.event, HazardEvent) and not entry.implied):
            found = mass @ after
            rows.append(found[:-1] / found[-1])
        after = step.back(model.states, after * step.chance[:, None])
        after = after / after.max()
    out = []
    for index, entry in enumerate(entries):
        if entry.state == "counts" and not (isinstance(entry.event, HazardEvent) and not entry.implied):
            without = rows.pop()
            odds = (now / (1 - now + 1e-12)) / (without / (1 - without + 1e-12) + 1e-300)
            out += [Push(index, name, float(odd)) for name, odd in zip(model.fault_ids, odds, strict=True)]
    return out
