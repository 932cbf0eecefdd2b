"""How the work is done: steps, choices, and the rules that a plan keeps to (plan.toml, procedures.toml)."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Annotated, Any

from chargepath.knowledge.reader import InFile, Reader, Table

NO_WORD = re.compile(r"[^\w]+")
# What a fact is, or has to be: its id, and whether it is so.
Literal = tuple[str, bool]
# Words of a step's `when` and `unless` beside kinds, carriers, connectors and traits; the plan says them.
OWN_WORDS = (
    "wireless",
    "glued",
    "in_frame",
    "port_work",
    "port_on_its_own",
    "battery_work",
    "opened",
    "not_started",
    "cell_unsafe",
    "low_melt_used",
    "lid_is_cut",
    "lead_free",
    "glue_flooded",
    "two_presses",
    "legs_under",
    "tongue_taped",
    "board_in",
    "splits_board",
)
# The slot in which the solder is chosen, its options, and how the texts of a step name the one that is chosen.
ALLOY, LEADED, LEAD_FREE, CHOSEN = "alloy", "leaded", "lead_free", "{alloy}"
# Traits by which a device is glued shut: it has the word 'glued'.
GLUED = ("rear_glass", "display_first")
# Settings of a step by which it heats solder.
HEATED_BY = ("iron_c", "below_c", "air_c", "plate_c")
PLAN_KEYS = (
    "basis", "fact", "start", "goal", "lasting", "undoes", "never", "level", "slot", "recipe", "in_frame", "after_test",
    "told", "solvents", "act", "first", "legs_under", "spare", "renamed", "start_built",
)  # fmt: skip


@dataclass(frozen=True)
class SettingKind:
    """What a tool can be set to, in words, with its unit."""

    label: str
    unit: str


# The setting whose words the shape of the nozzle follows.
NOZZLE = "nozzle_mm"


@dataclass(frozen=True)
class ToolKind:
    """A tool of the bench: the settings that are made on it, and the words of a step by which it is needed."""

    label: str
    settings: tuple[str, ...]
    words: tuple[str, ...]


@dataclass(frozen=True)
class ActKind:
    """An act that a shop may tick for a step of its own.

    Attributes
    ----------
    label : str
        What the step does, in words.
    words : tuple of str
        Words of a step's text by which the program sees that the step does this.
    settings : tuple of str
        Settings that only a step with this act may make.
    cautions : tuple of str
        Cautions that the step gets, ticked or not.

    """

    label: str
    words: tuple[str, ...]
    settings: tuple[str, ...]
    cautions: tuple[str, ...]


@dataclass(frozen=True)
class WorkStep:
    """One step of the work.

    Attributes
    ----------
    id, do : str
    minutes, wait : float
        Hands on, and what the device waits by itself [min].
    settings : mapping of setting to float
        In the unit of each.
    tools, materials : tuple of str
    needs, makes : tuple of (fact, bool)
        What must be so before, what is so afterwards.
    acts : tuple of str
        What it does, as the rules of the plan name it.
    check, fails : str
        What to look at, and what to do where it is not so.
    back : tuple of str
        Steps to go back to then: the first of them that the plan has.
    cautions, when, unless : tuple of str
    record : str
        The check that it makes.
    screws : str
        'out', 'in' or ''.
    touches : tuple of str
        Functions of the device that it may hurt, as items of the proof.
    heats : str
        What its heat goes into, as the heat desk knows it: 'own' for what the route heats on this device, another
        target, or what the tip of an iron touches; '' where it heats nothing that is soldered.
    solder : str
        What has to melt, as heat.toml names it; '' where it only warms. With `CHOSEN` in it, it depends on the alloy
        that is chosen (`soldered`).
    lead_free : mapping of setting to float
        What is set otherwise where the chosen alloy is lead-free.
    untested : str
        How it reads where a device is closed up that is not tested; '' where it reads the same.
    nozzle : str
        Shape of the nozzle, as `Procedures.nozzles` names it; '' where it sets none.
    at : str
        Place of the work, as layers.toml names it: its own, or that of its block or option.

    """

    id: str
    do: str
    minutes: Annotated[float, InFile(high=120)]
    wait: Annotated[float, InFile(high=1440)] = 0.0
    settings: Annotated[Mapping[str, float], InFile(key="set")] = field(default_factory=dict)
    tools: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()
    needs: tuple[Literal, ...] = ()
    makes: tuple[Literal, ...] = ()
    acts: tuple[str, ...] = ()
    check: str = ""
    fails: str = ""
    back: tuple[str, ...] = ()
    cautions: Annotated[tuple[str, ...], InFile(key="caution")] = ()
    when: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()
    record: str = ""
    screws: str = ""
    touches: tuple[str, ...] = ()
    heats: str = ""
    solder: str = ""
    lead_free: Mapping[str, float] = field(default_factory=dict)
    untested: str = ""
    nozzle: str = ""
    at: str = ""

    @property
    def adds_solder(self) -> bool:
        """Whether the technician puts fresh solder of the chosen alloy on; else the step only melts what is there."""
        return any(CHOSEN in name for name in self.materials)

    def soldered(self, alloy: str) -> WorkStep:
        """The step with an option of the slot `ALLOY`: its words, materials, settings and cautions follow from it.

        A step whose solder is not chosen is returned as it is.
        """
        if CHOSEN not in self.solder:
            return self
        words, free = alloy.replace("_", "-"), alloy == LEAD_FREE
        said = self.do.replace(CHOSEN, words)
        return replace(
            self,
            do=said[0].upper() + said[1:],
            materials=tuple(name.replace(CHOSEN, words) for name in self.materials),
            solder=self.solder.replace(CHOSEN, alloy),
            settings={**self.settings, **self.lead_free} if free else self.settings,
            cautions=tuple(name for name in self.cautions if not free or name != "lead"),
        )

    @property
    def clock_min(self) -> float:
        """What a timer runs for: the step's wait, or the time that is set for work by hand; 0 for none [min]."""
        return self.wait or self.settings.get("time_min", 0.0)

    def way_back(self, done: Sequence[str]) -> str:
        """The step to go back to where the check fails: of those up to this one (`done`, itself last), else itself."""
        return next((name for name in self.back if name in done), self.id)


