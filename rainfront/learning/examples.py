"""Closed jobs as examples for the core: cases with outcomes, timings out of the log, come-backs out of reopenings."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from typing import Any

from chargepath.case.entries import Case, Device
from chargepath.knowledge import Knowledge
from chargepath.learning.examples import Example, Timing
from chargepath.repair.figures import planned_minutes
from chargepath.repair.workplan import make_plan
from rainfront.jobs.adapters import case_of
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.querysets import JobQuerySet


def examples_of(job: Job, known: Knowledge) -> list[Example]:
    """One closed job as examples: a job that was reopened came back, and teaches that about what was done before."""
    rows = job.log
    standing = [row for row in rows if row.is_evidence and row.struck_at is None]
    case = case_of(job, known, standing)
    again = next((row for row in rows if row.name == "reopen"), None)
    timings = tuple(timings_of(rows, list(job.repairs.all()), case.device, known))
    # A device that came back under a number of its own, with the old trouble: what was done last has not held.
    back = any(later.same_trouble for later in job.came_back_as.all())
    if again is None:
        return [Example(case, timings, job.model_name, came_back=back)]
    before = sum(row.pk < again.pk for row in standing)
    first = Example(_part(case, 0, before), (), job.model_name, came_back=True, counts=False)
    return [first, Example(_part(case, before, None), timings, job.model_name, came_back=back)]


def _part(case: Case, start: int, stop: int | None) -> Case:
    return replace(case, events=case.events[start:stop])


def timings_of(rows: list[Entry], repairs: list[Any], device: Device, known: Knowledge) -> list[Timing]:
    """Minutes between two entries of one person stand for the second where nothing had to be opened.

    Repairs by their own. What was struck out teaches nothing, nor does what followed it: nobody knows how long it took.
    """
    out: list[Timing] = []
    reached = 0
    last: tuple[datetime, int] | None = None
    for row in rows:
        if row.struck_at is not None:
            last = None
            continue
        if row.kind == Entry.EntryKind.CHECK and row.name in known.checks:
            level = known.access[known.checks[row.name].access].level
            if last is not None and last[1] == row.by_id and level <= reached:
                out.append(Timing(f"check:{row.name}", (row.at - last[0]).total_seconds() / 60, str(row.by_id)))
            reached = max(reached, level)
        last = (row.at, row.by_id)
    struck = {row.pk for row in rows if row.struck_at is not None}
    for repair in repairs:
        if repair.finished_at and not repair.dropped_at and repair.entry_id not in struck:
            by_steps = _by_steps(repair, device, known)
            whole = {f"route:{repair.route}": (repair.finished_at - repair.chosen_at).total_seconds() / 60}
            out += [Timing(key, minutes, str(repair.chosen_by_id)) for key, minutes in (by_steps or whole).items()]
    return out


def _by_steps(repair: Any, device: Device, known: Knowledge) -> dict[str, float]:
    """Minutes of the work and of each level that was opened and closed, by its steps, said for the device that the
    knowledge's minutes are said for.

    Empty where the steps were not run one by one; a level counts where every step of it was. Waits that a timer ran for
    are not in them.
    """
    took = {run.step: run.seconds / 60 for run in repair.steps.all() if run.done_at and run.seconds}
    if not took or repair.route not in known.procedures.recipes:
        return {}
    plan = make_plan(known, device, repair.route, repair.reached, repair.picks, repair.dangers)
    here, out = planned_minutes(known, device), {}
    own = [row.step.id for row in plan.steps if not row.level and row.step.id in took]
    if own:
        key = f"route:{repair.route}"
        out[key] = sum(took[step] for step in own) * _share(known.routes[repair.route].minutes, here.get(key))
    for level in {row.level for row in plan.steps if row.level and row.phase == "open"}:
        steps = [row.step.id for row in plan.steps if row.level == level]
        key, known_level = f"open:{level}", known.access[level]
        if known_level.level > known.access[repair.reached].level and all(step in took for step in steps):
            out[key] = sum(took[step] for step in steps) * _share(known_level.open_minutes, here.get(key))
    return out


def _share(said: float, here: float | None) -> float:
    """Minutes as they are said over those of the plan for this device."""
    return said / here if here else 1.0


def examples_due() -> JobQuerySet:
    """Jobs whose example has changed since it was last counted, with the rows that the example is made of."""
    found: JobQuerySet = Job.objects.filter(example_due__gt=0).order_by("pk")
    return found.prefetch_related("entries", "repairs__steps", "came_back_as")
