"""Taking a device in, at the counter or from a case file."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Any

from django.db import transaction

from chargepath.case.entries import Case, RepairEvent
from rainfront.jobs import adapters
from rainfront.jobs.actions.log import lock, refuse_unlock_code, settle, write
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.people.models import User

DETAILS = (
    "model_name", "customer", "kind", "connector", "carrier", "wireless", "value", "limit", "complaint", "history",
    "battery_percent", "backup", "hurry",
)  # fmt: skip


def take_in(details: dict[str, Any], *, user: User, now: datetime) -> Job:
    """Take a device in.

    Parameters
    ----------
    details : dict
        Values of the fields in `DETAILS`.

    Raises
    ------
    JobError
        A text seems to hold an unlock code.

    """
    for name in ("complaint", "model_name", "customer"):
        refuse_unlock_code(str(details.get(name, "")), name)
    with transaction.atomic():
        job = Job(taken_in_by=user, taken_in_at=now, changed_at=now, stage=Stage.OUTSIDE)
        for name in DETAILS:
            if name in details:
                setattr(job, name, details[name])
        job.save()
        write(job, Entry.EntryKind.EVENT, "taken in", user=user, now=now, name="take_in")
        settle(job, now=now)
    return job


def change_details(job: Job, details: dict[str, Any], *, user: User, now: datetime) -> Job:
    """Correct what was taken in; the log keeps what it was before.

    Raises
    ------
    JobError
        A text seems to hold an unlock code.

    """
    for name in ("complaint", "model_name", "customer"):
        refuse_unlock_code(str(details.get(name, "")), name)
    with transaction.atomic():
        job = lock(job)
        changes = []
        for name in DETAILS:
            if name in details and details[name] != getattr(job, name):
                label = getattr(Job._meta.get_field(name), "verbose_name", name)
                changes.append(f"{label}: {getattr(job, name)} → {details[name]}")
                setattr(job, name, details[name])
        if changes:
            job.changed_at = now
            job.save()
            write(job, Entry.EntryKind.EVENT, "; ".join(changes)[:2000], user=user, now=now, name="details")
    return job


def import_case(case: Case, *, model_name: str, customer: str, source: str, user: User, now: datetime) -> Job:
    """Make a job of a case file; a case with an outcome arrives closed."""
    refuse_unlock_code(f"{model_name} {customer}", "model")
    device = case.device
    with transaction.atomic():
        job = take_in(
            {
                "model_name": model_name,
                "customer": customer,
                "kind": device.kind,
                "connector": device.connector,
                "carrier": device.carrier,
                "wireless": device.wireless,
                "value": Decimal(str(round(device.value, 2))),
                "complaint": "Does not charge (imported case)",
                "history": list(case.history),
            },
            user=user,
            now=now,
        )
        text = f"imported from {source}"
        if case.ignored:
            text += f"; without meaning here and left out: {', '.join(case.ignored)}"
        write(job, Entry.EntryKind.EVENT, text[:2000], user=user, now=now, name="import")
        entries = [Entry(job=job, by=user, at=now, **adapters.fields_of(event)) for event in case.events]
        Entry.objects.bulk_create(entries)
        last = case.events[-1] if case.events else None
        proving = isinstance(last, RepairEvent) and last.works is not False
        settle(job, now=now, stage=Stage.PROVE if proving else "")
        if case.outcome:
            job.stage, job.closed_at, job.closed_by = Stage.CLOSED, now, user
            job.outcome_faults, job.outcome_works = list(case.outcome.faults), case.outcome.works
            job.save()
    return job
