"""The forward pass: how likely each event is in each state, and what repairs and readings do to the mass.

A reading is no fresh chance where it was made before: where a repair since then has altered nothing that it depends
on, it shows the same again, but for a slip now and then (`holds` of scale.toml). How much of each state's mass no
repair has altered since a reading is carried along.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import CheckEvent, Event, HazardEvent, MishapEvent, PathEvent, RepairEvent, TryEvent
from chargepath.case.timeline import Timeline, repaired_here
from chargepath.diagnosis.graded import GradedEvent, failing, read_events
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import States
from chargepath.knowledge.routes import PROVE


def likelihood(model: Model, entry: GradedEvent) -> Array:
    """Likelihood of one event in each state, shape (n_states,); all ones where the event does not count."""
    event, known = entry.event, model.known
    if entry.state != "counts" or (isinstance(event, RepairEvent) and (event.works is None or not event.here)):
        return np.ones(len(model.states))
    if isinstance(event, PathEvent):
        return model.along_path(event.scores)
    if isinstance(event, MishapEvent):
        return np.ones(len(model.states))
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
class Step:
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


@dataclass(frozen=True, eq=False)
class Held:
    """A reading that a repair may have outdated.

    Attributes
    ----------
    entry : GradedEvent
        The reading.
    share : array, shape (n_states,)
        How much of each state's mass no repair has altered since.

    """

    entry: GradedEvent
    share: Array

    def rows(self, rows: Sequence[int]) -> Held:
        """The reading with the shares of some of the states alone."""
        return Held(self.entry, self.share[list(rows)])

    def again(self, shows_the_same: float | Array, fresh: Array, holds: float) -> Array:
        """Likelihood of a repeated reading: that of a fresh one where something was altered, mostly the same elsewhere.

        `fresh` is (..., n_states), `shows_the_same` what broadcasts to it: 1 where the outcome is that of before.
        """
        return np.asarray(self.share * (holds * shows_the_same + (1 - holds) * fresh) + (1 - self.share) * fresh)

    def like(self, entry: GradedEvent) -> bool:
        """Whether another reading of the same check shows the same."""
        assert isinstance(entry.event, CheckEvent)
        assert isinstance(self.entry.event, CheckEvent)
        return entry.grade == self.entry.grade and set(entry.event.signs) == set(self.entry.event.signs)


@dataclass(frozen=True, eq=False)
class Passed:
    """The forward pass of a case.

    Attributes
    ----------
    steps : tuple of Step
        One for each event.
    mass : array, shape (n_states,)
        Probability of each state after all of them.
    held : mapping of str to Held
        Readings that a repair since may have outdated, by evidence key.

    """

    steps: tuple[Step, ...]
    mass: Array
    held: Mapping[str, Held]


@dataclass(frozen=True, eq=False)
class Beginning:
    """What is believed before the first event of a case.

    Attributes
    ----------
    mass : array, shape (n_states,)
        Probability of each state.
    failures : mapping of str to int
        How often each repair has failed on this device before, by route.

    """

    mass: Array
    failures: Mapping[str, int]


def beginning(model: Model, earlier: Sequence[Event]) -> Beginning:
    """What is believed of a device as it comes in: the prior, or what an earlier job has left of it.

    Where it comes back from that job with the same trouble, what was read and done then is carried through, the repair
    that had worked counts as failed, and the device does not charge. That it is the same trouble is the customer's
    word: with `returned_new` of scale.toml it is another one.

    Parameters
    ----------
    model : Model
    earlier : sequence of Event
        Events of the job that it comes back from; none for a device that is here for the first time.

    """
    if not earlier:
        return Beginning(model.prior, {})
    known = model.known
    entries = read_events(model, (*earlier, RepairEvent(PROVE, False)))
    other = model.prior * model.comes_back
    new = known.model.returned_new
    mass = (1 - new) * forward(model, entries).mass + new * other / other.sum()
    return Beginning(mass, Counter(route for routes in failing(known, entries) for route in routes))


def forward(model: Model, entries: Sequence[GradedEvent], begins: Beginning | None = None) -> Passed:
    """Start from `begins`, or from the prior where none is given, and carry the mass through every event of a case."""
    states, known, begins = model.states, model.known, begins or beginning(model, ())
    mass, steps, failed = begins.mass, list[Step](), Counter(begins.failures)
    held: dict[str, Held] = {}
    none: dict[int, float] = {}
    failing_at, came_back = failing(known, entries), Timeline([entry.event for entry in entries]).came_back_after
    for index, entry in enumerate(entries):
        event, chance = entry.event, likelihood(model, entry)
        step = Step(none, none, chance)
        if repaired_here(event):
            route = known.routes[event.route]
            step = Step(model.removes(route, failed=failed[route.id]), model.brought_by(route.leaves), chance)
            if index in came_back:
                # What had been cured may be there again, and a device does not come back because nothing is wrong.
                step = Step(none, model.relapses(known.routes[came_back[index]]), model.comes_back)
            after = step.through(states, mass)
            held = {key: _repaired(model, one, key, step, mass, after) for key, one in held.items()}
            mass = after
        elif isinstance(event, MishapEvent):
            step = Step(none, model.brought_by(known.mishaps[event.mishap].leaves), chance)
            after = step.through(states, mass)
            held = {key: _repaired(model, one, key, step, mass, after) for key, one in held.items()}
            mass = after
        elif isinstance(event, CheckEvent) and entry.state == "counts":
            check = known.checks[event.check]
            key = check.key(event.variant)
            before = held.get(key)
            if before is not None and before.share.min() < 1:
                step = Step(none, none, before.again(float(before.like(entry)), chance, known.model.holds))
            held[key] = Held(entry, np.ones(len(states)))
        failed.update(failing_at[index])
        mass = mass * step.chance
        mass = mass / mass.sum()
        steps.append(step)
    return Passed(tuple(steps), mass, {key: one for key, one in held.items() if one.share.min() < 1})


def _repaired(model: Model, held: Held, key: str, step: Step, mass: Array, after: Array) -> Held:
    """A reading after a repair: it is fresh where the repair took away or left behind what the reading depends on."""
    names, depends = model.fault_ids, model.affecting(key)
    touching = {index: chance for index, chance in step.removes.items() if names[index] in depends}
    others = {index: chance for index, chance in step.removes.items() if index not in touching}
    stays = model.states.product(np.array([1 - touching.get(index, 0.0) for index in range(len(names))]))
    brings = {index: chance for index, chance in step.leaves.items() if names[index] not in depends}
    same = model.states.bring_in(model.states.remove(held.share * mass * stays, others), brings)
    for index, chance in step.leaves.items():
        if names[index] in depends:
            same = same * np.where(model.states.has[:, index], 1.0, 1 - chance)
    share = np.divide(same, after, out=np.ones_like(same), where=after > 0)
    return Held(held.entry, np.clip(share, 0.0, 1.0))
