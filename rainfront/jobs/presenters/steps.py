"""A plan of work while it is run: one step large, the rest as a list, timers, choices."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from chargepath.base.quantities import figure
from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.procedures import WorkStep
from chargepath.knowledge.wording import Caution
from chargepath.repair.workplan import PHASES, Choice, Plan, PlannedStep, facts_in_words
from rainfront.jobs.actions.work import steps_now
from rainfront.jobs.models import Entry, Repair, StepRun, Timer
from rainfront.jobs.planning import before_test
from rainfront.jobs.presenters.card import Answer, answers_of
from rainfront.jobs.presenters.words import entry_words
from rainfront.web.words import counted

# What a basis of the knowledge is called.
BASES = {"practice": "Common practice", "memory": "From memory"}


@dataclass(frozen=True)
class SettingFigure:
    """One setting in large figures."""

    label: str
    value: str
    unit: str


@dataclass(frozen=True)
class TimerRow:
    """A wait that runs."""

    step: str
    text: str
    due_at: datetime
    over: bool
    minutes_left: int


@dataclass(frozen=True)
class StepRow:
    """One line of the list: `state` is done, skipped, now or left."""

    id: str
    text: str
    phase: str
    state: str
    minutes: str
    note: str = ""


@dataclass(frozen=True)
class StepNow:
    """The step that fills the screen."""

    id: str
    number: int
    text: str
    phase: str
    settings: Sequence[SettingFigure]
    minutes: str
    wait: str
    tools: str
    check: str
    fails: str
    needs: str
    cautions: Sequence[Caution]
    screws: str
    answers: Sequence[Answer]
    said: str
    timer: TimerRow | None
    school: str


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


@dataclass(frozen=True)
class StepsPage:
    """Everything on the page of a plan that is run."""

    route: Route
    closing: bool
    rows: Sequence[StepRow]
    now: StepNow | None
    step: WorkStep | None
    last: str
    timers: Sequence[TimerRow]
    choices: Sequence[ChoiceRow]
    done: int
    left: str
    materials: str
    basis: str


def minutes_words(minutes: float, wait: float = 0.0) -> str:
    """Hands-on and waiting minutes in words, '' for none."""
    parts = [f"{minutes:.0f} min" if minutes >= 1 else "<1 min"] if minutes else []
    if wait:
        parts.append(f"{wait:.0f} min waiting")
    return " + ".join(parts)


def figures_of(known: Knowledge, settings: Mapping[str, float]) -> list[SettingFigure]:
    """Settings with their words and units."""
    found = known.procedures.settings
    return [SettingFigure(found[name].label, f"{value:g}", found[name].unit) for name, value in settings.items()]


def timer_row(timer: Timer, text: str, now: datetime) -> TimerRow:
    """A running wait as it stands now."""
    left = (timer.due_at - now).total_seconds() / 60
    return TimerRow(timer.step, text, timer.due_at, left <= 0, max(math.ceil(left), 0))


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


def steps_page(
    repair: Repair,
    plan: Plan,
    runs: Mapping[str, StepRun],
    timers: Sequence[Timer],
    evidence: Sequence[Entry],
    known: Knowledge,
    now: datetime,
    wanted: str = "",
) -> StepsPage:
    """The plan of a repair as far as it is run, `wanted` the step that a person has jumped to."""
    steps = steps_now(repair, plan)
    ids = [row.step.id for row in steps]
    current = wanted if wanted in ids else next((name for name in ids if name not in runs), "")
    texts = {row.step.id: row.step.do for row in plan.steps}
    running = [timer_row(timer, texts.get(timer.step, ""), now) for timer in timers]
    rows = []
    for row in steps:
        run = runs.get(row.step.id)
        state = "now" if row.step.id == current else "left"
        if run is not None and row.step.id != current:
            state = "done" if run.done_at else "skipped"
        note = (run.skipped or run.note) if run else ""
        rest = f"+{row.step.wait:.0f} min" if row.step.wait else ""
        minutes = minutes_words(row.step.minutes).replace(" min", rest) if rest else minutes_words(row.step.minutes)
        minutes = minutes or rest.lstrip("+")
        rows.append(StepRow(row.step.id, row.step.do, PHASES[row.phase], state, minutes, note))
    left = [row.step for row in steps if row.step.id not in runs]
    settled = [name for name in ids if name in runs]
    since = {entry.name: entry for entry in evidence if entry.at >= repair.chosen_at}
    planned = next((row for row in steps if row.step.id == current), None)
    return StepsPage(
        route=known.routes[repair.route],
        closing=not repair.is_open,
        rows=rows,
        now=_now(planned, ids.index(current) + 1, running, since, known, plan) if planned else None,
        step=planned.step if planned else None,
        last=settled[-1] if settled else "",
        timers=running,
        choices=choice_rows(plan.choices),
        done=len(settled),
        left=minutes_words(sum(step.minutes for step in left), sum(step.wait for step in left)),
        materials=", ".join(plan.materials),
        basis=BASES.get(known.procedures.basis, known.procedures.basis),
    )


def _now(
    row: PlannedStep,
    number: int,
    running: Sequence[TimerRow],
    since: Mapping[str, Entry],
    known: Knowledge,
    plan: Plan,
) -> StepNow:
    step = row.step
    check, found = known.checks.get(step.record), since.get(step.record)
    choice = next((choice for choice in plan.choices if choice.slot == row.slot), None)
    return StepNow(
        id=step.id,
        number=number,
        text=step.do,
        phase=PHASES[row.phase],
        settings=figures_of(known, step.settings),
        minutes=minutes_words(step.minutes),
        wait=f"{step.wait:g} min" if step.wait else "",
        tools=", ".join((*step.tools, *step.materials)),
        check=step.check,
        fails=step.fails,
        needs="; ".join(facts_in_words(known.procedures, step.needs)),
        cautions=[known.cautions[name] for name in step.cautions],
        screws=step.screws,
        answers=answers_of(check) if check else (),
        said=entry_words(found, None, known).text if found else "",
        timer=next((timer for timer in running if timer.step == step.id), None),
        school=f"{choice.label}: {choice.picked.option.label.lower()}" if choice else "",
    )


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


def closing_words(repair: Repair, plan: Plan, runs: Mapping[str, StepRun]) -> str:
    """What is left to do before a device that charges again is handed over, '' for nothing."""
    left = [row for row in steps_now(repair, plan) if row.step.id not in runs]
    begun = any(row.step.id in runs for row in before_test(plan))
    return f"{counted(len(left), 'step')} left" if left and begun else ""