@dataclass(frozen=True)
class WorkOption:
    """One school of doing a thing: where it suits, and what it costs beside its minutes.

    `harm` and `comeback` are chances that it adds, `again` how often the device has to be opened once more for it. A
    `habit` is only followed where somebody picks it. `adds` are words that later choices and steps of the plan ask for.
    """

    id: str
    label: str
    why: str
    when: tuple[str, ...]
    unless: tuple[str, ...]
    harm: Annotated[float, InFile(high=0.5, absent=0.0)]
    comeback: Annotated[float, InFile(low=-0.05, high=0.5, absent=0.0)]
    again: Annotated[float, InFile(high=0.5, absent=0.0)]
    habit: bool
    steps: tuple[WorkStep, ...]
    adds: tuple[str, ...] = ()


@dataclass(frozen=True)
class Never:
    """An act that nobody does while a fact is so (`holds`), or while it is not; `but` where one of these is so."""

    id: str
    act: str
    fact: str
    holds: bool
    says: str
    but: tuple[str, ...] = ()


@dataclass(frozen=True)
class LevelWork:
    """Blocks that open a level, that come whether it was open or not, that make it ready for the test, and close it."""

    open: tuple[str, ...]
    again: tuple[str, ...]
    test: tuple[str, ...]
    close: tuple[str, ...]


