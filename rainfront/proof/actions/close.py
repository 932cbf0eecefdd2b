"""Closing, handing on, reopening."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from chargepath.case.entries import RepairEvent
from chargepath.diagnosis.belief import access_reached
from chargepath.hazards.standing import refuse
from chargepath.knowledge.routes import PROVE, REFER
from rainfront.jobs.judging import is_proved
from rainfront.jobs.models import HandedOn, Job, LeavesAs, Repair, Stage
from rainfront.jobs.presenters.words import outcome_words
from rainfront.jobs.signals import examples_changed
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.proof.proving import proving_of
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop

# Name of the log line that opens a job again, by whether the device came back.
REOPENED = {True: "reopen", False: "correct"}


def _close(log: Log, faults: Sequence[str], works: bool, note: str, **handed_on: str) -> None:
    known = log.shop.known
    unknown = [name for name in faults if name not in known.faults]
    if unknown:
        raise JobError(f"'{unknown[0]}' is no fault", "faults", f"one of {', '.join(known.faults)}")
    log.change(closed_at=log.now, closed_by=log.person)
    log.change(outcome_faults=list(faults), outcome_works=works, outcome_note=note.strip()[:1000])
    log.change(**{"on_why": "", "on_to": "", "on_as": "", **handed_on})
    log.event(f"closed: {outcome_words(log.job, known)} {note.strip()}".strip(), "close")
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
    job: Job | int,
    faults: Sequence[str],
    note: str,
    *,
    why: str,
    to: str,
    leaves_as: str = "",
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Job:
    """Hand a job on, or back unrepaired, with what is believed to be wrong.

    Parameters
    ----------
    job : Job or int
    faults : sequence of str
        What is suspected; learning reads the readings, never this.
    note : str
        What is known, what is not, what was tried.
    why : str
        One of `HandedOn`.
    to : str
        Who gets the device.
    leaves_as : str
        One of `LeavesAs`; may be left out where the device was never opened.

    Raises
    ------
    JobError
        No note, no reason, nobody named, or a device that was opened of which nobody says how it leaves.

    """
    if not note.strip():
        raise JobError("say what is known and what is not", "note", "the next person reads it")
    if why not in HandedOn.values:
        raise JobError("say why it stops here", "why", "one of the list")
    if not to.strip():
        raise JobError("say who gets it", "to", "as in: the customer, or another workshop")
    refuse_unlock_code(note, "note")
    refuse_unlock_code(to, "to")
    with open_job(job, user, now, shop, right=Right.REPAIR) as log:
        opened = access_reached(log.shop.known, log.case) != next(iter(log.shop.known.access))
        if opened and leaves_as not in (LeavesAs.CLOSED, LeavesAs.APART):
            raise JobError("it was opened: say how it leaves", "how it leaves", "closed up again, or in parts")
        Repair.objects.still_open(log.job.pk).update(dropped_at=now)
        log.add(RepairEvent(REFER, None), note.strip())
        left = leaves_as if opened else LeavesAs.WHOLE
        _close(log, faults, False, note, on_why=why, on_to=to.strip()[:80], on_as=left)
    examples_changed.send(sender=Job)
    return log.job


def cancel_job(job: Job | int, why: str, *, user: User, now: datetime, shop: Shop | None = None) -> Job:
    """Close a job that was a mistake: it stays readable, has no outcome, and teaches nothing.

    Raises
    ------
    JobError
        No reason is given, or a repair was begun: then it is handed on, or finished.

    """
    if not why.strip():
        raise JobError("say why it is cancelled", "reason", "as in: received twice")
    refuse_unlock_code(why, "reason")
    with open_job(job, user, now, shop, right=Right.PROMISE) as log:
        if Repair.objects.filter(job=log.job, dropped_at__isnull=True).exists():
            raise JobError("a repair was begun on it", f"job {log.job.pk}", "finish it, drop it, or hand the job on")
        log.change(closed_at=log.now, closed_by=log.person, outcome_faults=[], outcome_works=None)
        log.change(outcome_note=why.strip()[:1000])
        log.event(f"cancelled: {why.strip()[:300]}", "cancel")
        log.settle(Stage.CLOSED)
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
        log.change(on_why="", on_to="", on_as="")
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
