"""The belief over the set of faults that are present now: one forward pass through the events of a case.

Evidence multiplies the mass of each set of faults by its likelihood. A repair moves mass from a set to the same set
without the faults that it cures; whether the device charges afterwards is one more observation. A try observes the set
without the faults that the known-good part stands in for, and changes nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Case, CheckEvent, Event, HazardEvent, MishapEvent, PathEvent, RepairEvent
from chargepath.case.timeline import Timeline, changed_here
from chargepath.diagnosis.forward import Beginning, Held, beginning, forward, likelihood
from chargepath.diagnosis.graded import GradedEvent, changed_by, failing, read_events, untouched, weights_of
from chargepath.diagnosis.model import Model, compiled
from chargepath.diagnosis.states import build_states, triples
from chargepath.knowledge import Check, Knowledge

KEPT_TRIPLES = 60


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
    held : mapping of str to Held
        Readings that a repair since may have outdated, over the states of `model`, by evidence key.
    earlier : tuple of Event
        Events of the job that the device comes back from with the same trouble.

    """

    model: Model
    source: Model
    mass: Array
    entries: tuple[GradedEvent, ...]
    access: str
    widened: bool
    held: Mapping[str, Held] = field(default_factory=dict)
    earlier: tuple[Event, ...] = ()

    @cached_property
    def begins(self) -> Beginning:
        """What was believed at first, over the states of `source`."""
        return beginning(self.source, self.earlier)

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

    @cached_property
    def failures(self) -> Mapping[str, int]:
        """How often each repair failed here, by route: done, tried, or by a reading that says so of it."""
        now = Counter(route for routes in failing(self.model.known, self.entries) for route in routes)
        return Counter(self.begins.failures) + now

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
            if changed_here(entry.event):
                found = None
            elif isinstance(entry.event, CheckEvent) and entry.state == "counts":
                key = self.model.known.checks[entry.event.check].key(entry.event.variant)
                found = entry if key == check.given.key else found
        return None if found is None else np.array(weights_of(self.model.known, found))

    @cached_property
    def lately(self) -> Mapping[str, str]:
        """The newest grade of each check by its evidence key, kept through repairs that failed; 'seen' for a look.

        A device that stayed dead through a restart is not asked what only a running one can tell.
        """
        found: dict[str, str] = {}
        for entry in self.entries:
            event = entry.event
            if changed_here(event) and (isinstance(event, MishapEvent) or event.works is not False):
                found = untouched(self.model, found, event)
            elif isinstance(event, PathEvent):
                found.update(event.shows)
            elif isinstance(event, CheckEvent):
                found[self.model.known.checks[event.check].key(event.variant)] = entry.grade or "seen"
        return found

    @cached_property
    def last_grades(self) -> Mapping[str, str]:
        """Grade of each check that counts and that no repair since could have changed, by evidence key; 'seen' for a
        look.
        """
        found: dict[str, str] = {}
        for entry in self.entries:
            event = entry.event
            if changed_here(event):
                found = untouched(self.model, found, event)
            elif isinstance(event, PathEvent):
                found.update(event.shows)
            elif isinstance(event, CheckEvent) and entry.state in ("counts", "joint"):
                found[self.model.known.checks[event.check].key(event.variant)] = entry.grade or "seen"
        return found

    @cached_property
    def last_signs(self) -> set[tuple[str, str]]:
        """Every sign that the last look has shown and that no repair since could have taken away, with its check."""
        found: set[tuple[str, str]] = set()
        for entry in self.entries:
            event = entry.event
            if changed_here(event):
                changed = changed_by(self.model, event)
                found = {(check, sign) for check, sign in found if not self.model.showing(check, sign) & changed}
            elif isinstance(event, CheckEvent) and entry.state in ("counts", "joint"):
                found = {one for one in found if one[0] != event.check} | {(event.check, sign) for sign in event.signs}
        return found


def _explained(model: Model, entries: Sequence[GradedEvent]) -> float:
    """How well the best state explains every event of each segment: 1 fully, near 0 only as a slip of the hand."""
    least, worst = 1.0, np.ones(len(model.states))
    for entry in entries:
        if changed_here(entry.event):
            least, worst = min(least, float(worst.max())), np.ones(len(model.states))
        chance = likelihood(model, entry)
        worst = np.minimum(worst, chance / chance.max())
    return min(least, float(worst.max()))


