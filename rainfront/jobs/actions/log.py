"""Writing the log: readings, notes, stages, striking out."""

from __future__ import annotations

from datetime import datetime

from chargepath.base.sentences import inside
from chargepath.case.entries import Event, HazardEvent, RepairEvent
from chargepath.case.quickline import parse_line
from rainfront.jobs.adapters import device_of, meter_of
from rainfront.jobs.judging import parts_used
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.stock.actions import put_back, take_again
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop


def _record(log: Log, event: Event, text: str) -> Entry:
    """Add evidence; a finished repair waits for its proof."""
    waits = isinstance(event, RepairEvent) and event.works is not False and event.here
    return log.add(event, text, stage=Stage.PROVE if waits else "")


def record_event(
    job: Job | int, event: Event, *, user: User, now: datetime, text: str = "", shop: Shop | None = None
) -> Entry:
    """Record a check, a try or a finished repair.

    Raises
    ------
    ReadingError, JobError
        The values cannot be graded, or the job takes no entry now; nothing is stored.

    """
    with open_job(job, user, now, shop) as log:
        return _record(log, event, text)


def record_line(job: Job | int, line: str, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Record one quick line.

    Raises
    ------
    QuickLineError, ReadingError, JobError
        Nothing is stored.

    """
    with open_job(job, user, now, shop) as log:
        event = parse_line(line, log.shop.known, device_of(log.job), meter_of(user))
        return _record(log, event, " ".join(line.split()))


def strike_entry(entry: Entry, why: str, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Strike an entry out; it stays readable and counts no more; the part of a repair goes back.

    Raises
    ------
    JobError
        Not evidence, already struck, or the job is closed.

    """
    refuse_unlock_code(why, "reason")
    with open_job(entry.job_id, user, now, shop) as log:
        found = log.strike(entry, why)
        if found.is_own_repair:
            for route in parts_used(log.job, found.name, log.shop):
                put_back(log.job.pk, route, user=user, now=now)
        return found


def restore_entry(entry: Entry, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Undo striking an entry out: it counts again, and the part of a repair is taken off the shelf again.

    Raises
    ------
    JobError
        It is not struck out, or the job is closed.

    """
    with open_job(entry.job_id, user, now, shop) as log:
        found = log.restore(entry)
        if found.is_own_repair:
            job = log.job
            for route in parts_used(job, found.name, log.shop):
                take_again(job.pk, route, user=user, now=now)
        return found


def overrule_danger(
    job: Job | int, hazard: str, why: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Entry:
    """Let a danger pass, in writing: only the lead may, and never for a cell that is swollen, hot or damaged.

    Raises
    ------
    NotAllowed
        The person is not the lead (403).
    JobError
        It does not stand, may not be overruled, or no reason is given.

    """
    refuse_unlock_code(why, "reason")
    require(user, Right.OVERRULE)
    with open_job(job, user, now, shop) as log:
        found = next((danger for danger in log.dangers if danger.hazard.id == hazard), None)
        if found is None:
            raise JobError("this danger does not stand", "danger", "nothing to overrule")
        if not found.hazard.overrule:
            raise JobError(f"{inside(found.hazard.label)} is overruled by nobody", "danger", found.hazard.says)
        if len(why.split()) < 2:
            raise JobError("say why it may be done all the same", "reason", "the record keeps it with your name")
        return log.add(HazardEvent(hazard, True, why.strip()[:200]))


def add_note(job: Job | int, text: str, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Add a free note; a closed job takes it too.

    Raises
    ------
    JobError
        Empty, or it seems to hold an unlock code.

    """
    text = text.strip()
    if not text:
        raise JobError("the note is empty", "note", "type what should be remembered")
    refuse_unlock_code(text, "note")
    with open_job(job, user, now, shop, closed_too=True, right=Right.TAKE_IN) as log:
        return log.write(Entry.EntryKind.NOTE, text[:1000])


def give_job(job: Job | int, to: int | None, *, user: User, now: datetime, shop: Shop | None = None) -> Job:
    """Give an open job to somebody, or to nobody (None): whose list it stands on, until somebody else works at it.

    Raises
    ------
    JobError
        There is no such person here, or they have it already.

    """
    with open_job(job, user, now, shop, right=Right.TAKE_IN) as log:
        person = User.objects.filter(pk=to, is_active=True).first() if to else None
        if to and person is None:
            raise JobError("nobody of that name works here", "to", "one of the people listed")
        if log.job.held_by_id == (person.pk if person else None):
            raise JobError(f"{person or 'nobody'} has it already", "to", "somebody else")
        log.change(held_by=person, held_at=now if person else None)
        log.event(f"given to {person}" if person else "put back for anybody", "give")
    return log.job


def move_stage(job: Job | int, stage: str, *, user: User, now: datetime, shop: Shop | None = None) -> Job:
    """Move a job to another stage, forward or back.

    Raises
    ------
    JobError
        Unknown stage, or one that is reached only by closing.

    """
    allowed = [value for value in Stage.values if value != Stage.CLOSED]
    if stage not in allowed:
        raise JobError(f"'{stage}' is no stage", "stage", f"one of {', '.join(allowed)}")
    with open_job(job, user, now, shop) as log:
        if log.job.stage != stage:
            log.event(f"moved from {log.job.get_stage_display()} to {Stage(stage).label}", "stage")
        log.settle(stage)
        return log.job
