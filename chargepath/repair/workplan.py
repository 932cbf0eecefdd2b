"""A plan of work: what is done to a device on a route, step by step, from where it is now until it is handed over.

Opening, work, what makes it ready for the test, the test and the closing are put together from the same blocks for
every route; a step is left out where what it makes is so already, and steps come in where the device is built so.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from chargepath.base.errors import ReadingError
from chargepath.base.sentences import inside
from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.procedures import ALLOY, CHOSEN, GLUED, Procedures, WorkOption, WorkStep, suits
from chargepath.knowledge.traits import built

PHASES: Mapping[str, str] = {
    "open": "Open",
    "work": "Repair",
    "ready": "Ready for the test",
    "test": "Test",
    "close": "Close",
}
# The level of which a board that stays in its frame is spared.
OUT = "board_out"
# The block that renews the cell, and the word for a device that a danger forbids to start.
NEW_CELL, NOT_STARTED = "new_cell", "not_started"
# Words for a repair whose part has its contacts underneath, and for one that leaves the board in the open device.
LEGS_UNDER, BOARD_IN = "legs_under", "board_in"
# The block that takes a stacked board apart, and the word for a repair that has it.
SPLIT, SPLITS = "split_board", "splits_board"


@dataclass(frozen=True)
class PlannedStep:
    """One step in its place.

    Attributes
    ----------
    step : WorkStep
        With the solder that is chosen in its words and settings.
    phase, level, slot : str
        The phase of the work, the level whose opening it is part of, the choice it comes of.
    alloy : str
        Which solder it puts on; '' where it puts none on, or none that is chosen.
    alloys : tuple of str
        Which ones may be chosen at it.
    own : str
        Id of the shop's own step that it is or that words it; '' for one as it ships.

    """

    step: WorkStep
    phase: str
    level: str = ""
    slot: str = ""
    alloy: str = ""
    alloys: tuple[str, ...] = ()
    own: str = ""


@dataclass(frozen=True)
class Alternative:
    """One option of a choice on this device, with what it costs.

    Attributes
    ----------
    option : WorkOption
    minutes, wait : float
        Hands on, and waiting by itself [min].
    cost : float
        Minutes, harm, come-backs and opening again in money.
    per_value : float
        How much of that grows with what the device is worth.

    """

    option: WorkOption
    minutes: float
    wait: float
    cost: float
    per_value: float


@dataclass(frozen=True)
class Choice:
    """What was chosen where practitioners differ, and what else would do, cheapest first.

    `told` says whether a person or the shop chose it. `passed` is the option that they chose although it does not suit
    this device; None where they did not.
    """

    slot: str
    label: str
    picked: Alternative
    told: bool
    others: tuple[Alternative, ...]
    passed: WorkOption | None = None

    @property
    def why(self) -> str:
        """Why this option was chosen, in words."""
        if self.passed:
            return f"{inside(self.passed.label)} does not go here: {self.picked.option.why}"
        if self.told:
            return f"chosen here: {self.picked.option.why}"
        if any(row.cost < self.picked.cost for row in self.others):
            return f"the usual way: {self.picked.option.why}"
        if not self.others:
            return f"the only one that suits: {self.picked.option.why}"
        return f"costs least: {self.picked.option.why}"

    def holds(self, value: float) -> tuple[float, float]:
        """Between which values of a device the same option is picked as at this one."""
        low, high = -math.inf, math.inf
        for row in () if self.told else self.others:
            dearer, grows = row.cost - self.picked.cost, row.per_value - self.picked.per_value
            if row.option.habit or grows == 0:
                continue
            turns = value - dearer / grows
            low, high = (max(low, turns), high) if grows > 0 else (low, min(high, turns))
        return low, high


@dataclass(frozen=True)
class Plan:
    """A plan of work.

    Attributes
    ----------
    route : str
    start : frozenset of str
        Facts that are so before its first step.
    steps : tuple of PlannedStep
    choices : tuple of Choice

    """

    route: str
    start: frozenset[str]
    steps: tuple[PlannedStep, ...]
    choices: tuple[Choice, ...]

    def minutes(self, *phases: str) -> float:
        """Hands-on minutes of some phases, of all without one."""
        return sum(row.step.minutes for row in self.steps if not phases or row.phase in phases)

    @property
    def wait(self) -> float:
        """Minutes in which the device waits by itself."""
        return sum(row.step.wait for row in self.steps)

    @property
    def work_minutes(self) -> float:
        """Hands-on minutes of the route alone, whatever has to be opened for it."""
        return sum(row.step.minutes for row in self.steps if not row.level)

    @property
    def work_wait(self) -> float:
        """Minutes in which the device waits during the route's own work."""
        return sum(row.step.wait for row in self.steps if not row.level)

    @property
    def in_frame(self) -> bool:
        """Whether the board is worked on in its frame."""
        return any((choice.slot, choice.picked.option.id) == ("place", "frame") for choice in self.choices)

    @property
    def harm(self) -> float:
        """Chance of damage that the choices add to the route's own."""
        return 1 - _product(1 - choice.picked.option.harm for choice in self.choices)

    @property
    def comeback(self) -> float:
        """Chance of a come-back that the choices add to the usual one."""
        return sum(choice.picked.option.comeback for choice in self.choices)

    @property
    def materials(self) -> tuple[str, ...]:
        """Everything that is used up, once each, in the order of use."""
        return tuple(dict.fromkeys(name for row in self.steps for name in row.step.materials))


