"""Writing the log."""

from __future__ import annotations

import re
from datetime import datetime

from django.db import transaction

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import CheckEvent, Event, RepairEvent
from chargepath.case.quickline import parse_line
from chargepath.grading.readings import grade_event
from rainfront.jobs import adapters
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.people.models import User
from rainfront.stock.actions import put_back

ACCESS_STAGE = {
    "outside": Stage.OUTSIDE,
    "opened": Stage.OPEN,
    "board_out": Stage.INSIDE,
    "unshielded": Stage.INSIDE,
}
MAX_EVIDENCE = 500
UNLOCK = re.compile(
    r"(?i)\b(pin|passcode|pass\s?word|unlock\s?code|screen\s?lock|pattern)\b\W{0,3}(is\W{0,3})?\S*\d{3,}"
)


class JobError(ChargepathError):
    """A job cannot do that now."""


def refuse_unlock_code(text: str, where: str) -> None:
    """Refuse a text that seems to hold an unlock code.

    Raises
    ------
    JobError
        With what to do instead.

    """
    if UNLOCK.search(text):
        raise JobError(
            "this looks like an unlock code", where, "no code is ever stored: have the customer unlock the device"
        )


def lock(job: Job) -> Job:
    """Fetch the job afresh inside the transaction."""
    fresh: Job = Job.objects.select_for_update().get(pk=job.pk)
    return fresh


def write(job: Job, kind: str, text: str, *, user: User, now: datetime, name: str = "") -> Entry:
    """Add one log line that is no evidence."""
    return Entry.objects.create(job=job, kind=kind, name=name, text=text, by=user, at=now)


def settle(job: Job, *, now: datetime, stage: str = "") -> None:
    """Store the job's stage: the given one, or where the advice says the work goes on."""
    if not stage:
        step = adapters.judge(job, explain=False).advice.next
        known = adapters.knowledge()
        if step.kind == "repair":
            stage = Stage.DECIDE
        elif step.kind == "check":
            stage = ACCESS_STAGE[known.checks[step.id].access]
        else:
            stage = ACCESS_STAGE[known.routes[step.id].access_for(job.carrier)]
    job.stage = stage
    job.changed_at = now
    job.save(update_fields=["stage", "changed_at"])


def require_open(job: Job) -> None:
    """Refuse to change a closed job.

    Raises
    ------
    JobError

    """
    if job.is_closed:
        raise JobError("the job is closed", f"job {job.pk}", "reopen it first")


def record_event(job: Job, event: Event, *, user: User, now: datetime, text: str = "") -> Entry:
    """Record a check, a try or a finished repair.

    Raises
    ------
    ReadingError, JobError
        The values cannot be graded, or the job takes no entry now; nothing is stored.

    """
    if isinstance(event, CheckEvent) and not adapters.knowledge().checks[event.check].is_look:
        grade_event(adapters.knowledge(), adapters.device_of(job), event)
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        if job.entries.evidence().count() >= MAX_EVIDENCE:
            raise JobError(f"the log holds {MAX_EVIDENCE} readings", f"job {job.pk}", "close it and open a new job")
        entry = Entry.objects.create(job=job, by=user, at=now, text=text, **adapters.fields_of(event))
        stage = Stage.PROVE if isinstance(event, RepairEvent) and event.works is not False else ""
        settle(job, now=now, stage=stage)
    return entry


def record_line(job: Job, line: str, *, user: User, now: datetime) -> Entry:
    """Record one quick line.

    Raises
    ------
    QuickLineError, ReadingError, JobError
        Nothing is stored.

    """
    event = parse_line(line, adapters.knowledge(), adapters.device_of(job), adapters.meter_of(user))
    return record_event(job, event, user=user, now=now, text=" ".join(line.split()))


def strike_entry(entry: Entry, why: str, *, user: User, now: datetime) -> Entry:
    """Strike an entry out; it stays readable and counts no more; the part of a repair goes back.

    Raises
    ------
    JobError
        Not evidence, already struck, or the job is closed.

    """
    with transaction.atomic():
        job = lock(entry.job)
        require_open(job)
        entry = Entry.objects.select_for_update().get(pk=entry.pk)
        if not entry.is_evidence:
            raise JobError(
                "only readings, tries and repairs can be struck out", f"entry {entry.pk}", "add a note instead"
            )
        if entry.struck_at:
            raise JobError("it is struck out already", f"entry {entry.pk}", "nothing to do")
        refuse_unlock_code(why, "reason")
        entry.struck_at, entry.struck_by, entry.struck_why = now, user, why.strip()[:200]
        entry.save(update_fields=["struck_at", "struck_by", "struck_why"])
        if entry.kind == Entry.EntryKind.REPAIR:
            for route in adapters.parts_used(job, entry.name):
                put_back(job.pk, route, user=user, now=now)
        settle(job, now=now)
    return entry


def add_note(job: Job, text: str, *, user: User, now: datetime) -> Entry:
    """Add a free note.

    Raises
    ------
    JobError
        Empty, or it seems to hold an unlock code.

    """
    text = text.strip()
    if not text:
        raise JobError("the note is empty", "note", "type what should be remembered")
    refuse_unlock_code(text, "note")
    with transaction.atomic():
        job = lock(job)
        entry = write(job, Entry.EntryKind.NOTE, text[:1000], user=user, now=now)
        job.changed_at = now
        job.save(update_fields=["changed_at"])
    return entry


def move_stage(job: Job, stage: str, *, user: User, now: datetime) -> None:
    """Move a job to another stage, forward or back.

    Raises
    ------
    JobError
        Unknown stage, or one that is reached only by closing.

    """
    allowed = [value for value in Stage.values if value != Stage.CLOSED]
    if stage not in allowed:
        raise JobError(f"'{stage}' is no stage", "stage", f"one of {', '.join(allowed)}")
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        before = job.get_stage_display()
        settle(job, now=now, stage=stage)
        write(
            job, Entry.EntryKind.EVENT, f"moved from {before} to {Stage(stage).label}", user=user, now=now, name="stage"
        )
