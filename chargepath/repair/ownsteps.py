"""A shop's own steps, hung onto the steps that ship: before one, after it, or instead of it.

They come into every plan of a device that they are for. A plan with them is held to the same rules as one without, so
that a step which would make it wrong is found before anybody works by it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.procedures import Literal, WorkStep
from chargepath.knowledge.traits import built
from chargepath.repair.checker import Flaw, flaws
from chargepath.repair.workplan import Plan, PlannedStep, after, make_plan

# What an act leaves behind, where the step itself does not say so.
LEAVES: Mapping[str, tuple[Literal, ...]] = {"solvent": (("solvent", True),), "hot_air": (("hot", True),)}


# Minutes below which a difference is that of rounding [min].
LEAST = 1e-6


class Goes(StrEnum):
    """Where a step of the shop's own goes, seen from the step that it hangs on."""

    BEFORE = "before"
    AFTER = "after"
    INSTEAD = "instead"


@dataclass(frozen=True, kw_only=True)
class OwnStep:
    """One step of the shop's own.

    Attributes
    ----------
    id : str
        Its own id, which no shipped step has.
    at : str
        Id of the shipped step that it hangs on.
    side : Goes
    do, check, fails : str
        What to do, what to look at, and what to do where it is not so.
    minutes, wait : float
        Hands on, and what the device waits by itself [min].
    settings : mapping of setting to float
        In the unit of each.
    tools, materials, cautions : tuple of str
    acts : tuple of str
        What it does, as the rules of the plan name it.
    kind, model : str
        The kind of device or the model that it is for; '' for all.
    needs, makes : tuple of (fact, bool)
        What must be so before it, and what is so after it, beside what its acts leave behind.

    """

    id: str
    at: str
    side: Goes
    do: str
    check: str = ""
    fails: str = ""
    minutes: float = 0.0
    wait: float = 0.0
    settings: Mapping[str, float] = field(default_factory=dict)
    tools: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    acts: tuple[str, ...] = ()
    kind: str = ""
    model: str = ""
    needs: tuple[Literal, ...] = ()
    makes: tuple[Literal, ...] = ()

    def __hash__(self) -> int:
        return hash(self.id)

    def is_for(self, kind: str, model: str) -> bool:
        """Whether it belongs into the plans of a device of that kind and model; capitals do not matter."""
        return self.kind in ("", kind) and self.model.casefold() in ("", model.casefold())

    def beside(self, step: WorkStep) -> WorkStep:
        """The step as it stands in a plan at the shipped step.

        One that comes instead keeps the id, the facts, the acts, the reading and the screws of the shipped step, and
        its cautions beside its own: it does the same in another way. What it leaves empty is as it ships.
        """
        if self.side is not Goes.INSTEAD:
            return WorkStep(
                id=self.id,
                do=self.do,
                minutes=self.minutes,
                wait=self.wait,
                settings=self.settings,
                tools=self.tools,
                materials=self.materials,
                cautions=self.cautions,
                acts=self.acts,
                needs=self.needs,
                makes=(*_leaves(self.acts), *self.makes),
                check=self.check,
                fails=self.fails,
                at=step.at,
            )
        return replace(
            step,
            do=self.do,
            minutes=self.minutes,
            wait=max(self.wait, step.wait),
            settings={**step.settings, **self.settings},
            tools=self.tools or step.tools,
            materials=self.materials or step.materials,
            cautions=tuple(dict.fromkeys((*step.cautions, *self.cautions))),
            acts=tuple(dict.fromkeys((*step.acts, *self.acts))),
            needs=tuple(dict.fromkeys((*step.needs, *self.needs))),
            makes=tuple(dict.fromkeys((*step.makes, *self.makes))),
            check=self.check or step.check,
            fails=self.fails or step.fails,
        )


