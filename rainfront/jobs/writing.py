"""One guard: whoever changes a job opens it here.

It is locked, fetched afresh, refused where it may not be changed, and logged.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime

from django.db import transaction
from django.shortcuts import get_object_or_404

from chargepath.base.errors import ChargepathError
from chargepath.case.entries import Case, CheckEvent, Event, PathEvent
from chargepath.case.file import MAX_EVENTS
from chargepath.grading.readings import ask_value, grade_event
from chargepath.hazards.standing import (
    Danger,
    current_forbidding,
    dangers_of,
    event_forbidding,
    refuse,
    step_forbidding,
)
from chargepath.knowledge import Knowledge
from rainfront.jobs.adapters import case_of, device_of, event_of, evidence_of, fields_of
from rainfront.jobs.judging import judgement_for, stage_by_advice
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.signals import job_changed
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.files import files_go_with_it
from rainfront.workshop.adapters import Shop

MAX_EVIDENCE = MAX_EVENTS
# Who does these has the device in hand.
HANDS_ON = frozenset({Right.MEASURE, Right.REPAIR})


# Fields of a job that its case does not hold.
BOOKKEEPING = frozenset({"stage", "changed_at", "held_by", "held_at", "turn", "day_due", "log_due", "example_due"})


class JobError(ChargepathError):
    """A job cannot do that now."""


class Log:
    """A job that is open for writing: what is done to it goes through here, and is logged with who and when.

    Attributes
    ----------
    job : Job
        Fetched inside the transaction; its log comes with it where it is asked for.
    person : User
    now : datetime
    shop : Shop

    """

    def __init__(self, job: Job, person: User, now: datetime, shop: Shop, right: Right) -> None:
        self.job, self.person, self.now, self.shop, self.right = job, person, now, shop, right
        self._changed: set[str] = set()
        self._settle = False
        self._case: Case | None = None

    @property
    def evidence(self) -> list[Entry]:
        """What the belief reads, in order."""
        self.fetch()
        return evidence_of(self.job)

    def fetch(self) -> list[Entry]:
        """Every line of the job's log, fetched once; the list stays in step with what is written here."""
        return self.job.fetch_log()

    def _append(self, entry: Entry) -> Entry:
        if self.job.log_rows is not None:
            self.job.log_rows.append(entry)
        self._changed.add("changed_at")
        return entry

    def write(self, kind: str, text: str, name: str = "") -> Entry:
        """Add one line that is no evidence."""
        made = Entry.objects.create(job=self.job, kind=kind, name=name, text=text, by=self.person, at=self.now)
        return self._append(made)

    def event(self, text: str, name: str) -> Entry:
        """Add a line that says what happened to the job."""
        return self.write(Entry.EntryKind.EVENT, text, name)

    def add(self, event: Event, text: str = "", *, stage: str = "", seen: bool = False) -> Entry:
        """Add evidence: a check, a try or a finished repair.

        `seen`: it happened without anybody doing it here, so no danger can forbid it.

        The job's stage becomes `stage`, or, once everything is stored, where the advice says that the work goes on.

        Raises
        ------
        ReadingError, DangerError, JobError
            The values cannot be graded, a danger forbids what it says was done, or the log is full.

        """
        known = self.shop.known
        if isinstance(event, CheckEvent) and not known.checks[event.check].is_look:
            grade_event(known, device_of(self.job), event)
            ask_value(known, event)
        if not seen:
            self._refuse(event_forbidding(known, self.dangers, event))
        if len(self.evidence) >= MAX_EVIDENCE:
            raise JobError(
                f"the log holds {MAX_EVIDENCE} readings", f"job {self.job.pk}", "close it and open a new job"
            )
        fields = {"text": text[:300], **fields_of(event)}
        made = Entry.objects.create(job=self.job, by=self.person, at=self.now, **fields)
        self._case = replace(self.case, events=(*self.case.events, event_of(made)))
        self.settle(stage)
        return self._append(made)

    @property
    def known(self) -> Knowledge:
        """The shop's knowledge with the part names of this device, for texts that name a part."""
        return self.shop.known.worded(self.job.carrier)

    @property
    def dangers(self) -> tuple[Danger, ...]:
        """What stands on the job now."""
        self.fetch()
        return dangers_of(self.shop.known, self.case)

    @property
    def case(self) -> Case:
        """The job as the core's case, made once and brought forward by what is added."""
        if self._case is None:
            self.fetch()
            self._case = case_of(self.job, self.shop.known)
        return self._case

    def refuse_current(self, current: str) -> None:
        """Refuse to put a kind of current into the device where a danger forbids it.

        Raises
        ------
        DangerError
            With the reason and the way out.

        """
        self._refuse(current_forbidding(self.dangers, current))

    def refuse_step(self, acts: Iterable[str]) -> None:
        """Refuse a step of a plan whose acts a danger forbids, as `refuse_current` does a current."""
        self._refuse(step_forbidding(self.dangers, acts))

    def _refuse(self, danger: Danger | None) -> None:
        if danger is not None:
            raise refuse(self.shop.known, danger)

    def keep_path(self, event: PathEvent, text: str) -> Entry:
        """Keep what readings along the path say since the last repair: one line of the log, renewed with each of them.

        The readings themselves stay where they were read; this line only sums them up.
        """
        found = None
        for row in self.evidence:
            if row.changes_device:
                found = None
            elif row.kind == Entry.EntryKind.PATH:
                found = row
        fields = fields_of(event)
        self._changed.add("changed_at")
        self._case = None
        if found is None:
            made = Entry.objects.create(job=self.job, by=self.person, at=self.now, text=text[:300], **fields)
            return self._append(made)
        found.values, found.access = fields["values"], fields["access"]
        found.text, found.by, found.at = text[:300], self.person, self.now
        found.save(update_fields=["values", "access", "text", "by", "at"])
        return found

    def strike(self, entry: Entry, why: str) -> Entry:
        """Strike evidence out: it stays readable and counts no more.

        Raises
        ------
        JobError
            It is no evidence, or struck out already.

        """
        found = next((row for row in self.fetch() if row.pk == entry.pk), None)
        if found is None or not found.is_evidence:
            raise JobError(
                "only readings, tries and repairs can be struck out", f"entry {entry.pk}", "add a note instead"
            )
        if found.struck_at:
            raise JobError("it is struck out already", f"entry {entry.pk}", "nothing to do")
        found.struck_at, found.struck_by, found.struck_why = self.now, self.person, why.strip()[:200]
        found.save(update_fields=["struck_at", "struck_by", "struck_why"])
        self._case = None
        self.settle()
        return found

    def correct(self, entry: Entry, **values: object) -> None:
        """Fill in what is known of an entry only later: whether the proof of a repair passed.

        The same line in the job's log that is fetched already, which may be another object, gets it too.
        """
        for row in (entry, *(row for row in self.job.log_rows or () if row.pk == entry.pk)):
            for name, value in values.items():
                setattr(row, name, value)
        entry.save(update_fields=sorted(values))
        self._case = None

    def restore(self, entry: Entry) -> Entry:
        """Let an entry that was struck out count again; a line of the log keeps who struck it out, when and why.

        Raises
        ------
        JobError
            It is not struck out.

        """
        found = next((row for row in self.fetch() if row.pk == entry.pk), None)
        if found is None or found.struck_at is None:
            raise JobError("it is not struck out", f"entry {entry.pk}", "nothing to undo")
        why = f": {found.struck_why}" if found.struck_why else ""
        self.event(f"counts again, struck out {found.struck_at:%H:%M} by {found.struck_by}{why}", "restore")
        found.struck_at, found.struck_by, found.struck_why = None, None, ""
        found.save(update_fields=["struck_at", "struck_by", "struck_why"])
        self._case = None
        self.settle()
        return found

    def change(self, **values: object) -> None:
        """Change fields of the job; they are stored when it is left."""
        self._set(**values)
        self._changed.add("changed_at")

    def _set(self, **values: object) -> None:
        for name, value in values.items():
            setattr(self.job, name, value)
            self._case = self._case if name in BOOKKEEPING else None
        self._changed |= values.keys()

    def settle(self, stage: str = "") -> None:
        """Move the job to a stage, or, without one, to where the advice says once everything is stored."""
        if stage:
            self.change(stage=stage)
        self._settle = not stage

    def _store(self) -> None:
        if self._changed:
            self.job.changed_at = self.now
            if self.right in HANDS_ON and not self.job.is_closed:
                self.change(held_by=self.person, held_at=self.now)
        self._set(turn=self.job.turn + 1, day_due=not self.job.is_closed, log_due=True)
        self.job.save(update_fields=sorted(self._changed))

    def _follow_advice(self) -> None:
        """Store the stage that the advice leads to, outside the transaction, unless somebody was faster."""
        judged = judgement_for(self.job, self.person, self.shop, self._case)
        self.job.judged = judged
        stage = stage_by_advice(self.job, judged.core)
        if stage != self.job.stage:
            self.job.stage = stage
            Job.objects.filter(pk=self.job.pk, changed_at=self.job.changed_at).on_bench().update(stage=stage)


