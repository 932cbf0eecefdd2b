"""Working through a plan: steps taken up again, a check that fails, waits, choices, the repair finished.

How a step is ticked off is in `ticking`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from datetime import datetime, timedelta

from chargepath.base.sentences import inside
from chargepath.case.entries import RepairEvent
from chargepath.case.quickline import parse_line
from chargepath.knowledge.procedures import ALLOY
from chargepath.repair.workplan import Plan, PlannedStep, alloy_at
from rainfront.jobs.actions.repair import still_open
from rainfront.jobs.adapters import device_of, meter_of
from rainfront.jobs.judging import parts_used
from rainfront.jobs.models import Entry, Repair, Stage
from rainfront.jobs.planning import after_test, before_test, plan_of
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.stock.actions import book_out
from rainfront.web.secrets import refuse_unlock_code
from rainfront.work.models import Screw, StepRun, Timer
from rainfront.workshop.adapters import Shop


def steps_now(repair: Repair, plan: Plan) -> Sequence[PlannedStep]:
    """The steps that can be worked on now: up to the test, or, once it charges again, what closes the device."""
    return before_test(plan) if repair.is_open else after_test(plan)


class NoRepairError(JobError):
    """Nothing is being worked on at this job."""


@dataclass(kw_only=True)
class AtWork:
    """A repair that is open for working on: everything fetched once, inside the transaction, and passed on to its page.

    Attributes
    ----------
    log : Log
    repair : Repair
    plan : Plan
    runs : mapping of step to StepRun
        Every step that was ever touched, taken up again or not.
    timers : sequence of Timer
        Every wait that runs in the shop, the next one due first.

    """

    log: Log
    repair: Repair
    plan: Plan
    runs: dict[str, StepRun]
    timers: list[Timer]

    @property
    def settled(self) -> dict[str, StepRun]:
        """Steps that are done or left out."""
        return {step: run for step, run in self.runs.items() if run.done_at or run.skipped}

    def row(self, step: str) -> PlannedStep:
        """A step that can be worked on now.

        Raises
        ------
        JobError
            It is none.

        """
        found = next((row for row in steps_now(self.repair, self.plan) if row.step.id == step), None)
        if found is None:
            raise JobError("that is no step of this plan now", "step", "choose one from the list")
        return found

    def settle(self, step: str, **values: object) -> None:
        """Store how a step went, in place of how it went before."""
        run = self.runs.setdefault(step, StepRun(repair=self.repair, step=step))
        for name, value in values.items():
            setattr(run, name, value)
        run.save()

    def stop_timers(self, step: str) -> None:
        """Stop the waits of a step that run."""
        ended = [timer.pk for timer in self.timers if (timer.repair_id, timer.step) == (self.repair.pk, step)]
        if ended:
            Timer.objects.filter(pk__in=ended).update(stopped_at=self.log.now)
            self.timers = [timer for timer in self.timers if timer.pk not in ended]


def _under_work(repair: Repair) -> Repair:
    """The repair fetched afresh, refused where it has no steps left: dropped, or its device does not charge."""
    found: Repair = Repair.objects.select_for_update().select_related("entry").get(pk=repair.pk)
    if found.dropped_at or (found.entry and found.entry.works is not True):
        raise JobError("this repair is over", "repair", "choose a route again")
    return found


def at_work(log: Log, repair: Repair | None) -> AtWork:
    """A repair with its plan, its steps and the waits that run; without one, what has steps left at the job."""
    if repair is None:
        found = Repair.objects.under_work(log.job.pk).first()
        if found is None:
            raise NoRepairError("nothing is being worked on here", f"job {log.job.pk}", "choose a route first")
    else:
        found = _under_work(repair)
    runs = {run.step: run for run in StepRun.objects.filter(repair=found)}
    timers = list(Timer.objects.running().select_related("repair__job"))
    return AtWork(log=log, repair=found, plan=plan_of(found, log.job, log.shop), runs=runs, timers=timers)


def keep_used(repair: Repair, used: str, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Keep what was typed so far about what was used."""
    refuse_unlock_code(used, "used")
    with open_job(repair.job_id, user, now, shop):
        Repair.objects.filter(pk=repair.pk).update(used=used.strip()[:300])


def undo_step(repair: Repair, step: str, *, user: User, now: datetime, shop: Shop | None = None) -> Sequence[str]:
    """Take a step up again, whether it was done or skipped.

    Raises
    ------
    JobError
        It was not settled, or the repair is over.

    """
    with open_job(repair.job_id, user, now, shop) as log:
        at = at_work(log, repair)
        at.row(step)
        return _reopen(at, [step])


def _reopen(at: AtWork, steps: Sequence[str]) -> Sequence[str]:
    again = [step for step in steps if step in at.settled]
    if not again:
        raise JobError("that step is not done yet", "step", "nothing to take back")
    StepRun.objects.filter(repair=at.repair, step__in=again).update(done_at=None, skipped="")
    return again


def fail_check(
    repair: Repair, step: str, what: str = "", *, user: User, now: datetime, shop: Shop | None = None
) -> str:
    """What a step looks at is not so: the plan goes back to the step that mends it, and the log says it.

    Returns
    -------
    str
        The step to go on with.

    Raises
    ------
    JobError
        The step looks at nothing, or the repair is over.

    """
    refuse_unlock_code(what, "what")
    with open_job(repair.job_id, user, now, shop) as log:
        at = at_work(log, repair)
        row = at.row(step)
        if not row.step.check:
            raise JobError("this step looks at nothing", "step", "skip it with a reason, or undo an earlier one")
        ids = [one.step.id for one in steps_now(at.repair, at.plan)]
        back = row.step.way_back(ids[: ids.index(step) + 1])
        again = ids[ids.index(back) : ids.index(step) + 1]
        StepRun.objects.filter(repair=at.repair, step__in=again).update(done_at=None, skipped="")
        for name in again:  # A wait that ran before the step was done again would pass for the new one.
            at.stop_timers(name)
        said = f" {what.strip()}." if what.strip() else ""
        log.event(f"not so: {row.step.check}{said} {row.step.fails}"[:2000], "check_failed")
    return back