def _product(values: Iterable[float]) -> float:
    out = 1.0
    for value in values:
        out *= value
    return out


def words_of(known: Knowledge, device: Device) -> frozenset[str]:
    """Everything that a step's `when` and `unless` can ask of a device, but for what depends on the plan."""
    words = {device.kind, device.carrier, device.connector, *built(known.traits, device.kind, device.traits)}
    if device.wireless:
        words.add("wireless")
    if words & {*GLUED}:
        words.add("glued")
    return frozenset(words)


def make_plan(
    known: Knowledge,
    device: Device,
    route: str,
    reached: str = "outside",
    picks: Mapping[str, str] | None = None,
    dangers: Iterable[str] = (),
) -> Plan:
    """Plan the work on a device.

    Parameters
    ----------
    known : Knowledge
    device : Device
        With its traits; what is not told of a group of traits is taken as usual for its kind.
    route : str
        Id of a route with a recipe.
    reached : str
        How far it is open already.
    picks : mapping of slot to option
        What a person or the shop has chosen; an option that does not suit the device is passed over. The solder of
        one step is picked by `alloy_at` the step.
    dangers : iterable of str
        Ids of the hazards that stand: an unsafe cell is opened cold and goes into the fire-safe box at once, and what
        must not be started is not run down first.

    Raises
    ------
    ReadingError
        The route has no recipe, as proving and handing on.

    """
    return _planned(
        known, device, route, reached, tuple(sorted((picks or {}).items())), words_of_dangers(known, dangers)
    )


def words_of_dangers(known: Knowledge, dangers: Iterable[str]) -> frozenset[str]:
    """Words of `when` and `unless` that dangers add: each hazard's own, and that the device must not be started."""
    found = [known.hazards[name] for name in dangers if name in known.hazards]
    own = {word for hazard in found for word in hazard.work}
    return frozenset(own | ({NOT_STARTED} if any("start" in hazard.forbids for hazard in found) else set()))


@lru_cache(maxsize=2048)
def _planned(
    known: Knowledge,
    device: Device,
    route: str,
    reached: str,
    picks: tuple[tuple[str, str], ...],
    words: frozenset[str],
) -> Plan:
    if route not in known.procedures.recipes:
        raise ReadingError(f"'{route}' is no work with steps", "route", "one of the repairs")
    return _Planner(known, device, known.routes[route], reached=reached, picks=dict(picks), words=words).plan()


