"""Why to stop and ask, and what a habit would do on a job, in words."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.decision.schools import Habit
from chargepath.knowledge.book import HAND_OVER
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.card import VERBS


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


def hold_words(basis: Basis) -> str:
    """Why to stop and ask before what comes next, '' where nothing stands against it."""
    quote, job = basis.money(basis.advice.quote), basis.job
    if basis.advice.hold == "limit":
        limit = basis.money(float(job.limit or 0))
        done = f" ({basis.earlier} of it done already)" if basis.earlier else ""
        if job.is_own:
            return (
                f"What comes next would bring the cost of the repair to about {quote}{done}; until it is sold it may"
                f" cost {limit}. Is it still worth it?"
            )
        bill = f"What comes next would bring the bill to about {quote}{done}"
        return f"{bill}, over the customer's limit of {limit}. Ask first."
    if basis.advice.hold == "not worth":
        worth = basis.money(float(job.value))
        if job.is_own:
            return f"The repair would cost about {quote}; the device sells for {worth}. Is it worth it?"
        return f"The repair would be quoted at about {quote}; the device is worth {worth}. Ask whether it is worth it."
    return ""


def followed_habit(basis: Basis) -> HabitRow | None:
    """The habit that is followed on the job, None where the advice is."""
    school = basis.judged.school
    return habit_row(basis, basis.core.habit(school)) if school else None


def habit_rows(basis: Basis) -> list[HabitRow]:
    """Every school on the job."""
    return [habit_row(basis, habit) for habit in basis.core.habits.values()]


def habit_row(basis: Basis, habit: Habit) -> HabitRow:
    """One school on the job, in words."""
    step, advised, school = habit.step, basis.advice.next, habit.school
    costs = "costs nothing here"
    if abs(habit.costs) >= 0.5:
        costs = f"{'costs' if habit.costs > 0 else 'saves'} {basis.money(abs(habit.costs))} here"
    return HabitRow(
        id=school.id,
        label=school.label,
        about=school.about,
        step="Hand it over" if step.kind == HAND_OVER else f"{VERBS[step.kind]}: {basis.label(step)}",
        costs=costs,
        dearer=habit.costs >= 0.5,
        chosen=school.id == basis.judged.school,
        same=(step.kind, step.id) == (advised.kind, advised.id),
    )
