"""Devices that come back: linked to the job they come from, with what that means for it."""

from __future__ import annotations

from datetime import datetime

from rainfront.jobs.models import Job
from rainfront.jobs.signals import examples_changed
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.workshop.adapters import Shop

# What is said of a device that was here before: is its old trouble back?
TROUBLE = {True: "the same trouble", False: "a new trouble", None: "not known yet whether the same trouble"}


def link_return(
    job: Job | int,
    first: int | None,
    same_trouble: bool | None,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Job:
    """Say which job a device comes back from (None: from none), and whether the old trouble is back.

    The old trouble counts against what was done then; a new one on the same device does not.

    Raises
    ------
    JobError
        There is no such job, it is not closed, it is this one, or comes back from this one.

    """
    with open_job(job, user, now, shop, closed_too=True, right=Right.TAKE_IN) as log:
        earlier = Job.objects.filter(pk=first).first() if first is not None else None
        if first is not None and (earlier is None or earlier.pk == log.job.pk or not earlier.is_closed):
            raise JobError(f"no closed job {first}", "came back from", "the number of the job that was closed then")
        if earlier is not None and _comes_from(earlier, log.job.pk):
            raise JobError(f"job {first} comes back from this one", "came back from", "the one that was there first")
        before = (log.job.came_from_id, log.job.same_trouble)
        log.change(came_from=earlier, same_trouble=same_trouble if earlier else None)
        changed = before != (log.job.came_from_id, log.job.same_trouble)
        if changed:
            said = f"job {first}: {TROUBLE[same_trouble]}" if earlier else "no other job"
            log.event(f"comes back from {said}", "returned")
            linked = Job.objects.filter(pk__in=[pk for pk in (before[0], log.job.came_from_id) if pk])
            Job.objects.teach_again(*linked.values_list("case_id", flat=True))
    if changed:
        examples_changed.send(sender=Job)
    return log.job


def _comes_from(job: Job, other: int) -> bool:
    """Whether a job comes back, over however many others, from `other`."""
    seen = set()
    current: Job | None = job
    while current is not None and current.pk not in seen:
        if current.came_from_id == other:
            return True
        seen.add(current.pk)
        current = current.came_from
    return False