class _Planner:
    """A plan while it is built: words that describe the device, and the facts that are true after the steps so far."""

    def __init__(
        self,
        known: Knowledge,
        device: Device,
        route: Route,
        *,
        reached: str,
        picks: dict[str, str],
        words: frozenset[str],
    ) -> None:
        self.known, self.work, self.route, self.picks = known, known.procedures, route, picks
        self.value = device.value
        self.words = words_of(known, device) | words
        self.reached = list(known.access).index(reached)
        self.target = list(known.access).index(route.access_for(device.carrier))
        if "measure_port" in self.work.recipes[route.id]:
            own = {"port_on_its_own"} if device.carrier != "none" else set()
            self.words |= {"port_work", *own}
        if NEW_CELL in self.work.recipes[route.id]:
            self.words |= {"battery_work"}
        if route.id in self.work.legs_under:
            self.words |= {LEGS_UNDER}
        if SPLIT in self.work.recipes[route.id]:
            self.words |= {SPLITS}
        if max(self.reached, self.target) < list(known.access).index(OUT):
            self.words |= {BOARD_IN}
        self.start = self.work.begins(reached, self.words)
        self.facts: set[str] = set(self.start)
        self.steps: list[PlannedStep] = []
        self.choices: dict[str, Choice] = {}
        self.alloy = ""
        if any(CHOSEN in step.solder for step in self._steps_of(self.work.recipes[route.id])):
            self._choose(ALLOY)

    def _steps_of(self, blocks: Iterable[str]) -> Iterator[WorkStep]:
        for name in blocks:
            if name.startswith("@"):
                yield from (step for option in self.work.options[name[1:]].values() for step in option.steps)
            else:
                yield from self.work.blocks[name]

    def plan(self) -> Plan:
        """The plan, phase by phase."""
        levels, names = self._levels(), list(self.known.access)
        self._add(self.work.first, "open", "")
        self.words |= {"opened"} if levels else set()
        for name in levels:
            if names.index(name) > self.reached:
                self._add(self.work.levels[name].open, "open", name)
            if names.index(name) <= self.target:
                self._add(self.work.levels[name].again, "open", name)
            if name == "opened" and "place" in self.choices:
                self._option("place", "work", "")
        recipe = self.work.recipes[self.route.id]
        if self.target:
            self._add(recipe, "work", "")
            self._mount(levels)
        else:  # What is done from outside is done on a device that is put together.
            self._mount(levels)
            self._add(recipe, "work", "")
        self._add(self.work.levels[names[0]].test, "test", levels[0] if levels else "")
        self._add(self.work.after_test.get(self.route.id, ()), "work", "")
        for name in reversed(levels):
            self._add(self.work.levels[name].close, "close", name)
        return Plan(self.route.id, self.start, tuple(self.steps), tuple(self.choices.values()))

    def _levels(self) -> list[str]:
        """The levels to go through, without the outside; a board that stays in its frame is spared its level."""
        names = list(self.known.access)[1 : max(self.reached, self.target) + 1]
        stays = self.route.id in self.work.in_frame and not set(self.work.in_frame_unless) & self.words
        if OUT not in names or self.reached >= list(self.known.access).index(OUT) or not stays:
            return names
        choice = self._choose("place")
        if choice.picked.option.id == "frame":
            self.words |= {"in_frame"}
            names.remove(OUT)
        return names

    def _mount(self, levels: list[str]) -> None:
        for name in reversed(levels):
            self._add(self.work.levels[name].test, "ready", name)

    def _add(self, blocks: Iterable[str], phase: str, level: str) -> None:
        for name in blocks:
            if name.startswith("@"):
                self._choose(name[1:])
                self._option(name[1:], phase, level)
            else:
                self._take(self.work.blocks[name], phase, level, "")

    def _option(self, slot: str, phase: str, level: str) -> None:
        self._take(self.choices[slot].picked.option.steps, phase, level, slot)

    def _take(self, steps: Iterable[WorkStep], phase: str, level: str, slot: str) -> None:
        for step in steps:
            if not suits(step.when, step.unless, self.words):
                continue
            done = step.makes and all((fact in self.facts) == so for fact, so in step.makes)
            if level and done:
                continue
            self.steps.append(self._soldered(PlannedStep(step, phase, level, slot)))
            self.facts = after(self.facts, step)

    def _soldered(self, row: PlannedStep) -> PlannedStep:
        """Put the alloy into a step: that picked for it or for the plan; where it only melts, that put on last."""
        if CHOSEN not in row.step.solder:
            return row
        usual = self._choose(ALLOY).picked.option.id
        if not row.step.adds_solder:
            return replace(row, step=row.step.soldered(self.alloy or usual))
        option = self.choices[row.slot].picked.option if row.slot else None
        fitting = tuple(
            alloy.id
            for alloy in self.work.options[ALLOY].values()
            if suits(alloy.when, alloy.unless, self.words)
            and (option is None or suits(option.when, option.unless, self.words | {*alloy.adds}))
        )
        told = self.picks.get(alloy_at(row.step.id))
        self.alloy = told if told in fitting else usual
        return replace(row, step=row.step.soldered(self.alloy), alloy=self.alloy, alloys=fitting)

    def _choose(self, slot: str) -> Choice:
        """The option of a slot that a person has picked, or else the cheapest that suits; chosen once in a plan."""
        if slot in self.choices:
            return self.choices[slot]
        options = self.work.options[slot]
        suiting = [option for option in options.values() if suits(option.when, option.unless, self.words)]
        fitting = sorted((self._priced(slot, option) for option in suiting), key=lambda row: row.cost)
        wanted = self.picks.get(slot, "")
        picked = next((row for row in fitting if row.option.id == wanted), None)
        told = picked is not None
        passed = None if told else options.get(wanted)
        chosen = picked or next(row for row in fitting if not row.option.habit)
        others = tuple(row for row in fitting if row is not chosen)
        self.choices[slot] = Choice(
            slot=slot, label=self.work.slots[slot], picked=chosen, told=told, others=others, passed=passed
        )
        self.words |= {*chosen.option.adds}
        return self.choices[slot]

    def _priced(self, slot: str, option: WorkOption) -> Alternative:
        steps = [step for step in option.steps if suits(step.when, step.unless, self.words)]
        if slot == "place" and option.id == "out":
            level = self.work.levels[OUT]
            steps, _ = self._steps_at((*level.open, *level.test))
        minutes, wait = sum(step.minutes for step in steps), sum(step.wait for step in steps)
        costs = self.known.costs
        cost = minutes * costs.rate_per_minute + wait * costs.wait_per_minute
        cost += (option.harm + option.comeback) * costs.comeback_handling
        per_value = option.harm * costs.harm_share + option.comeback * costs.comeback_share
        if option.again:
            again, harm = self._opened_again()
            cost, per_value = cost + option.again * again, per_value + option.again * harm * costs.harm_share
        return Alternative(option, minutes, wait, cost + per_value * self.value, per_value)

    def _opened_again(self) -> tuple[float, float]:
        """What opening a closed device once more costs, its closing included, in money; and its chance of harm, whose
        handling is in the money and whose damage is not.
        """
        level = self.work.levels["opened"]
        steps, harm = self._steps_at((*level.open, *level.again, *level.test, *level.close))
        costs = self.known.costs
        work = sum(step.minutes * costs.rate_per_minute + step.wait * costs.wait_per_minute for step in steps)
        return work + harm * costs.comeback_handling, harm

    def _steps_at(self, names: Iterable[str]) -> tuple[list[WorkStep], float]:
        """The steps of blocks and of the options that are chosen for slots, as they suit this device; and the chance of
        damage that the options add.
        """
        steps: list[WorkStep] = []
        harm = 0.0
        for name in names:
            if name.startswith("@"):
                option = self._choose(name[1:]).picked.option
                steps, harm = [*steps, *option.steps], harm + option.harm
            else:
                steps += self.work.blocks[name]
        return [step for step in steps if suits(step.when, step.unless, self.words)], harm


