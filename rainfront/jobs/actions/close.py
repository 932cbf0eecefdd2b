"""Closing, handing on, reopening."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db import transaction

from chargepath.case.entries import RepairEvent
from rainfront.jobs import adapters
from rainfront.jobs.actions.learn import learn_again
from rainfront.jobs.actions.log import JobError, lock, refuse_unlock_code, require_open, settle, write
from rainfront.jobs.models import Entry, Job, Repair, Stage
from rainfront.people.models import User


def _close(job: Job, faults: Sequence[str], works: bool, note: str, user: User, now: datetime) -> None:
    known = adapters.knowledge()
    unknown = [name for name in faults if name not in known.faults]
    if unknown:
        raise JobError(f"'{unknown[0]}' is no fault", "faults", f"one of {', '.join(known.faults)}")
    refuse_unlock_code(note, "note")
    job.stage, job.closed_at, job.closed_by, job.changed_at = Stage.CLOSED, now, user, now
    job.outcome_faults, job.outcome_works, job.outcome_note = list(faults), works, note.strip()[:1000]
    job.save()
    labels = ", ".join(known.faults[name].label for name in faults) or "nothing was wrong"
    write(job, Entry.EntryKind.EVENT, f"closed: {labels}. {note.strip()}".strip(), user=user, now=now, name="close")


def close_job(job: Job, faults: Sequence[str], note: str = "", *, user: User, now: datetime) -> Job:
    """Close a job that has been proved, with what turned out to be wrong.

    Raises
    ------
    JobError
        The newest proof did not pass, or a fault is unknown.

    """
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        last = job.entries.evidence().last()
        if last is None or last.kind != Entry.EntryKind.REPAIR or not last.works:
            raise JobError("nothing proves yet that it charges", f"job {job.pk}", "prove it first, or hand it on")
        _close(job, faults, True, note, user, now)
    learn_again(user=user, now=now)
    return job


def refer_job(job: Job, faults: Sequence[str], note: str, *, user: User, now: datetime) -> Job:
    """Hand a job on, or back unrepaired, with what is believed to be wrong.

    Raises
    ------
    JobError
        Without a note that says why.

    """
    if not note.strip():
        raise JobError("say why it stops here", "note", "the next person reads it")
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        Repair.objects.still_open(job.pk).update(dropped_at=now)
        Entry.objects.create(
            job=job, by=user, at=now, text=note.strip(), **adapters.fields_of(RepairEvent("refer", None))
        )
        _close(job, faults, False, note, user, now)
    learn_again(user=user, now=now)
    return job


def reopen_job(job: Job, why: str, *, user: User, now: datetime) -> Job:
    """Open a closed job again; everything recorded stays.

    Raises
    ------
    JobError
        It is not closed, or no reason is given.

    """
    refuse_unlock_code(why, "reason")
    with transaction.atomic():
        job = lock(job)
        if not job.is_closed:
            raise JobError("the job is open", f"job {job.pk}", "nothing to do")
        if not why.strip():
            raise JobError("say why it is opened again", "reason", "as in: came back after two days")
        job.closed_at, job.closed_by, job.outcome_works = None, None, None
        job.stage = Stage.OUTSIDE
        job.save()
        write(job, Entry.EntryKind.EVENT, f"reopened: {why.strip()[:300]}", user=user, now=now, name="reopen")
        settle(job, now=now)
    return job