def beside_dangers(own: Iterable[OwnStep]) -> list[OwnStep]:
    """Own steps that stay in a plan while a danger stands: those that do nothing which a danger could forbid.

    Such a plan is the shipped one, held to the dangers: nothing of the shop's comes instead of its steps, and nothing
    pries, warms, solders, wets or powers beside them.
    """
    return [one for one in own if one.side is not Goes.INSTEAD and not one.acts]


def with_own(plan: Plan, own: Iterable[OwnStep]) -> Plan:
    """A plan with the shop's own steps, each at every place of the shipped step that it hangs on."""
    by_step: dict[str, list[OwnStep]] = {}
    for one in own:
        by_step.setdefault(one.at, []).append(one)
    if not by_step:
        return plan
    rows: list[PlannedStep] = []
    for row in plan.steps:
        mine = by_step.get(row.step.id, ())
        instead = next((one for one in reversed(mine) if one.side is Goes.INSTEAD), None)
        here = replace(row, step=instead.beside(row.step), own=instead.id) if instead else row
        rows += [_beside(row, one) for one in mine if one.side is Goes.BEFORE]
        rows.append(here)
        rows += [_beside(row, one) for one in mine if one.side is Goes.AFTER]
    return replace(plan, steps=tuple(rows))


def own_minutes(
    known: Knowledge, device: Device, own: Sequence[OwnStep], picks: Mapping[str, str] | None = None
) -> Mapping[str, float]:
    """Minutes that own steps add to repairs and to opening, by the keys of prices [min]; below 0 where they save some.

    A step that hangs on the opening of a level counts with that level, whatever is repaired then.
    """
    if not own:
        return {}
    plain = replace(device, known_good_a=None)
    return _own_minutes(known, plain, tuple(own), tuple(sorted((picks or {}).items())))


@lru_cache(maxsize=256)
def _own_minutes(
    known: Knowledge, device: Device, own: tuple[OwnStep, ...], picks: tuple[tuple[str, str], ...]
) -> Mapping[str, float]:
    has = built(known.traits, device.kind, device.traits)
    out: dict[str, float] = {}
    for route in known.procedures.recipes:
        if not known.routes[route].fits(device.carrier, has, wireless=device.wireless):
            continue
        plan = make_plan(known, device, route, picks=dict(picks))
        more: dict[str, float] = {}
        for sign, rows in ((1, with_own(plan, own).steps), (-1, plan.steps)):
            for row in rows:
                key = f"open:{row.level}" if row.level else f"route:{route}"
                more[key] = more.get(key, 0.0) + sign * row.step.minutes
        for key, minutes in more.items():
            if abs(minutes) > LEAST and (key not in out or abs(minutes) > abs(out[key])):
                out[key] = minutes
    return out


def _beside(row: PlannedStep, own: OwnStep) -> PlannedStep:
    return PlannedStep(own.beside(row.step), row.phase, row.level, row.slot, own=own.id)


@dataclass(frozen=True)
class Beyond:
    """A setting of an own step that no shipped step stands for: nothing ticked makes it (`most` None), or over the
    highest that a shipped step of the same act sets.
    """

    setting: str
    most: float | None


def beyond(known: Knowledge, own: OwnStep) -> Beyond | None:
    """The first setting of an own step that goes beyond what the shipped steps set; None where every one is covered.

    What heats or puts power in belongs to an act, so that the rules of the plan and the dangers see it; and it is never
    more than the highest shipped value of a step that does the same. One that comes instead has its step's acts too.
    """
    work = known.procedures
    acts = set(own.acts)
    for step in work.steps():
        if own.side is Goes.INSTEAD and step.id == own.at:
            acts |= {
                *step.acts,
                *(name for name, kind in work.acts.items() if set(kind.settings) & step.settings.keys()),
            }
    for name, value in own.settings.items():
        makers = {act for act, kind in work.acts.items() if name in kind.settings}
        if makers and not makers & acts:
            return Beyond(name, None)
        setters = [step for step in work.steps() if name in step.settings]
        alike = [step for step in setters if set(step.acts) & acts & makers] or setters
        most = max((step.settings[name] for step in alike), default=None)
        if most is not None and value > most:
            return Beyond(name, most)
    return None


