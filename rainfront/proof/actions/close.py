"""Closing, handing on, reopening."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from chargepath.case.entries import RepairEvent
from chargepath.hazards.standing import refuse
from chargepath.knowledge.routes import PROVE, REFER
from rainfront.jobs.judging import is_proved
from rainfront.jobs.models import Job, Repair, Stage
from rainfront.jobs.signals import examples_changed
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.proof.proving import proving_of
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop

# Name of the log line that opens a job again, by whether the device came back.
REOPENED = {True: "reopen", False: "correct"}


def _close(log: Log, faults: Sequence[str], works: bool, note: str) -> None:
    known = log.shop.known
    unknown = [name for name in faults if name not in known.faults]
    if unknown:
        raise JobError(f"'{unknown[0]}' is no fault", "faults", f"one of {', '.join(known.faults)}")
    log.change(closed_at=log.now, closed_by=log.person)
    log.change(outcome_faults=list(faults), outcome_works=works, outcome_note=note.strip()[:1000])
    labels = ", ".join(known.faults[name].label for name in faults) or "nothing was wrong"
    log.event(f"closed: {labels}. {note.strip()}".strip(), "close")
    log.settle(Stage.CLOSED)
    Job.objects.teach_again(log.job.case_id)


def close_job(
    job: Job | int,
    faults: Sequence[str],
    note: str = "",
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Job:
    """Close a job that has been proved, with what turned out to be wrong.

    Raises
    ------
    JobError
        The newest proof did not pass, a repair is still open, or a fault is unknown.
    DangerError
        A danger stands: the device is handed on, not over.

    """
    refuse_unlock_code(note, "note")
    with open_job(job, user, now, shop, right=Right.PROMISE) as log:
        if not is_proved(log.job, log.shop.known):
            raise JobError("nothing proves yet that it charges", f"job {log.job.pk}", "prove it first, or hand it on")
        if log.dangers:
            raise refuse(log.shop.known, log.dangers[0])
        if Repair.objects.still_open(log.job.pk).exists():
            raise JobError("a repair is still open", f"job {log.job.pk}", "finish it or drop it first")
        proving = proving_of(log.job, log.shop)
        if proving.waiting is not None and proving.repair is not None and proving.subject.opened:
            raise JobError(
                "it was proved before it was closed, not since",
                f"job {log.job.pk}",
                "close it up and prove it once more",
            )
        _close(log, faults, True, note)
    examples_changed.send(sender=Job)
    return log.job


def refer_job(
    job: Job | int, faults: Sequence[str], note: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Job:
    """Hand a job on, or back unrepaired, with what is believed to be wrong.

    Raises
    ------
    JobError
        Without a note that says why.

    """
    if not note.strip():
        raise JobError("say why it stops here", "note", "the next person reads it")
    refuse_unlock_code(note, "note")
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        Repair.objects.still_open(log.job.pk).update(dropped_at=now)
        log.add(RepairEvent(REFER, None), note.strip())
        _close(log, faults, False, note)
    examples_changed.send(sender=Job)
    return log.job


def reopen_job(
    job: Job | int,
    why: str,
    *,
    came_back: bool = True,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Job:
    """Open a closed job again; everything recorded stays.

    A device that came back does not charge, whatever its proof said: that is evidence. Where it was only closed by
    mistake, handing on is struck out and nothing else follows from it.

    Raises
    ------
    JobError
        It is not closed, or no reason is given.

    """
    refuse_unlock_code(why, "reason")
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        if not log.job.is_closed:
            raise JobError("the job is open", f"job {log.job.pk}", "nothing to do")
        if not why.strip():
            raise JobError("say why it is opened again", "reason", "as in: came back after two days")
        taught = log.job.outcome_works is not None
        Job.objects.teach_again(log.job.case_id)
        log.change(closed_at=None, closed_by=None, outcome_works=None, stage=Stage.OUTSIDE)
        log.event(f"{'came back' if came_back else 'closed by mistake'}: {why.strip()[:300]}", REOPENED[came_back])
        last = log.evidence[-1] if log.evidence else None
        if came_back:
            log.add(RepairEvent(PROVE, False), f"came back: {why.strip()}", seen=True)
        elif last is not None and last.name == REFER and last.is_own_repair:
            log.strike(last, "closed by mistake")
        log.settle()
    if taught:
        examples_changed.send(sender=Job)
    return log.job
