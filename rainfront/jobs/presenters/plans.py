"""A plan of work in words, before it is chosen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import figure
from chargepath.knowledge import Knowledge
from chargepath.knowledge.wording import Caution
from chargepath.repair.workplan import PHASES, Choice, Plan


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
