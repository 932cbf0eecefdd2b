"""Taking a device in, at the counter or from a case file."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any

from django.db import transaction

from chargepath.case.entries import Case, HazardEvent
from chargepath.case.file import case_id
from chargepath.case.timeline import repaired_here
from rainfront.jobs.adapters import fields_of
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.jobs.tasks import learn
from rainfront.jobs.writing import open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.later import soon
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop

DETAILS = (
    "model_name",
    "customer",
    "kind",
    "connector",
    "carrier",
    "wireless",
    "traits",
    "value",
    "limit",
    "complaint",
    "history",
    "battery_percent",
    "backup",
    "hurry",
    "serial",
    "promised_at",
)
# What is known of a person is corrected without a trace of what it was.
PERSONAL = frozenset({"customer"})
TEXTS = ("complaint", "model_name", "customer", "serial")


def _create(details: dict[str, Any], user: User, now: datetime, **more: Any) -> Job:
    """Check the texts and store the job."""
    require(user, Right.TAKE_IN)
    for name in TEXTS:
        refuse_unlock_code(str(details.get(name, "")), name)
    job = Job(taken_in_by=user, taken_in_at=now, changed_at=now, stage=Stage.OUTSIDE, **more)
    for name in DETAILS:
        if name in details:
            setattr(job, name, details[name])
    job.save()
    return job


def take_in(
    details: dict[str, Any],
    *,
    seen: Sequence[str] = (),
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Job:
    """Take a device in.

    Parameters
    ----------
    details : dict
        Values of the fields in `DETAILS`.
    seen : sequence of hazard ids
        Dangers seen at the counter.

    A device whose serial number was here before comes back from that job; whether with the old trouble is said later.

    Raises
    ------
    JobError
        A text seems to hold an unlock code.

    """
    with transaction.atomic():
        earlier = Job.objects.closed_before(str(details.get("serial", "")))
        made = _create(details, user, now, came_from=earlier)
        text = f"taken in; the device was here as job {earlier.pk}" if earlier else "taken in"
        Entry.objects.create(job=made, kind=Entry.EntryKind.EVENT, name="take_in", text=text, by=user, at=now)
    with open_job(made, user, now, shop, right=Right.TAKE_IN) as log:
        for hazard in seen:
            log.add(HazardEvent(hazard), "seen at the counter")
        log.settle()
    return log.job


def change_details(
    job: Job | int, details: dict[str, Any], *, user: User, now: datetime, shop: Shop | None = None
) -> Job:
    """Correct what was taken in; the log keeps what it was before.

    Raises
    ------
    JobError
        A text seems to hold an unlock code, or the job is closed.

    """
    for name in TEXTS:
        refuse_unlock_code(str(details.get(name, "")), name)
    with open_job(job, user, now, shop, right=Right.TAKE_IN) as log:
        changes = []
        for name in DETAILS:
            before = getattr(log.job, name)
            if name in details and details[name] != before:
                label = getattr(Job._meta.get_field(name), "verbose_name", name)
                changes.append(f"{label} corrected" if name in PERSONAL else f"{label}: {before} → {details[name]}")
                log.change(**{name: details[name]})
        if changes:
            log.event("; ".join(changes)[:2000], "details")
    return log.job


def import_case(
    case: Case,
    *,
    model_name: str,
    customer: str,
    source: str,
    user: User,
    now: datetime,
    shop: Shop | None = None,
    teach: bool = True,
) -> Job:
    """Make a job of a case file; one with an outcome arrives closed and teaches, but a copy does not teach again.

    Whoever imports many at once learns once when all are in, and sets `teach` to False.
    """
    refuse_unlock_code(source, "name of the file")
    device, shop = case.device, shop or Shop.current()
    with transaction.atomic():
        made = _create(
            {
                "model_name": model_name,
                "customer": customer,
                "kind": device.kind,
                "connector": device.connector,
                "carrier": device.carrier,
                "wireless": device.wireless,
                "traits": list(device.traits),
                "value": Decimal(str(round(device.value, 2))),
                "complaint": case.complaint or "Does not charge (imported case)",
                "limit": None if case.limit is None else Decimal(str(round(case.limit, 2))),
                "history": list(case.history),
            },
            user,
            now,
            case_id=case_id(case, shop.known),
        )
        text = f"imported from {source}"
        if case.ignored:
            text += f"; without meaning here and left out: {', '.join(case.ignored)}"
        lines = [
            Entry(job=made, kind=Entry.EntryKind.EVENT, name="take_in", text="taken in", by=user, at=now),
            Entry(job=made, kind=Entry.EntryKind.EVENT, name="import", text=text[:2000], by=user, at=now),
        ]
        events = [Entry(job=made, by=user, at=now, **fields_of(event)) for event in case.events]
        Entry.objects.bulk_create([*lines, *events])
    last = case.events[-1] if case.events else None
    proving = last is not None and repaired_here(last) and last.works is not False
    with open_job(made, user, now, shop, right=Right.MEASURE) as log:
        if case.outcome:
            log.change(stage=Stage.CLOSED, closed_at=now, closed_by=user)
            log.change(outcome_faults=list(case.outcome.faults), outcome_works=case.outcome.works)
            Job.objects.teach_again(log.job.case_id)
        else:
            log.settle(Stage.PROVE if proving else "")
    if case.outcome and teach:
        soon(learn)
    return log.job
