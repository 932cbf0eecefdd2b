"""A device in layers while it is worked on: where each layer is, where the hand goes, what carries voltage.

Everything follows from the facts of a plan and from how the device is built. What is drawn of it is the business of
whoever draws.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.layers import SITE, DeviceLayer, LayerState, Where, WorkPlace
from chargepath.knowledge.procedures import suits
from chargepath.repair.checker import Flaw
from chargepath.repair.workplan import Plan, PlannedStep, after, words_of


@dataclass(frozen=True, kw_only=True)
class LayerNow:
    """A layer with where it is now, how that is said ('' where nobody needs it), and whether it carries voltage."""

    layer: DeviceLayer
    where: Where
    says: str
    live: bool


@dataclass(frozen=True, kw_only=True)
class DeviceView:
    """A device as somebody sees it who works on it.

    Attributes
    ----------
    words : frozenset of str
        How the device is built, as `when` of a step asks it.
    facts : frozenset of str
        What is so now.
    layers : mapping of id to LayerNow
        The layers that this device has, from the outermost inwards.
    place : WorkPlace or None
        Where the hands work; None where nobody works.
    conditions : mapping of fact to str
        What is so and concerns whoever touches the device, with its word in a drawing.

    """

    words: frozenset[str]
    facts: frozenset[str]
    layers: Mapping[str, LayerNow]
    place: WorkPlace | None
    conditions: Mapping[str, str]

    @property
    def is_open(self) -> bool:
        """Whether its cover or screen is off."""
        return "closed" not in self.facts

    @property
    def over(self) -> tuple[DeviceLayer, ...]:
        """The layers that lie over the place of the work and are still where they belong."""
        under = self.place.under if self.place else ()
        return tuple(now.layer for name, now in self.layers.items() if name in under and now.where == Where.IN)

    def where(self, layer: str) -> Where | None:
        """Where a layer is; None for a device without it."""
        now = self.layers.get(layer)
        return now.where if now else None


def view_of(known: Knowledge, device: Device, facts: Collection[str], at: str = "", route: str = "") -> DeviceView:
    """Where each layer of a device is while these facts are so, and where the hands work.

    Parameters
    ----------
    known : Knowledge
    device : Device
    facts : collection of str
        Facts of plan.toml that are so.
    at : str
        Place of the work, as a step names it; '' where nobody works.
    route : str
        The repair, which says where `at` = "site" is.

    """
    tables, words = known.layers, words_of(known, device)
    layers = {layer.id: _now(layer, facts, words) for layer in tables.layers if suits(layer.when, layer.unless, words)}
    place = tables.places.get(tables.sites.get(route, "") if at == SITE else at)
    return DeviceView(
        words=words,
        facts=frozenset(facts),
        layers=layers,
        place=place,
        conditions={fact: word for fact, word in tables.conditions.items() if fact in facts},
    )


def _now(layer: DeviceLayer, facts: Collection[str], words: Collection[str]) -> LayerNow:
    def holds(state: LayerState) -> bool:
        return suits(state.when, (), words) and all((fact in facts) == so for fact, so in state.needs)

    state = next(filter(holds, layer.states))
    return LayerNow(
        layer=layer, where=Where(state.where), says=state.says, live=any(fact in facts for fact in layer.live)
    )


def said_of(view: DeviceView, facts_in_words: Mapping[str, tuple[str, str]]) -> list[str]:
    """What a drawing of the device says, aloud: first what can hurt, then the layers from the outermost inwards.

    A closed device hides its layers, so that only cover and conditions are said of it. `facts_in_words` gives how each
    fact is said while it is so, and while it is not.
    """
    conditions = [facts_in_words[fact][0] for fact in view.conditions]
    seen = [now for name, now in view.layers.items() if view.is_open or name in ("cover", "screen", "sim")]
    return [*conditions, *(now.says for now in seen if now.says)]


def facts_at(plan: Plan, settled: Iterable[str]) -> frozenset[str]:
    """Facts that are so once these steps of a plan are settled, in the order of the plan."""
    facts, done = set(plan.start), set(settled)
    for row in plan.steps:
        if row.step.id in done:
            facts = after(facts, row.step)
    return frozenset(facts)


def views_along(known: Knowledge, device: Device, plan: Plan) -> Iterator[tuple[PlannedStep, DeviceView]]:
    """Each step of a plan, with a view of the device as it lies just before the step is done."""
    facts: Collection[str] = plan.start
    for row in plan.steps:
        yield row, view_of(known, device, facts, row.step.at, plan.route)
        facts = after(facts, row.step)


def covered(known: Knowledge, device: Device, plan: Plan) -> list[Flaw]:
    """The steps of a plan that work where a layer still lies over the place, in the order of the work."""
    return [
        Flaw(row.step.id, "covered", f"{view.over[0].label} still lies over {view.place.label}")
        for row, view in views_along(known, device, plan)
        if view.over and view.place
    ]
