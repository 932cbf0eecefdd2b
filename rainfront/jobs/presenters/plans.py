"""A plan of work in words, before it is chosen."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from chargepath.base.quantities import figure, shortest
from chargepath.knowledge import Knowledge
from chargepath.knowledge.wording import Caution
from chargepath.repair.layout import layout_of
from chargepath.repair.workplan import PHASES, Choice, Plan
from rainfront.stock.bench import states_of


@dataclass(frozen=True)
class AlternativeRow:
    """One way of doing a thing, with what it costs."""

    id: str
    label: str
    why: str
    figures: str
    picked: bool


@dataclass(frozen=True)
class ChoiceRow:
    """Something that can be done in several ways."""

    slot: str
    label: str
    why: str
    told: bool
    rows: Sequence[AlternativeRow]


def minutes_words(minutes: float, wait: float = 0.0) -> str:
    """Hands-on and waiting minutes in words, '' for none."""
    parts = [f"{minutes:.0f} min" if minutes >= 1 else "<1 min"] if minutes else []
    if wait:
        parts.append(f"{wait:.0f} min waiting")
    return " + ".join(parts)


def choice_rows(choices: Sequence[Choice]) -> list[ChoiceRow]:
    """The choices of a plan that leave something to choose."""
    out = []
    for choice in choices:
        rows = []
        for row in (choice.picked, *choice.others):
            words = [minutes_words(row.minutes, row.wait)]
            words += [f"{figure(row.option.harm * 100, 1)}% harm"] if row.option.harm else []
            words += [f"{figure(row.option.comeback * 100, 1, sign=True)}% come-backs"] if row.option.comeback else []
            option = row.option
            rows.append(
                AlternativeRow(
                    option.id, option.label, option.why, ", ".join(filter(None, words)), row is choice.picked
                )
            )
        out.append(ChoiceRow(choice.slot, choice.label, choice.why, choice.told, rows))
    return out


@dataclass(frozen=True)
class LayoutWords:
    """What has to lie on the bench, in words: each tool with settings, how long it is needed, and what is wrong with it
    at this bench ('' for nothing); what is used up, with the same.
    """

    tools: Sequence[tuple[str, str, str, str]]
    materials: Sequence[tuple[str, str]]
    minutes: str

    @property
    def used(self) -> list[str]:
        """What is used up, by name."""
        return [name for name, _ in self.materials]


def layout_words(plan: Plan, known: Knowledge, now: datetime, settled: Iterable[str] = ()) -> LayoutWords:
    """What the rest of a plan needs on the bench, as it stands there now."""
    found, kinds = layout_of(known.procedures, plan, settled), known.procedures.settings
    states = states_of([*(tool.label for tool in found.tools), *found.materials], now)
    tools = []
    for tool in found.tools:
        by_kind: dict[str, list[str]] = {}
        for name, value in tool.settings:
            by_kind.setdefault(name, []).append(shortest(value))
        sets = [f"{kinds[name].label} {', '.join(values)} {kinds[name].unit}" for name, values in by_kind.items()]
        tools.append((tool.label, "; ".join(sets), minutes_words(tool.minutes), states.get(tool.label, "")))
    materials = [(name, states.get(name, "")) for name in found.materials]
    return LayoutWords(tools, materials, minutes_words(found.minutes, found.wait))


@dataclass(frozen=True)
class PlanWords:
    """A plan before it is chosen: its phases with their steps, in words and minutes."""

    phases: Sequence[tuple[str, str, Sequence[str]]]
    choices: Sequence[ChoiceRow]
    wait: str
    materials: str
    cautions: Sequence[Caution]


def plan_words(plan: Plan, known: Knowledge) -> PlanWords:
    """What is going to be done, for the page that commits to it."""
    phases: list[tuple[str, str, list[str]]] = []
    for row in plan.steps:
        label = PHASES[row.phase]
        if not phases or phases[-1][0] != label:
            phases.append((label, "", []))
        phases[-1][2].append(row.step.do)
    named = []
    start = 0
    for label, _, texts in phases:
        part = plan.steps[start : start + len(texts)]
        start += len(texts)
        minutes = minutes_words(sum(row.step.minutes for row in part), sum(row.step.wait for row in part))
        named.append((label, minutes, texts))
    cautions = dict.fromkeys(name for row in plan.steps for name in row.step.cautions)
    return PlanWords(
        named,
        choice_rows(plan.choices),
        f"{plan.wait:.0f} min" if plan.wait else "",
        ", ".join(plan.materials),
        [known.cautions[name] for name in cautions],
    )