def lifts(known: Knowledge, own: OwnStep, others: Iterable[OwnStep], devices: Iterable[Device]) -> Literal | None:
    """The first fact in `makes` of an own step that would switch a rule of the plan off; None where none does.

    What guards hands, device and joints is seen to by the steps that ship: nobody writes "the cell is disconnected" or
    "every joint was looked at" into a step of the shop's own. It may only take back what another own step has made or
    what is not so at its place in any plan, and waits as long for it as the quickest shipped step that does.
    """
    work = known.procedures
    made = {literal for other in others for literal in (*other.makes, *_leaves(other.acts))}
    for fact, so in own.makes:
        if not (any(rule.fact == fact and rule.holds != so for rule in work.nevers) or (fact, so) in work.goals):
            continue
        waits = min((step.wait for step in work.steps() if (fact, so) in step.makes), default=0.0)
        frees = (fact, not so) not in made and any((fact in facts) != so for facts in _facts_at(known, own, devices))
        if own.wait < waits or frees:
            return fact, so
    return None


def _facts_at(known: Knowledge, own: OwnStep, devices: Iterable[Device]) -> Iterator[set[str]]:
    """Facts that hold right where an own step comes, once for each plan that it comes into."""
    for device in devices:
        for plan in _plans_with(known, own.at, device):
            facts = set(plan.start)
            for row in plan.steps:
                if row.step.id == own.at and own.side is not Goes.AFTER:
                    yield facts
                facts = after(facts, row.step)
                if row.step.id == own.at and own.side is Goes.AFTER:
                    yield facts


def _leaves(acts: Iterable[str]) -> tuple[Literal, ...]:
    return tuple(fact for act in acts for fact in LEAVES.get(act, ()))


@dataclass(frozen=True)
class Wrong:
    """What a step of the shop's own makes wrong: in the plan of which route, on which device, and by which rule."""

    route: str
    device: Device
    flaw: Flaw


def wrong_with(known: Knowledge, own: Sequence[OwnStep], new: OwnStep, devices: Iterable[Device]) -> Wrong | None:
    """The first thing that a new step of the shop's own makes wrong in a plan; None where every plan stays right.

    Parameters
    ----------
    known : Knowledge
    own : sequence of OwnStep
        Those that the shop has already.
    new : OwnStep
    devices : iterable of Device
        What it is tried on: every route that suits each.

    """
    work, model = known.procedures, new.model
    for device in devices:
        before = [one for one in own if one.is_for(device.kind, model)]
        for plan in _plans_with(known, new.at, device):
            tried = with_own(plan, [*before, new])
            found = flaws(work, plan.start, [row.step for row in tried.steps])
            if not found:
                continue
            usual = with_own(plan, before)
            there = {(flaw.step, flaw.rule) for flaw in flaws(work, plan.start, [row.step for row in usual.steps])}
            for flaw in found:
                if (flaw.step, flaw.rule) not in there:
                    return Wrong(plan.route, device, flaw)
    return None


def comes_in(known: Knowledge, at: str, devices: Iterable[Device]) -> list[str]:
    """The routes whose plans have a shipped step on any of these devices, each once."""
    return list(dict.fromkeys(plan.route for device in devices for plan in _plans_with(known, at, device)))


def _plans_with(known: Knowledge, at: str, device: Device) -> Iterator[Plan]:
    """Plans of a device that have the step `at`; a step of one way of a choice is looked for with that way picked."""
    has = built(known.traits, device.kind, device.traits)
    options = known.procedures.options
    ways = {
        slot: way
        for slot, rows in options.items()
        for way, option in rows.items()
        if any(step.id == at for step in option.steps)
    }
    for route in known.procedures.recipes:
        if known.routes[route].fits(device.carrier, has, wireless=device.wireless):
            plan = make_plan(known, device, route, picks=ways)
            if any(row.step.id == at for row in plan.steps):
                yield plan