@dataclass(frozen=True)
class Procedures:
    """Everything that a plan of work is made of; a block's name with an @ is a choice between the options of a slot.

    `start` are the facts at the start by how far it is open, `start_built` what is otherwise on a device with a trait
    (`begins`). `acts` are those that a shop may say of a step of its own. `first` are blocks that come before
    everything else in every plan, where they suit. `legs_under` are the routes whose part has its contacts underneath,
    where no tip gets at them. `spare` are the choices whose harm falls on the new part.
    `nozzles` are the shapes of nozzles, in words. `renamed` leads from an id that a step had in an earlier version to
    the one that it has now.
    """

    facts: Mapping[str, tuple[str, str]]
    start: Mapping[str, tuple[str, ...]]
    start_built: Mapping[str, Mapping[str, tuple[Literal, ...]]]
    goals: tuple[Literal, ...]
    lasting: tuple[str, ...]
    undoes: Mapping[str, tuple[str, ...]]
    nevers: tuple[Never, ...]
    levels: Mapping[str, LevelWork]
    slots: Mapping[str, str]
    options: Mapping[str, Mapping[str, WorkOption]]
    blocks: Mapping[str, tuple[WorkStep, ...]]
    recipes: Mapping[str, tuple[str, ...]]
    in_frame: tuple[str, ...]
    in_frame_unless: tuple[str, ...]
    after_test: Mapping[str, tuple[str, ...]]
    told: Mapping[str, tuple[str, ...]]
    solvents: tuple[str, ...]
    leaves: tuple[str, ...]
    settings: Mapping[str, SettingKind]
    tools: Mapping[str, ToolKind]
    acts: Mapping[str, ActKind]
    first: tuple[str, ...]
    legs_under: tuple[str, ...]
    spare: tuple[str, ...]
    nozzles: Mapping[str, str]
    renamed: Mapping[str, str]
    basis: str

    @cached_property
    def _nevers_of(self) -> dict[tuple[str, ...], tuple[Never, ...]]:
        return {}

    def nevers_of(self, acts: tuple[str, ...]) -> tuple[Never, ...]:
        """Rules that forbid any of these acts, in their order; looked up once for each set of acts."""
        found = self._nevers_of.get(acts)
        if found is None:
            found = self._nevers_of[acts] = tuple(rule for rule in self.nevers if rule.act in acts)
        return found

    def begins(self, reached: str, words: Collection[str]) -> frozenset[str]:
        """Facts that are so before the first step on a device with these words, which is open as far as `reached`."""
        facts = set(self.start[reached])
        for word, changed in self.start_built.get(reached, {}).items():
            for fact, so in changed if word in words else ():
                (facts.add if so else facts.discard)(fact)
        return frozenset(facts)

    def unit_of(self, step: WorkStep, setting: str) -> str:
        """The unit of a setting as a step has it: that of a nozzle says its shape too."""
        shape = self.nozzles.get(step.nozzle, "") if setting == NOZZLE else ""
        unit = self.settings[setting].unit
        return f"{unit} ({shape})" if shape else unit

    def acts_told(self, text: str) -> tuple[str, ...]:
        """The acts that the words of a text tell of, as whole words; capitals do not matter."""
        found = f" {' '.join(NO_WORD.split(text.casefold()))} "
        return tuple(act for act, kind in self.acts.items() if any(f" {w} " in found for w in kind.words))

    def materials(self) -> list[str]:
        """Everything that a step uses up, by any of the solders, each once."""
        found = [
            name
            for step in self.steps()
            for alloy in self.options.get(ALLOY, {})
            for name in step.soldered(alloy).materials
        ]
        return list(dict.fromkeys(found))

    def steps(self) -> Iterator[WorkStep]:
        """Every step there is."""
        for block in self.blocks.values():
            yield from block
        for options in self.options.values():
            for option in options.values():
                yield from option.steps


def literals(texts: tuple[str, ...]) -> tuple[Literal, ...]:
    """Read 'fact' as so and '!fact' as not so."""
    return tuple((text.removeprefix("!"), not text.startswith("!")) for text in texts)


def read_procedures(read: Reader) -> Procedures:
    """The rules and the steps."""
    plan, work = read.load("plan"), read.load("procedures")
    read.only(plan, "plan.toml", PLAN_KEYS)
    read.only(work, "procedures.toml", ("basis", "setting", "nozzle", "tool", "block", "option"))
    read.basis(work, "procedures.toml")
    frame = read.table(plan, "in_frame", "plan.toml")
    wet = read.table(plan, "solvents", "plan.toml")
    return Procedures(
        facts=_pairs(read, plan, "fact", "plan.toml"),
        start=_lists(read, plan, "start"),
        start_built={
            level: {word: literals(read.texts(raw, word, f"plan.toml [start_built.{level}]")) for word in raw}
            for level, raw in read.table(plan, "start_built", "plan.toml").items()
        },
        goals=tuple((name, bool(value)) for name, value in read.table(plan, "goal", "plan.toml").items()),
        lasting=read.texts(read.table(plan, "lasting", "plan.toml"), "facts", "plan.toml [lasting]"),
        undoes=_lists(read, plan, "undoes"),
        nevers=tuple(_never(read, raw, number) for number, raw in enumerate(plan.get("never", []), 1)),
        levels={
            name: read.row(LevelWork, raw, f"plan.toml [level.{name}]")
            for name, raw in read.table(plan, "level", "plan.toml").items()
        },
        slots={
            name: read.text(raw, "label", f"plan.toml [slot.{name}]")
            for name, raw in read.table(plan, "slot", "plan.toml").items()
        },
        options={
            slot: {name: _option(read, slot, name, raw) for name, raw in options.items()}
            for slot, options in read.table(work, "option", "procedures.toml").items()
        },
        blocks={
            name: _block(read, raw, f"procedures.toml [block.{name}]")
            for name, raw in read.table(work, "block", "procedures.toml").items()
        },
        recipes=_lists(read, plan, "recipe"),
        in_frame=read.texts(frame, "routes", "plan.toml [in_frame]"),
        in_frame_unless=read.texts(frame, "unless", "plan.toml [in_frame]"),
        after_test=_lists(read, plan, "after_test"),
        told=_lists(read, plan, "told"),
        solvents=read.texts(wet, "materials", "plan.toml [solvents]"),
        leaves=read.texts(wet, "leaves", "plan.toml [solvents]"),
        settings={name: SettingKind(*pair) for name, pair in _pairs(read, work, "setting", "procedures.toml").items()},
        tools={name: ToolKind(*found) for name, found in _kinds(read, work, "tool", "procedures.toml", 2).items()},
        acts={name: ActKind(*found) for name, found in _kinds(read, plan, "act", "plan.toml", 3).items()},
        first=read.texts(read.table(plan, "first", "plan.toml"), "blocks", "plan.toml [first]"),
        legs_under=read.texts(read.table(plan, "legs_under", "plan.toml"), "routes", "plan.toml [legs_under]"),
        spare=read.texts(read.table(plan, "spare", "plan.toml"), "slots", "plan.toml [spare]"),
        nozzles=_texts(read, work, "nozzle", "procedures.toml"),
        renamed=_texts(read, plan, "renamed", "plan.toml"),
        basis=read.basis(plan, "plan.toml"),
    )