def start_timer(repair: Repair, step: str, *, user: User, now: datetime, shop: Shop | None = None) -> Timer:
    """Let a step's wait run; a second start begins it again.

    Raises
    ------
    JobError
        The step waits for nothing, or the repair is over.

    """
    with open_job(repair.job_id, user, now, shop) as log:
        at = at_work(log, repair)
        found, row = at.repair, at.row(step)
        if not row.step.clock_min:
            raise JobError("this step waits for nothing", "timer", "go on with it")
        at.stop_timers(step)
        due = now + timedelta(minutes=row.step.clock_min)
        timer: Timer = Timer.objects.create(repair=found, step=step, started_at=now, due_at=due, by=user)
        log.change(changed_at=now)
    return timer


def stop_timer(repair: Repair, step: str, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Stop a step's wait."""
    with open_job(repair.job_id, user, now, shop):
        Timer.objects.running(repair=repair, step=step).update(stopped_at=now)


@dataclass(frozen=True)
class _Offered:
    """A choice of a plan, in words: its options by id, and the steps that come of it."""

    label: str
    labels: Mapping[str, str]
    steps: AbstractSet[str]


def _offered(at: AtWork, slot: str) -> _Offered:
    """What can be chosen in a slot of the plan, or, with `alloy_at` a step, of which solder that step is done."""
    plan, options = at.plan, at.log.shop.known.procedures.options
    for choice in plan.choices:
        if choice.slot == slot:
            steps = {row.step.id for row in plan.steps if slot in (row.slot, ALLOY if row.alloy else "")}
            return _Offered(
                choice.label, {row.option.id: row.option.label for row in (choice.picked, *choice.others)}, steps
            )
    for row in steps_now(at.repair, plan):
        if row.alloy and slot == alloy_at(row.step.id):
            labels = {name: options[ALLOY][name].label for name in row.alloys}
            return _Offered(f"Solder of this step ({row.step.do})", labels, {row.step.id})
    raise JobError("there is no such choice here", "choice", "one of those on the page")


def pick_option(
    repair: Repair, slot: str, option: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Repair:
    """Do one thing otherwise on this job, where it can be done in several ways; '' as the shop does it.

    Raises
    ------
    JobError
        The plan has no such choice, the option does not suit this device, or its steps are begun already.

    """
    with open_job(repair.job_id, user, now, shop) as log:
        at = at_work(log, repair)
        found = at.repair
        offered = _offered(at, slot)
        if option and option not in offered.labels:
            raise JobError("that does not suit this device", "choice", "one of those on the page")
        if offered.steps & at.settled.keys():
            raise JobError(f"{inside(offered.label)}: it is begun already", "choice", "undo its steps first")
        found.picks = {key: value for key, value in found.picks.items() if key != slot} | (
            {slot: option} if option else {}
        )
        found.save(update_fields=["picks"])
        log.event(f"{offered.label}: {offered.labels.get(option, 'as usual')}", "pick")
        found.job = log.job
    return found


def missing_steps(repair: Repair, plan: Plan) -> list[PlannedStep]:
    """Steps up to the test that are neither done nor skipped."""
    settled = StepRun.objects.settled(repair.pk)
    return [row for row in before_test(plan) if row.step.id not in settled]


def finish_repair(repair: Repair, used: str, *, user: User, now: datetime, shop: Shop | None = None) -> Repair:
    """Record the repair as done, with what was used, its part taken off the shelf; its proof comes next.

    Raises
    ------
    JobError
        Steps are left, a screw is missing, the repair is over, or the job is closed.

    """
    refuse_unlock_code(used, "used")
    with open_job(repair.job_id, user, now, shop, right=Right.REPAIR) as log:
        found, job = still_open(repair, "choose a route again"), log.job
        left = missing_steps(found, plan_of(found, job, log.shop))
        if left:
            more = f" and {len(left) - 1} more" if len(left) > 1 else ""
            raise JobError(
                f"not done yet: {left[0].step.do}{more}", "steps", "do each step, or leave it out with a reason"
            )
        lost = Screw.objects.missing(job.pk).first()
        if lost is not None:
            raise JobError(
                f"screw {lost.number} is missing: it may lie on the board",
                "screws",
                "find it before power goes on, or note on the map where it stays",
            )
        found.used, found.finished_at = used.strip()[:300], now
        found.entry = log.add(RepairEvent(found.route, None), found.used, stage=Stage.PROVE)
        found.save()
        for used_up in parts_used(job, found.route, log.shop) if not found.booked else ():
            book_out(job.pk, used_up, job.kind, job.model_name, job.connector, user=user, now=now)
        found.booked = True
        found.save(update_fields=["booked"])
    return found


def record_at_step(repair: Repair, line: str, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Record what a step of a repair has shown; the job stays at the repair.

    Raises
    ------
    QuickLineError, ReadingError, DangerError, JobError
        Nothing is stored.

    """
    with open_job(repair.job_id, user, now, shop) as log:
        event = parse_line(line, log.shop.known, device_of(log.job), meter_of(user))
        return log.add(event, line, stage=Stage.REPAIR)