@contextmanager
def open_job(
    job: Job | int,
    person: User,
    now: datetime,
    shop: Shop | None = None,
    *,
    right: Right = Right.MEASURE,
    closed_too: bool = False,
    begun: bool = False,
) -> Iterator[Log]:
    """Open a job for writing: one transaction, stored as a whole or not at all.

    Parameters
    ----------
    job : Job or int
        Which; it is fetched afresh, and `Log.job` is the one to go on with.
    person, now
        Who writes, and when.
    shop : Shop, optional
        The request's; fetched where none is passed on.
    right : Right
        What the person needs.
    closed_too : bool
        Whether a closed job may be changed by this.
    begun : bool
        The program goes on with what this person began: their right was asked for then, and may be gone by now.

    Raises
    ------
    NotAllowed
        The person may not do that (403).
    Http404
        There is no such job.
    JobError
        The job is closed.

    """
    if not begun:
        require(person, right)
    log = Log(job if isinstance(job, Job) else Job(pk=job), person, now, shop or Shop.current(), right)
    with files_go_with_it(), transaction.atomic():
        log.job = get_object_or_404(Job.objects.for_writing(), pk=log.job.pk)
        if log.job.is_closed and not closed_too:
            raise JobError("the job is closed", f"job {log.job.pk}", "reopen it first")
        yield log
        log._store()
    if log._settle:
        log._follow_advice()
    job_changed.send(sender=Job, job=log.job.pk)
