"""Every write to a record: check, atomic, log."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.core.files.base import ContentFile
from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.case.entries import CheckEvent
from chargepath.knowledge import shipped
from chargepath.trace.model import Trace
from chargepath.trace.routines import judge_routine, judge_wait, marks_of
from chargepath.trace.table import Layout, decode, read
from chargepath.trace.verdict import current_event
from rainfront.instruments import adapters
from rainfront.instruments.models import Chunk, Draft, KnownGood, Record, Waiting
from rainfront.jobs.actions import record_event
from rainfront.jobs.actions.log import refuse_unlock_code, require_open, write
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User

STALE = timedelta(seconds=12)
CONDITIONS = ("source", "percent", "screen_on", "cell_temp_c")


def keep_draft(job: Job, raw: bytes, name: str, origin: str, *, user: User, now: datetime) -> Draft:
    """Keep a text until the person has confirmed how it is read."""
    require_open(job)
    for old in Draft.objects.filter(job=job, by=user):
        _drop_draft(old)
    return Draft.objects.create(
        job=job, name=name[:80], origin=origin, by=user, at=now, file=ContentFile(raw, name="draft.txt")
    )


def store_draft(draft: Draft, layout: Layout, details: dict[str, Any], *, user: User, now: datetime) -> Record:
    """Read a draft by a confirmed layout, judge it and store it.

    Raises
    ------
    ReadingError
        It cannot be read that way; the draft stays.
    JobError
        The name seems to hold an unlock code.

    """
    refuse_unlock_code(str(details.get("name", "")), "name")
    with draft.file.open("rb") as file:
        reading = read(decode(file.read()), layout)
    record = Record(
        job=draft.job,
        name=details.get("name") or draft.name,
        origin=draft.origin,
        rejected=reading.rejected,
        rejects=[[reject.line, reject.reason] for reject in reading.rejects],
        by=user,
        started_at=now,
        last_at=now,
    )
    for field in CONDITIONS:
        if field in details:
            setattr(record, field, details[field])
    with transaction.atomic():
        _complete(record, reading.trace)
        text = f"record '{record.name}': {record.samples} samples, {record.reason}"
        write(record.job, Entry.EntryKind.EVENT, text, user=user, now=now, name="record")
    _drop_draft(draft)
    return record


def _drop_draft(draft: Draft) -> None:
    """Remove a draft with its file."""
    draft.file.delete(save=False)
    draft.delete()


def _complete(record: Record, trace: Trace) -> None:
    """Judge a whole trace and store it with its verdict."""
    verdict = adapters.judge(record, trace)
    for field, value in adapters.fields_of(verdict).items():
        setattr(record, field, value)
    record.samples = len(trace)
    record.state = Record.State.DONE if record.state != Record.State.BROKEN else record.state
    record.file = adapters.pack(trace)
    record.save()


def start_record(job: Job, routine: str, details: dict[str, Any], *, user: User, now: datetime) -> Record:
    """Begin a live record.

    Raises
    ------
    JobError, ReadingError
        The job is closed, a record is running already, or the routine is unknown.

    """
    known = shipped()
    if routine and (routine not in known.routines or not known.routines[routine].steps):
        allowed = [name for name, found in known.routines.items() if found.steps]
        raise ReadingError(f"'{routine}' is no routine with a record", "routine", f"one of {', '.join(allowed)}")
    mend_stale(job.pk, now=now)
    with transaction.atomic():
        require_open(job)
        if Record.objects.running().filter(job=job).exists():
            raise ReadingError("a record is running already", f"job {job.pk}", "stop it first")
        name = known.routines[routine].label if routine else "Live record"
        record = Record(
            job=job, name=name, origin=Record.Origin.LIVE, state=Record.State.RUNNING, routine=routine, by=user
        )
        record.started_at = record.last_at = now
        for field in CONDITIONS:
            if field in details:
                setattr(record, field, details[field])
        record.save()
    return record


def append_samples(record_id: int, rows: list[tuple[float, float, float]], *, now: datetime) -> bool:
    """Append samples to a running record; False where it has been stopped meanwhile."""
    with transaction.atomic():
        running = Record.objects.filter(pk=record_id, state=Record.State.RUNNING).update(last_at=now)
        if running and rows:
            Chunk.objects.create(record_id=record_id, data=np.array(rows, dtype=np.float64).tobytes())
    return bool(running)


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


def finish_record(record: Record, *, user: User, now: datetime) -> Record:
    """Stop a live record, judge what was taken, and turn a whole routine into its checks.

    Raises
    ------
    ReadingError
        Nothing was taken; the record is removed.

    """
    with transaction.atomic():
        record = Record.objects.select_for_update().select_related("job").get(pk=record.pk)
        if record.file:
            return record
        trace = adapters.of_chunks([bytes(chunk.data) for chunk in record.chunks.all()])
        if len(trace) < 3:
            trouble = record.trouble or "no sample came from the meter"
            record.delete()
            raise ReadingError(trouble, "meter", "check that it is on and reachable, or type the readings")
        _complete(record, trace)
        record.chunks.all().delete()
        text = f"record '{record.name}': {record.samples} samples, {record.reason}"
        write(record.job, Entry.EntryKind.EVENT, text, user=user, now=now, name="record")
    if record.routine and record.state == Record.State.DONE:
        _judge_routine(record, trace, user, now)
    return record


def _judge_routine(record: Record, trace: Trace, user: User, now: datetime) -> None:
    """Record the checks of a routine that ran to its end; a stopped one gives none and says so."""
    known = shipped()
    marks = marks_of(known, record.routine)
    if trace.duration < marks[-1].stop - 1.5:
        record.trouble = "stopped before its end: no check was made of it"
        record.save(update_fields=["trouble"])
        return
    try:
        result = judge_routine(known, record.routine, trace, marks, adapters.conditions_of(record))
    except ReadingError as error:
        record.trouble = str(error)[:200]
        record.save(update_fields=["trouble"])
        return
    for event, reason in zip(result.events, [*result.reasons, *[""] * len(result.events)], strict=False):
        _enter(record, event, reason or result.reasons[0], user, now)
    record.reason = "; ".join(result.reasons)[:300]
    record.save(update_fields=["reason"])


def _enter(record: Record, event: CheckEvent, reason: str, user: User, now: datetime) -> None:
    entry = record_event(record.job, event, user=user, now=now, text=reason[:300])
    record.entries.add(entry)


def use_record(record: Record, check: str, *, user: User, now: datetime) -> Entry:
    """Enter a record as the check `charger_current`, `charger_current@own` or `plug_wiggle`.

    Raises
    ------
    ReadingError
        No such check can be made of a record.

    """
    verdict = adapters.judge(record, adapters.load(record))
    events = {
        "charger_current": current_event(verdict, record.percent),
        "charger_current@own": current_event(verdict, record.percent, "own"),
        "plug_wiggle": CheckEvent("plug_wiggle", grade=verdict.wiggle.grade),
    }
    if check not in events:
        raise ReadingError(f"'{check}' cannot be made of a record", "check", f"one of {', '.join(events)}")
    reason = verdict.wiggle.reason if check == "plug_wiggle" else verdict.current.reason
    entry = record_event(record.job, events[check], user=user, now=now, text=f"from '{record.name}': {reason}"[:300])
    record.entries.add(entry)
    return entry


def set_conditions(record: Record, details: dict[str, Any], *, user: User, now: datetime) -> Record:
    """Correct the conditions of a record and judge it again."""
    for field in CONDITIONS:
        if field in details:
            setattr(record, field, details[field])
    for field, value in adapters.fields_of(adapters.judge(record, adapters.load(record))).items():
        setattr(record, field, value)
    with transaction.atomic():
        record.save()
        text = f"record '{record.name}' under other conditions: {record.reason}"
        write(record.job, Entry.EntryKind.EVENT, text, user=user, now=now, name="record")
    return record


def keep_known_good(record: Record, *, user: User, now: datetime) -> KnownGood:
    """Keep a record's plateau as the model's known-good one.

    Raises
    ------
    ReadingError
        It has no settled plateau at low charge.

    """
    plateau = record.figures.get("plateau") or 0.0
    taper_from = shipped().checks["charger_current"].reading["taper_from_percent"]
    if plateau < 0.2 or (record.percent is not None and record.percent > taper_from):
        raise ReadingError(
            "no settled plateau at low charge", "record", f"take it under {taper_from:.0f} % on a good device"
        )
    return KnownGood.objects.create(model_name=record.job.model_name, amps=round(plateau, 3), by=user, at=now)


def start_waiting(job: Job, first: float, *, user: User, now: datetime) -> Waiting:
    """Start the timer of a device left on charge.

    Raises
    ------
    JobError
        The job is closed.

    """
    require_open(job)
    with transaction.atomic():
        Waiting.objects.under_way(job.pk).update(ended_at=now)
        return Waiting.objects.create(job=job, first=first, started_at=now, by=user)


def read_waiting(waiting: Waiting, value: float, *, user: User, now: datetime) -> Waiting:
    """Enter a later reading; the check is made as soon as it says something.

    Raises
    ------
    ReadingError
        Percent compared with volts.

    """
    if (value > 5) != (waiting.first > 5) and max(value, waiting.first) > 5 and min(value, waiting.first) > 1.5:
        raise ReadingError(
            f"{value:g} against {waiting.first:g}", "reading", "percent both times, or cell volts both times"
        )
    minutes = (now - waiting.started_at).total_seconds() / 60
    waiting.readings = [*waiting.readings, [round(minutes, 1), value]]
    try:
        result = judge_wait(shipped(), waiting.first, value, minutes)
    except ReadingError:
        waiting.save(update_fields=["readings"])
        return waiting
    with transaction.atomic():
        waiting.ended_at = now
        waiting.save(update_fields=["readings", "ended_at"])
        record_event(waiting.job, result.events[0], user=user, now=now, text=result.reasons[0])
    return waiting


def stop_waiting(waiting: Waiting, *, now: datetime) -> None:
    """End the timer without a check."""
    waiting.ended_at = now
    waiting.save(update_fields=["ended_at"])


def set_meter(form: Any) -> None:
    """Store where the meter is, from a valid form."""
    form.save()
