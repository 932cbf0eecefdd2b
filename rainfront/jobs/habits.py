"""Why to stop and ask, and what a habit would do on a job, in words."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.decision.schools import Habit, follow_school
from rainfront.jobs.adapters import Judgement
from rainfront.jobs.models import Job
from rainfront.jobs.words import money

VERBS = {"check": "Check", "try": "Try", "repair": "Repair"}


@dataclass(frozen=True)
class HabitRow:
    """One school on a job."""

    id: str
    label: str
    about: str
    step: str
    costs: str
    dearer: bool
    chosen: bool
    same: bool


def hold_words(job: Job, judged: Judgement, currency: str) -> str:
    """Why to stop and ask before what comes next, '' where nothing stands against it."""
    quote = money(judged.advice.quote, currency)
    if judged.advice.hold == "limit":
        limit = money(float(job.limit or 0), currency)
        return (
            f"What comes next would bring the bill to about {quote}, over the customer's limit of {limit}. Ask first."
        )
    if judged.advice.hold == "not worth":
        worth = money(float(job.value), currency)
        return f"The repair would be quoted at about {quote}; the device is worth {worth}. Ask whether it is worth it."
    return ""


def habits_of(job: Job, judged: Judgement) -> list[Habit]:
    """Every school on a job."""
    limit = float(job.limit) if job.limit is not None else None
    schools = judged.belief.model.known.schools.values()
    return [
        follow_school(judged.belief, judged.prices, school, judged.advice, limit=limit, spent=judged.spent)
        for school in schools
    ]


def habit_of(job: Job, judged: Judgement, currency: str, school: str) -> HabitRow | None:
    """The habit that is followed on a job, None where the advice is."""
    found = judged.belief.model.known.schools.get(school)
    if found is None:
        return None
    limit = float(job.limit) if job.limit is not None else None
    habit = follow_school(judged.belief, judged.prices, found, judged.advice, limit=limit, spent=judged.spent)
    return habit_row(judged, currency, habit, school)


def habit_row(judged: Judgement, currency: str, habit: Habit, followed: str) -> HabitRow:
    """One school on a job, in words."""
    known, step, advised = judged.belief.model.known, habit.step, judged.advice.next
    name = known.checks[step.id].label if step.kind == "check" else known.routes[step.id].label
    if abs(habit.costs) < 0.5:
        costs = "costs nothing here"
    else:
        costs = f"{'costs' if habit.costs > 0 else 'saves'} {money(abs(habit.costs), currency)} here"
    school = habit.school
    return HabitRow(
        school.id, school.label, school.about, f"{VERBS[step.kind]}: {name}", costs, habit.costs >= 0.5,
        school.id == followed, (step.kind, step.id) == (advised.kind, advised.id),
    )  # fmt: skip