def alloy_at(step: str) -> str:
    """Key of the picks under which somebody chooses the solder of one step."""
    return f"{ALLOY}:{step}"


def after(facts: Iterable[str], step: WorkStep) -> set[str]:
    """Facts that are true after a step."""
    out = set(facts)
    for fact, so in step.makes:
        if so:
            out.add(fact)
        else:
            out.discard(fact)
    return out


def tells_of(
    known: Knowledge,
    device: Device,
    route: str,
    picks: Mapping[str, str] | None = None,
    dangers: Iterable[str] = (),
) -> tuple[str, ...]:
    """What the customer must be told before a repair: by what its plan does to a closed device, and by the route."""
    if route not in known.procedures.recipes:
        return known.routes[route].tells
    plan = make_plan(known, device, route, picks=picks, dangers=dangers)
    done = {name for row in plan.steps for name in (*row.step.acts, *row.step.materials)}
    by_plan = [tell for tell, names in known.procedures.told.items() if done & set(names)]
    return tuple(name for name in known.tells if name in (*by_plan, *known.routes[route].tells))


def facts_in_words(work: Procedures, facts: Iterable[tuple[str, bool]]) -> list[str]:
    """Facts that have to be true, in words."""
    return [work.facts[fact][0 if so else 1] for fact, so in facts]
