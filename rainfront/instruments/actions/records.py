"""Every write to a record: check, atomic, log."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.core.files.base import ContentFile
from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.case.entries import CheckEvent
from chargepath.trace.model import Trace
from chargepath.trace.routines import judge_routine, judge_wait, stretches_of
from chargepath.trace.table import Layout, decode, read
from chargepath.trace.verdict import current_event
from rainfront.instruments import adapters
from rainfront.instruments.models import Chunk, Draft, KnownGood, Record, Waiting
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.web.secrets import refuse_code, refuse_unlock_code
from rainfront.workshop.adapters import Shop

STALE = timedelta(seconds=12)
# Words stand at the beginning of a record, where they stand at all.
HEAD_BYTES = 100_000
CONDITIONS = ("source", "percent", "screen_on", "cell_temp_c")


def keep_draft(
    job: Job | int, raw: bytes, name: str, origin: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Draft:
    """Keep a text until the person has confirmed how it is read.

    Raises
    ------
    UnlockCodeError, JobError
        The file's name or what stands above its readings seems to hold an unlock code, or the job is closed.

    """
    refuse_unlock_code(name, "name of the file")
    words = [line for line in decode(raw[:HEAD_BYTES]).splitlines() if any(map(str.isalpha, line))]
    refuse_code(words, "what stands above the readings")
    with open_job(job, user, now, shop) as log:
        for old in Draft.objects.filter(job=log.job, by=user):
            _drop_draft(old)
        return Draft.objects.create(
            job=log.job, name=name[:80], origin=origin, by=user, at=now, file=ContentFile(raw, name="draft.txt")
        )


def store_draft(
    draft: Draft,
    layout: Layout,
    details: dict[str, Any],
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Record:
    """Read a draft by a confirmed layout, judge it and store it.

    Raises
    ------
    ReadingError
        It cannot be read that way; the draft stays.
    JobError
        The name seems to hold an unlock code, or the job is closed.

    """
    refuse_unlock_code(str(details.get("name", "")), "name")
    try:
        with draft.file.open("rb") as file:
            raw = file.read()
    except FileNotFoundError as error:
        raise _stored_already() from error
    reading = read(decode(raw), layout)
    with open_job(draft.job_id, user, now, shop) as log:
        if not Draft.objects.filter(pk=draft.pk).exists():
            raise _stored_already()
        record = Record(
            job=log.job,
            name=details.get("name") or draft.name,
            origin=draft.origin,
            rejected=reading.rejected,
            rejects=[[reject.line, reject.reason] for reject in reading.rejects],
            by=user,
            started_at=now,
            last_at=now,
        )
        _set_conditions(record, details)
        record.raw = ContentFile(raw, name="record.txt")
        record.layout = adapters.roles_of(layout)
        _complete(record, reading.trace, log)
        _drop_draft(draft)
    return record


def _stored_already() -> JobError:
    return JobError("somebody has stored it already", "record", "it stands among the job's records")


def correct_columns(record: Record, layout: Layout, *, user: User, now: datetime, shop: Shop | None = None) -> Record:
    """Read a record anew by other columns and judge it again; what was entered from it is struck out.

    Raises
    ------
    ReadingError
        It cannot be read that way, or it was not handed in as a text; the record stays as it was.
    JobError
        The job is closed.

    """
    if not record.raw:
        raise ReadingError("it was recorded here, not handed in", "columns", "there are no columns to correct")
    with record.raw.open("rb") as file:
        reading = read(decode(file.read()), layout)
    with open_job(record.job_id, user, now, shop) as log:
        record.job = log.job
        _strike_entries(record, log, f"columns of '{record.name}' corrected")
        record.layout, record.rejected = adapters.roles_of(layout), reading.rejected
        record.rejects = [[reject.line, reject.reason] for reject in reading.rejects]
        record.file.delete(save=False)
        _complete(record, reading.trace, log)
    return record


def strike_record(record: Record, why: str, *, user: User, now: datetime, shop: Shop | None = None) -> Record:
    """Strike a record out, with what was entered from it: it stays readable and counts no more.

    Raises
    ------
    ReadingError
        It is struck out already, or still running.
    JobError
        The job is closed.

    """
    refuse_unlock_code(why, "reason")
    with open_job(record.job_id, user, now, shop) as log:
        if record.struck_at or not record.file:
            right = "stop it first" if not record.file else "nothing to do"
            raise ReadingError("it cannot be struck out", "record", right)
        _strike_entries(record, log, why or f"record '{record.name}' struck out")
        record.struck_at, record.struck_by, record.struck_why = now, user, why.strip()[:200]
        record.save(update_fields=["struck_at", "struck_by", "struck_why"])
        log.event(f"record '{record.name}' struck out{f': {why.strip()}' if why.strip() else ''}"[:300], "record")
    return record


def restore_record(record: Record, *, user: User, now: datetime, shop: Shop | None = None) -> Record:
    """Undo striking a record out; what had been entered from it and was struck out with it counts again.

    Raises
    ------
    ReadingError
        It is not struck out.
    JobError
        The job is closed.

    """
    with open_job(record.job_id, user, now, shop) as log:
        if record.struck_at is None:
            raise ReadingError("it is not struck out", "record", "nothing to undo")
        for entry in record.entries.filter(struck_at=record.struck_at):
            log.restore(entry)
        record.struck_at, record.struck_by, record.struck_why = None, None, ""
        record.save(update_fields=["struck_at", "struck_by", "struck_why"])
        log.event(f"record '{record.name}' counts again", "record")
    return record


def _strike_entries(record: Record, log: Log, why: str) -> None:
    for entry in record.entries.filter(struck_at__isnull=True):
        log.strike(entry, why)


def _set_conditions(record: Record, details: dict[str, Any]) -> None:
    for field in CONDITIONS:
        if field in details:
            setattr(record, field, details[field])


def _drop_draft(draft: Draft) -> None:
    """Remove a draft with its file."""
    draft.file.delete(save=False)
    draft.delete()


def _complete(record: Record, trace: Trace, log: Log) -> None:
    """Judge a whole trace, store it with its verdict, and say so in the log."""
    verdict = adapters.judge(record, trace, log.shop.known)
    for field, value in adapters.fields_of(verdict).items():
        setattr(record, field, value)
    record.samples = len(trace)
    record.state = Record.State.DONE if record.state != Record.State.BROKEN else record.state
    record.file = adapters.pack(trace)
    record.save()
    log.event(f"record '{record.name}': {record.samples} samples, {record.reason}", "record")


def start_record(
    job: Job | int,
    routine: str,
    details: dict[str, Any],
    *,
    for_proof: bool = False,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Record:
    """Begin a live record, `for_proof` where the job is proved with it.

    Raises
    ------
    JobError, DangerError, ReadingError
        The job is closed, a danger forbids a charger, a record is running already, or the routine is unknown.

    """
    with open_job(job, user, now, shop) as log:
        routines = log.shop.known.routines
        if routine and (routine not in routines or not routines[routine].steps):
            allowed = [name for name, found in routines.items() if found.steps]
            raise ReadingError(f"'{routine}' is no routine with a record", "routine", f"one of {', '.join(allowed)}")
        log.refuse_current("charger")
        mend_stale(log.job.pk, now=now)
        if Record.objects.running().filter(job=log.job).exists():
            raise ReadingError("a record is running already", f"job {log.job.pk}", "stop it first")
        record = Record(
            job=log.job,
            name="Proof" if for_proof else routines[routine].label if routine else "Live record",
            for_proof=for_proof,
            origin=Record.Origin.LIVE,
            state=Record.State.RUNNING,
            routine=routine,
            by=user,
            started_at=now,
            last_at=now,
        )
        _set_conditions(record, details)
        record.save()
    return record


def append_samples(record_id: int, rows: list[tuple[float, float, float]], dropped: int = 0, *, now: datetime) -> bool:
    """Append samples to a running record; False where it has been stopped meanwhile.

    `dropped`: so many that could not be were left out since it began.
    """
    with transaction.atomic():
        running = Record.objects.filter(pk=record_id, state=Record.State.RUNNING).update(last_at=now, dropped=dropped)
        if running and rows:
            Chunk.objects.create(record_id=record_id, data=np.array(rows, dtype=np.float64).tobytes())
    return bool(running)


def note_instrument(record: Record, words: str) -> None:
    """Keep with a record which instrument reads it."""
    record.read_by = words[:200]
    Record.objects.filter(pk=record.pk).update(read_by=record.read_by)


def take_back(record: Record) -> None:
    """Remove a record that began and was never read into: its meter could not be reached."""
    Record.objects.filter(pk=record.pk, state=Record.State.RUNNING, file="").delete()


def append_percent(record: Record, job: Job) -> None:
    """Note the percentage that a proof began at as a condition of its record."""
    proof = job.proofs.order_by("-pk").first()
    percent = proof.numbers.get("percent_first") if proof else None
    if percent is not None:
        Record.objects.filter(pk=record.pk).update(percent=percent)


def mend_stale(job_id: int, *, now: datetime) -> None:
    """Break off what nobody reads into any more, as after a restart; what was taken is kept."""
    Record.objects.running().filter(job_id=job_id, last_at__lt=now - STALE).update(
        state=Record.State.BROKEN, trouble="the program stopped reading the meter"
    )


def break_off(record_id: int, trouble: str, *, now: datetime) -> None:
    """The meter went away: what was taken is kept, and the page says so."""
    Record.objects.filter(pk=record_id, state=Record.State.RUNNING).update(
        state=Record.State.BROKEN, trouble=trouble[:200], last_at=now
    )


def finish_record(record: Record, *, user: User, now: datetime, shop: Shop | None = None) -> Record:
    """Stop a live record, judge what was taken, and turn a whole routine into its checks.

    What was taken is kept even where the job was closed meanwhile; it is then made no check of.

    Raises
    ------
    ReadingError
        Nothing was taken; the record is removed.

    """
    with open_job(record.job_id, user, now, shop, closed_too=True) as log:
        record = Record.objects.select_for_update().get(pk=record.pk)
        if record.file:
            return record
        trace = adapters.of_chunks([bytes(chunk.data) for chunk in record.chunks.all()])
        trouble = record.trouble or "no sample came from the meter"
        if len(trace) >= 3:
            record.job = log.job
            _complete(record, trace, log)
            record.chunks.all().delete()
            if record.routine and record.state == Record.State.DONE and not log.job.is_closed:
                _judge_routine(record, trace, log)
            return record
        record.delete()
    raise ReadingError(trouble, "meter", "check that it is on and reachable, or type the readings")


def _judge_routine(record: Record, trace: Trace, log: Log) -> None:
    """Record the checks of a routine that ran to its end; a stopped one gives none and says so."""
    known = log.shop.known
    stretches = stretches_of(known, record.routine)
    if trace.duration < stretches[-1].stop - 1.5:
        _leave_unjudged(record, "stopped before its end: no check was made of it")
        return
    try:
        result = judge_routine(known, record.routine, trace, stretches, adapters.conditions_of(record))
    except ReadingError as error:
        _leave_unjudged(record, str(error))
        return
    for event, reason in zip(result.events, [*result.reasons, *[""] * len(result.events)], strict=False):
        record.entries.add(log.add(event, reason or result.reasons[0]))
    record.reason = "; ".join(result.reasons)[:300]
    record.save(update_fields=["reason"])


def _leave_unjudged(record: Record, trouble: str) -> None:
    record.trouble = trouble[:200]
    record.save(update_fields=["trouble"])


def use_record(record: Record, check: str, *, user: User, now: datetime, shop: Shop | None = None) -> Entry:
    """Enter a record as the check `charger_current`, `charger_current@own` or `plug_wiggle`.

    Raises
    ------
    ReadingError
        No such check can be made of a record.

    """
    with open_job(record.job_id, user, now, shop) as log:
        if record.struck_at:
            raise ReadingError("it is struck out", "record", "undo that first")
        verdict = adapters.judge(record, adapters.load(record), log.shop.known)
        current, wiggle = verdict.current.reason, verdict.wiggle.reason
        events = {
            "charger_current": (current_event(verdict, record.percent), current),
            "charger_current@own": (current_event(verdict, record.percent, "own"), current),
            "plug_wiggle": (CheckEvent("plug_wiggle", grade=verdict.wiggle.grade), wiggle),
        }
        if check not in events:
            raise ReadingError(f"'{check}' cannot be made of a record", "check", f"one of {', '.join(events)}")
        event, reason = events[check]
        entry = log.add(event, f"from '{record.name}': {reason}")
        record.entries.add(entry)
    return entry


def set_conditions(
    record: Record, details: dict[str, Any], *, user: User, now: datetime, shop: Shop | None = None
) -> Record:
    """Correct the conditions of a record and judge it again.

    Raises
    ------
    JobError
        The job is closed.

    """
    with open_job(record.job_id, user, now, shop) as log:
        _set_conditions(record, details)
        verdict = adapters.judge(record, adapters.load(record), log.shop.known)
        for field, value in adapters.fields_of(verdict).items():
            setattr(record, field, value)
        record.save()
        log.event(f"record '{record.name}' under other conditions: {record.reason}", "record")
    return record


def keep_known_good(record: Record, *, user: User, now: datetime, shop: Shop | None = None) -> KnownGood:
    """Keep a record's plateau as the model's known-good one; a closed job's too.

    Raises
    ------
    ReadingError
        It has no settled plateau at low charge.

    """
    with open_job(record.job_id, user, now, shop, closed_too=True, right=Right.TEACH) as log:
        if record.struck_at:
            raise ReadingError("it is struck out", "record", "undo that first")
        plateau = record.figures.get("plateau") or 0.0
        taper_from = log.shop.known.checks["charger_current"].reading["taper_from_percent"]
        if plateau < 0.2 or (record.percent is not None and record.percent > taper_from):
            raise ReadingError(
                "no settled plateau at low charge", "record", f"take it under {taper_from:.0f} % on a good device"
            )
        return KnownGood.objects.create(model_name=log.job.model_name, amps=round(plateau, 3), by=user, at=now)


def start_waiting(
    job: Job | int, first: float, unit: str = "%", *, user: User, now: datetime, shop: Shop | None = None
) -> Waiting:
    """Start the timer of a device left on charge, at its battery percent (`unit` '%') or cell volts ('V').

    Raises
    ------
    JobError, DangerError
        The job is closed, or a danger forbids a charger.

    """
    with open_job(job, user, now, shop) as log:
        log.refuse_current("charger")
        Waiting.objects.under_way(log.job.pk).update(ended_at=now)
        return Waiting.objects.create(job=log.job, first=first, unit=unit, started_at=now, by=user)


def read_waiting(waiting: Waiting, value: float, *, user: User, now: datetime, shop: Shop | None = None) -> Waiting:
    """Enter a later reading, in the unit of the first; the check is made as soon as it says something."""
    minutes = (now - waiting.started_at).total_seconds() / 60
    with open_job(waiting.job_id, user, now, shop) as log:
        waiting = Waiting.objects.get(pk=waiting.pk)  # Somebody else may have entered one meanwhile.
        waiting.readings = [*waiting.readings, [round(minutes, 1), value]]
        try:
            result = judge_wait(log.shop.known, waiting.first, value, minutes, waiting.unit)
        except ReadingError:
            waiting.save(update_fields=["readings"])
            return waiting
        waiting.ended_at = now
        waiting.save(update_fields=["readings", "ended_at"])
        log.add(result.events[0], result.reasons[0])
    return waiting


def stop_waiting(waiting: Waiting, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """End the timer without a check; a closed job's too."""
    with open_job(waiting.job_id, user, now, shop, closed_too=True):
        waiting.ended_at = now
        waiting.save(update_fields=["ended_at"])
