"""Ticking steps off: done or left out, one by one or all that are left; what guards the device asks once before."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import CheckEvent
from chargepath.grading.readings import grade_event
from chargepath.repair.guards import Guard, GuardKind, guards_of
from chargepath.repair.workplan import PlannedStep
from rainfront.jobs.adapters import device_of, event_of
from rainfront.jobs.models import Entry, Repair, Stage
from rainfront.jobs.planning import after_test
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.web.secrets import refuse_unlock_code
from rainfront.web.verdicts import guard_words
from rainfront.web.words import counted
from rainfront.work.actions.steps import AtWork, at_work, steps_now
from rainfront.work.models import Screw
from rainfront.workshop.adapters import Shop

# A step that took longer than this is recorded as this long: the device lay over night meanwhile [s].
LONGEST_S = 24 * 3600


class GuardError(JobError):
    """A step guards a person or the device, and something is open at it; a reason passes it.

    Attributes
    ----------
    guards : tuple of Guard

    """

    def __init__(self, row: PlannedStep, guards: tuple[Guard, ...]) -> None:
        said = " ".join(guard_words(guard) for guard in guards)
        super().__init__(f"{row.step.do} {said.rstrip('.')}", "step", "say why it is passed all the same")
        self.guards = guards


@dataclass(frozen=True, kw_only=True)
class Ticked:
    """What `do_rest` came to.

    Attributes
    ----------
    at : AtWork
    count : int
        How many steps were marked as done.
    step : str
        The step that comes next, '' where every step is done.
    guards : tuple of Guard
        What is open at it.
    refused : str
        Why it may not be done now, '' where it may.

    """

    at: AtWork
    count: int
    step: str = ""
    guards: tuple[Guard, ...] = ()
    refused: str = ""


def do_step(
    repair: Repair | int,
    step: str,
    *,
    note: str = "",
    skipped: str = "",
    used: str | None = None,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> AtWork:
    """Mark a step as done, with what was done otherwise, or skip it with a reason.

    How long it took goes by the clock, from the step that was settled before it, without the wait that a timer ran for.

    Parameters
    ----------
    repair : Repair or int
        The repair, or the key of a job: what is being worked on there.
    note : str
        What was done otherwise; at a step that guards a person or the device, why it is passed.

    Raises
    ------
    NoRepairError, JobError
        Nothing is being worked on, there is no such step now, or the repair is over.
    GuardError
        Something is open at a step that guards a person or the device, and there is no note.
    DangerError
        A danger forbids what the step puts into the device.
    UnlockCodeError
        A text seems to hold an unlock code.

    """
    note, skipped = note.strip()[:300], skipped.strip()[:300]
    for name, text in (("note", note), ("skipped", skipped), ("used", used or "")):
        refuse_unlock_code(text, name)
    own = repair if isinstance(repair, Repair) else None
    job = repair.job_id if isinstance(repair, Repair) else repair
    with open_job(job, user, now, shop) as log:
        at = at_work(log, own)
        found, row = at.repair, at.row(step)
        guards: tuple[Guard, ...] = ()
        if not skipped:
            _refuse(at, row)
            guards = _open_at(at, row, _waited_min(at, row))
            if guards and not note:
                raise GuardError(row, guards)
        since = _since(at)
        ran = found.timers.filter(step=step) if row.step.wait else ()
        waited = sum((min(timer.due_at, now) - max(timer.started_at, since)).total_seconds() for timer in ran)
        seconds = max((now - since).total_seconds() - max(waited, 0), 0)
        at.settle(
            step,
            done_at=None if skipped else now,
            skipped=skipped,
            note=note,
            seconds=min(max(int(seconds), 0), LONGEST_S),
            by=user,
        )
        at.stop_timers(step)
        if skipped:
            log.event(f"left out: {row.step.do} ({skipped})"[:2000], "skip")
        elif guards:
            _log_passed(at, row, guards, note)
        elif note:
            log.event(f"done otherwise: {row.step.do} ({note})"[:2000], "otherwise")
        if used is not None and used.strip() != found.used:
            found.used = used.strip()[:300]
            found.save(update_fields=["used"])
        _move_on(at)
    return at


def do_rest(
    repair: Repair,
    *,
    reasons: Mapping[GuardKind, str] | None = None,
    phase: str = "",
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Ticked:
    """Mark the steps that are left as done, or those of one part of the plan, by somebody who has done them.

    Nothing is learned of how long they took.

    It ends before the first step that guards a person or the device and at which something is open. The clock answers
    for waits as far as it can: an hour since the step before holds a wait of 30 minutes and one of 10.

    Parameters
    ----------
    reasons : mapping of GuardKind to str
        Why what is open is passed; steps with nothing else open are marked as done too, and the log keeps the reason.
    phase : str
        Only steps of this part of the plan, '' for all that are left.

    Raises
    ------
    JobError, DangerError
        The first step is refused: screws are out that have to be in, or a danger forbids it. A later step that is
        refused ends it there, with what was marked before.

    """
    reasons = {kind: text.strip()[:300] for kind, text in (reasons or {}).items()}
    for text in reasons.values():
        refuse_unlock_code(text, "note")
    with open_job(repair.job_id, user, now, shop) as log:
        at = at_work(log, repair)
        now_on = [row for row in steps_now(at.repair, at.plan) if row.step.id not in at.settled]
        left = [row for row in now_on if phase in ("", row.phase)]
        clock = (now - _since(at)).total_seconds() / 60
        result = Ticked(at=at, count=len(left))
        for count, row in enumerate(left):
            guards = _open_at(at, row, max(clock, _waited_min(at, row, timers_only=True)), in_one_go=True)
            if not all(reasons.get(guard.kind) for guard in guards):
                result = Ticked(at=at, count=count, step=row.step.id, guards=guards)
                break
            try:
                _refuse(at, row)
            except ChargepathError as problem:
                if not count:
                    raise
                result = Ticked(at=at, count=count, step=row.step.id, refused=str(problem))
                break
            clock = max(clock - row.step.wait, 0.0)
            said = "; ".join(dict.fromkeys(reasons[guard.kind] for guard in guards))
            at.settle(row.step.id, done_at=now, note=said, seconds=0, by=user)
            at.stop_timers(row.step.id)
            if guards:
                _log_passed(at, row, guards, said)
        if result.count:
            log.event(f"{counted(result.count, 'step')} marked as done at once", "steps")
        _move_on(at)
    return result


def _open_at(at: AtWork, row: PlannedStep, waited_min: float, *, in_one_go: bool = False) -> tuple[Guard, ...]:
    """What is open at a step; the log and the map of screws are only read for the steps that need them."""
    record, since = row.step.record, at.repair.chosen_at
    read = [entry for entry in at.log.evidence if entry.name == record and entry.at >= since] if record else []
    has_map = row.step.screws == "in" and Screw.objects.filter(job_id=at.repair.job_id).exists()
    return guards_of(
        row.step,
        waited_min=waited_min,
        is_read=bool(read),
        is_off=bool(read) and _is_off(at, read[-1]),
        has_map=has_map,
        in_one_go=in_one_go,
    )


def _is_off(at: AtWork, entry: Entry) -> bool:
    """Whether a reading is not what a good device shows."""
    known, event = at.log.shop.known, event_of(entry)
    if not isinstance(event, CheckEvent):
        return False
    check = known.checks[event.check]
    grade = "" if check.is_look else grade_event(known, device_of(at.log.job), event).grade
    return check.mark_of(grade, event.signs) != "good"


def _refuse(at: AtWork, row: PlannedStep) -> None:
    """Refuse a step that a danger forbids, by its current or by what it does, and what is left over at the closing."""
    if row.step.acts:
        at.log.refuse_step(row.step.acts)
    left = list(Screw.objects.to_put_back(at.repair.job_id)) if row.step.screws == "in" else []
    off = sum(one.is_connector for one in left)
    said = [f"{counted(len(left) - off, 'screw')} still out"] if len(left) > off else []
    said += [f"{counted(off, 'connector')} still off"] if off else []
    if said:
        raise JobError(
            f"{' and '.join(said)} on the map", "screws", "put each back where it came from, or say where it stays"
        )


def _log_passed(at: AtWork, row: PlannedStep, guards: tuple[Guard, ...], reason: str) -> None:
    said = " ".join(guard_words(guard) for guard in guards)
    at.log.event(f"{said} {row.step.do} ({reason})"[:2000], "passed")


def _since(at: AtWork) -> datetime:
    """When the last step was done, or the repair was chosen or proved."""
    repair = at.repair
    done = [run.done_at for run in at.runs.values() if run.done_at]
    return max([*done, repair.chosen_at, *([repair.finished_at] if repair.finished_at else [])])


def _waited_min(at: AtWork, row: PlannedStep, *, timers_only: bool = False) -> float:
    """How long a step's wait has lasted [min]: by what its timer has left, or else since the step before it."""
    now = at.log.now
    own = [timer for timer in at.timers if (timer.repair_id, timer.step) == (at.repair.pk, row.step.id)]
    if own:
        return row.step.wait - max((own[0].due_at - now).total_seconds(), 0) / 60
    return 0.0 if timers_only else max((now - _since(at)).total_seconds(), 0) / 60


def _move_on(at: AtWork) -> None:
    """Once everything is closed up it is to be proved again."""
    repair, log = at.repair, at.log
    closed = not repair.is_open and all(row.step.id in at.settled for row in after_test(at.plan))
    if closed and repair.entry is not None and not repair.entry.values.get("proved"):
        log.settle(Stage.PROVE)
    else:
        log.change(changed_at=log.now)