def _lists(read: Reader, table: Table, key: str) -> dict[str, tuple[str, ...]]:
    found = read.table(table, key, "plan.toml")
    return {name: read.texts(found, name, f"plan.toml [{key}]") for name in found}


def _texts(read: Reader, table: Table, key: str, where: str) -> dict[str, str]:
    found = read.table(table, key, where)
    return {name: read.text(found, name, f"{where} [{key}]") for name in found}


def _pairs(read: Reader, table: Table, key: str, where: str) -> dict[str, tuple[str, str]]:
    found = read.table(table, key, where)
    out = {}
    for name in found:
        texts = read.texts(found, name, f"{where} [{key}]")
        if len(texts) != 2:
            read.say(f"{where} [{key}] {name}", "must be two texts")
            continue
        out[name] = (texts[0], texts[1])
    return out


def _kinds(read: Reader, table: Table, key: str, where: str, lists: int) -> dict[str, tuple[Any, ...]]:
    """Rows of a label and so many lists, each list one text of names that are parted by commas."""
    found, out = read.table(table, key, where), {}
    for name in found:
        texts = read.texts(found, name, f"{where} [{key}]")
        if len(texts) != lists + 1:
            read.say(f"{where} [{key}] {name}", f"must be what it is called and {lists} lists of names, each one text")
            continue
        out[name] = (texts[0], *(tuple(filter(None, text.split(", "))) for text in texts[1:]))
    return out


def _never(read: Reader, raw: Table, number: int) -> Never:
    where = f"plan.toml [[never]] {number}"
    read.only(raw, where, ("id", "act", "holds", "lacks", "says", "but"))
    holds = "holds" in raw
    return Never(
        id=read.text(raw, "id", where),
        act=read.text(raw, "act", where),
        fact=read.text(raw, "holds" if holds else "lacks", where),
        holds=holds,
        says=read.text(raw, "says", where),
        but=read.texts(raw, "but", where),
    )


def _option(read: Reader, slot: str, name: str, raw: Table) -> WorkOption:
    where = f"procedures.toml [option.{slot}.{name}]"
    return read.row(WorkOption, raw, where, ("step", "at"), id=name, steps=_steps(read, raw, where))


def _block(read: Reader, raw: Table, where: str) -> tuple[WorkStep, ...]:
    read.only(raw, where, ("step", "at"))
    return _steps(read, raw, where)


def _steps(read: Reader, raw: Table, where: str) -> tuple[WorkStep, ...]:
    steps = raw.get("step", [])
    at = read.text(raw, "at", where) if steps else ""
    return tuple(_step(read, step, f"{where}.step {number}", at) for number, step in enumerate(steps, 1))


def _step(read: Reader, raw: Table, where: str, at: str) -> WorkStep:
    facts = {key: literals(read.texts(raw, key, where)) for key in ("needs", "makes")}
    return read.row(WorkStep, raw, where, (*facts, "at"), at=read.text(raw, "at", where, at), **facts)


def suits(when: Iterable[str], unless: Iterable[str], words: Collection[str]) -> bool:
    """Whether a step or an option belongs to a device with those words; 'a+b' stands for both."""

    def so(asked: str) -> bool:
        return all(word in words for word in asked.split("+"))

    return all(map(so, when)) and not any(map(so, unless))
