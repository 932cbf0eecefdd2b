"""A plan of work while it is run: one step large, the rest as a list, timers, choices."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from chargepath.base.quantities import shortest
from chargepath.base.sentences import clause, inside
from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.procedures import ALLOY, WorkStep
from chargepath.knowledge.wording import Caution
from chargepath.repair.guards import Guard, GuardKind
from chargepath.repair.layers import facts_at
from chargepath.repair.workplan import PHASES, Plan, PlannedStep, alloy_at, facts_in_words
from rainfront.jobs.models import Entry, Job, Repair
from rainfront.jobs.planning import before_test
from rainfront.jobs.presenters.card import Answer, answers_of
from rainfront.jobs.presenters.plans import ChoiceRow, choice_rows, minutes_words
from rainfront.jobs.presenters.words import entry_words
from rainfront.web.verdicts import guard_words
from rainfront.web.words import counted
from rainfront.work.actions.steps import steps_now
from rainfront.work.models import StepRun, Timer

# What a basis of the knowledge is called.
BASES = {"practice": "Common practice", "memory": "From memory"}
# Why a step that guards something asks, and the usual reasons for passing it, one press each.
OTHERWISE = {
    GuardKind.WAIT: "What is still wet, hot or soft at the next step shows only once it is damaged.",
    GuardKind.READING: "Press above what the meter shows. A short that nobody measured burns once power comes.",
    GuardKind.OFF: "Power onto a low or open line burns what is left, or proves nothing. Press Not so, and look again.",
    GuardKind.CELL: "A tool that slips on a live board kills it.",
    GuardKind.SCREWS: "A screw that is left over lies on the board or under the battery.",
}
REASONS = {
    GuardKind.WAIT: ("It has waited, ticked off late", "Looked at: it is ready already"),
    GuardKind.READING: ("It cannot be measured here",),
    GuardKind.OFF: ("It reads so on a good board too",),
    GuardKind.CELL: ("It is off",),
    GuardKind.SCREWS: ("Counted, none is left over",),
}


# What a step of the shop's own is called, and one that ships and is worded by the shop.
OWN_WORDS = {True: "A step of our own.", False: "In our own way."}


@dataclass(frozen=True)
class SettingFigure:
    """One setting in large figures."""

    label: str
    value: str
    unit: str
    why: str


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
    part: str
    state: str
    minutes: str
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What is asked before a step that guards a person or the device is passed.

    Attributes
    ----------
    says, otherwise : sequence of str
        What is open, and what happens otherwise, a sentence each.
    act : str
        What the buttons do, as the form says it: this step, or all that are left.
    reasons : sequence of str
        Usual reasons, one press each.

    """

    says: Sequence[str]
    otherwise: Sequence[str]
    act: str
    reasons: Sequence[str]


def asked_of(guards: Sequence[Guard], act: str) -> Asked | None:
    """The question of a step at which something is open, None where nothing is.

    `act` is what was pressed; one that ends before the kinds of guards gets them, since it goes on over many steps.
    """
    kinds = [guard.kind for guard in guards]
    return (
        Asked(
            says=[guard_words(guard) for guard in guards],
            otherwise=[OTHERWISE[kind] for kind in kinds],
            act=f"{act}{'+'.join(kinds)}" if act.endswith((" ", ":")) else act,
            reasons=[text for kind in kinds for text in REASONS[kind]],
        )
        if guards
        else None
    )


@dataclass(frozen=True)
class StepNow:
    """The step that fills the screen. `solders` are the alloys to choose from: (form value, label, whether chosen)."""

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
    own: str
    own_id: str
    solders: Sequence[tuple[str, str, bool]]


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


def figures_of(known: Knowledge, step: WorkStep) -> list[SettingFigure]:
    """Settings of a step with their words and units."""
    found, why = known.procedures.settings, known.reasons.settings
    return [
        SettingFigure(found[name].label, shortest(value), known.procedures.unit_of(step, name), why[name])
        for name, value in step.settings.items()
    ]


def timer_row(timer: Timer, text: str, now: datetime) -> TimerRow:
    """A running wait as it stands now."""
    left = (timer.due_at - now).total_seconds() / 60
    return TimerRow(timer.step, text, timer.due_at, left <= 0, max(math.ceil(left), 0))


def sent_back_by(job: Job, repair: Repair) -> str:
    """What the proof that failed last said as it led back into this repair; '' once the repair is finished again."""
    if repair.finished_at is not None:
        return ""
    said = next((row for row in reversed(job.log) if row.name in ("back", "choose")), None)
    return str(said.text) if said is not None and said.name == "back" else ""


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
        rows.append(
            StepRow(
                id=row.step.id,
                text=clause(row.step.do),
                phase=PHASES[row.phase],
                part=row.phase,
                state=state,
                minutes=minutes,
                note=note,
            )
        )
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
        settings=figures_of(known, step),
        minutes=minutes_words(step.minutes),
        wait=f"{step.clock_min:g} min" if step.clock_min else "",
        tools=", ".join((*step.tools, *step.materials)),
        check=step.check,
        fails=step.fails,
        needs="; ".join(facts_in_words(known.procedures, step.needs)),
        cautions=[known.cautions[name] for name in step.cautions],
        screws=step.screws,
        answers=answers_of(check) if check else (),
        said=entry_words(found, None, known).text if found else "",
        timer=next((timer for timer in running if timer.step == step.id), None),
        own=OWN_WORDS[row.own == step.id] if row.own else "",
        own_id=row.own,
        school=f"{choice.label}: {inside(choice.picked.option.label)}" if choice else "",
        solders=[
            (f"{alloy_at(step.id)} {name}", known.procedures.options[ALLOY][name].label, name == row.alloy)
            for name in row.alloys
        ]
        if len(row.alloys) > 1
        else (),
    )


def facts_done(plan: Plan, runs: Mapping[str, StepRun]) -> frozenset[str]:
    """Facts of a device after the steps that were done.

    A step that was left out changes nothing: a battery that nobody took off is still connected, whatever the reason.
    """
    return facts_at(plan, [step for step, run in runs.items() if run.done_at])


def closing_words(repair: Repair, plan: Plan, runs: Mapping[str, StepRun]) -> str:
    """What is left to do before a device that charges again is handed over, '' for nothing."""
    left = [row for row in steps_now(repair, plan) if row.step.id not in runs]
    begun = any(row.step.id in runs for row in before_test(plan))
    return f"{counted(len(left), 'step')} left" if left and begun else ""