def access_reached(known: Knowledge, case: Case) -> str:
    """Id of the deepest access level that the events have opened the device to."""
    reached, came_back = 0, Timeline(case.events).come_backs
    for index, event in enumerate(case.events):
        if index in came_back:
            reached = 0
        if isinstance(event, CheckEvent):
            level = event.access or known.checks[event.check].access
        elif isinstance(event, PathEvent):
            level = event.access or next(iter(known.access))
        elif isinstance(event, HazardEvent | MishapEvent) or (isinstance(event, RepairEvent) and not event.here):
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
        passed = forward(model, entries, beginning(model, case.earlier))
        return Belief(
            model=model,
            source=model,
            mass=passed.mass,
            entries=entries,
            access=access,
            widened=False,
            held=passed.held,
            earlier=case.earlier,
        )
    n_faults = len(model.fault_ids)
    full = model.with_states(build_states(n_faults, triples(n_faults)))
    passed = forward(full, entries, beginning(full, case.earlier))
    pairs = len(model.states)
    best = np.argsort(-passed.mass[pairs:])[:KEPT_TRIPLES] + pairs
    narrow = full.with_states(build_states(n_faults, tuple(full.states.sets[row] for row in best)))
    rows = [full.states.index[state] for state in narrow.states.sets]
    kept = passed.mass[rows]
    return Belief(
        model=narrow,
        source=full,
        mass=kept / kept.sum(),
        entries=entries,
        access=access,
        widened=True,
        held={key: one.rows(rows) for key, one in passed.held.items()},
        earlier=case.earlier,
    )


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
    for step in reversed(forward(model, belief.entries, belief.begins).steps):
        worth = step.back(model.states, worth * step.chance[:, None])
        worth = worth / worth.max()
    mass = belief.begins.mass * worth[:, 0]
    chances = model.states.marginals(mass / mass.sum())
    return sorted(zip(model.fault_ids, chances.tolist(), strict=True), key=lambda pair: -pair[1])


def pushes(belief: Belief, case: Case) -> list[Push]:
    """How far each entry moved each fault: the odds with it over the odds without it.

    Without it means: as if nobody had entered it. A reading that it replaced counts again, a repair has altered
    nothing, what others did is not part of the history.

    Parameters
    ----------
    belief : Belief
    case : Case
        That the belief is of, with the history as it was told.

    """
    model = belief.source
    if _each_for_itself(belief.entries):
        without = _without_each(model, belief.entries, belief.begins.mass)
    else:
        without = {index: _without(model.known, case, index) for index in _that_count(belief.entries)}
    now = dict(belief.faults)
    out = []
    for index, chances in without.items():
        for name, chance in chances.items():
            odds = (now[name] / (1 - now[name] + 1e-12)) / (chance / (1 - chance + 1e-12) + 1e-300)
            out.append(Push(index, name, float(odds)))
    return out


def _that_count(entries: Sequence[GradedEvent]) -> list[int]:
    """Places of the entries that say something."""
    found = []
    for index, entry in enumerate(entries):
        told = isinstance(entry.event, HazardEvent) and not entry.implied
        if entry.state in ("counts", "joint") and not told:
            found.append(index)
    return found


def _each_for_itself(entries: Sequence[GradedEvent]) -> bool:
    """Whether no entry bears on how another one is read: no repair, nothing replaced, void, implied or repeated."""
    return all(
        entry.state == "counts"
        and not (entry.implied or entry.given)
        and not isinstance(entry.event, RepairEvent | HazardEvent | PathEvent | MishapEvent)
        for entry in entries
    )


def _without_each(model: Model, entries: Sequence[GradedEvent], begins: Array) -> dict[int, dict[str, float]]:
    """The same for entries that are read each for itself: leaving one out leaves out one factor.

    One pass forwards and one backwards, so that the work grows with the entries, not with their square.
    """
    chances = [likelihood(model, entry) for entry in entries]
    after = [np.ones(len(model.states))]
    for chance in reversed(chances):
        after.append(after[-1] * chance / max(float((after[-1] * chance).max()), 1e-300))
    out, before = {}, begins
    for index, chance in enumerate(chances):
        mass = before * after[len(chances) - 1 - index]
        found = model.states.marginals(mass / mass.sum())
        out[index] = dict(zip(model.fault_ids, found.tolist(), strict=True))
        before = before * chance
        before = before / before.sum()
    return out


def _without(known: Knowledge, case: Case, index: int) -> dict[str, float]:
    """Chance of each fault as if the event at this place had never been entered."""
    rest = replace(case, events=(*case.events[:index], *case.events[index + 1 :]))
    return dict(assess(compiled(known, *rest.told(known).compiled_for), rest).faults)
