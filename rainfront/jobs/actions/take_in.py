"""Taking a device in, at the counter or from a case file."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.case.entries import HazardEvent
from rainfront.jobs.actions.returns import TROUBLE
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.jobs.signals import examples_changed
from rainfront.jobs.writing import open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.once import leads_to
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
    "bought_for",
    "complaint",
    "history",
    "wet_hours",
    "battery_percent",
    "backup",
    "hurry",
    "serial",
    "promised_at",
)
# What is known of a person is corrected without a trace of what it was.
PERSONAL = frozenset({"customer"})
TEXTS = ("complaint", "model_name", "customer", "serial")


def create_job(details: dict[str, Any], user: User, now: datetime, **more: Any) -> Job:
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
    same_trouble: bool | None = None,
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
    same_trouble : bool
        Of a device whose serial number was here before, which comes back from that job: whether its old trouble is
        back; None where nobody has said so yet.

    Raises
    ------
    JobError
        A text seems to hold an unlock code.

    """
    with transaction.atomic():
        earlier = Job.objects.closed_before(str(details.get("serial", "")))
        same = same_trouble if earlier else None
        made = create_job(details, user, now, came_from=earlier, same_trouble=same)
        text = f"received; comes back from job {earlier.pk}" if earlier else "received"
        text += f": {TROUBLE[same]}" if same is not None else ""
        Entry.objects.create(job=made, kind=Entry.EntryKind.EVENT, name="take_in", text=text, by=user, at=now)
        if same is not None:
            Job.objects.teach_again(earlier.case_id)
        leads_to(made.get_absolute_url())
    with open_job(made, user, now, shop, right=Right.TAKE_IN) as log:
        for hazard in seen:
            log.add(HazardEvent(hazard), "seen at the counter")
        log.settle()
    if same is not None:
        examples_changed.send(sender=Job)
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
