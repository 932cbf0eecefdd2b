"""Other orders on the same device: asked for, agreed, done or not wanted."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from rainfront.counter.models import Extra, Order
from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.workshop.adapters import Shop

MOST = 20


def add_extra(
    job: Job | int,
    label: str,
    minutes: int,
    part: Decimal,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Extra:
    """Note another order on a job's device.

    Raises
    ------
    JobError
        It has no name, or there are too many.

    """
    with open_job(job, user, now, shop, right=Right.TAKE_IN) as log:
        if not label.strip():
            raise JobError("say what is ordered", "label", "as in: new screen")
        if Extra.objects.of_job(log.job.pk).count() >= MOST:
            raise JobError(f"{MOST} orders on one device", "label", "a job of its own")
        made = Extra.objects.create(job=log.job, label=label.strip(), minutes=minutes, part=part, by=user, at=now)
        log.event(f"also asked for: {made.label}, {minutes} min", "extra")
    return made


def set_extra(extra: Extra, state: str, *, user: User, now: datetime, shop: Shop | None = None) -> Extra:
    """Say how far another order is.

    Raises
    ------
    JobError
        There is no such state, or the device was handed over.

    """
    if state not in Extra.State.values:
        raise JobError(f"'{state}' is no state", "state", f"one of {', '.join(Extra.State.values)}")
    with open_job(extra.job_id, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = Order.objects.of_job(log.job.pk)
        if order is not None and order.handed_at:
            raise JobError("it was handed over already", f"job {log.job.pk}", "nothing to do")
        found: Extra = Extra.objects.select_for_update().get(pk=extra.pk)
        if found.state != state:
            found.state = state
            found.save(update_fields=["state"])
            log.event(f"{found.label}: {found.get_state_display()}", "extra")
    return found
