"""Erasing a customer for good, everywhere; what was measured and repaired stays, without a name."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db import connection, transaction
from django.db.models import Q

from rainfront.counter.actions.orders import order_for
from rainfront.counter.actions.redact import take_out
from rainfront.counter.models import Order, Visit
from rainfront.inside.models import Photo
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.workshop.adapters import Shop

ERASED = "erased"
# Words of a name that are shorter stand in too many other words to be looked for alone.
LEAST_LETTERS = 3


def jobs_of_customer(job: int) -> list[int]:
    """The jobs of whoever brought this one: of its visit, and of other visits with the same telephone or mail."""
    order = Order.objects.of_job(job)
    if order is None:
        return [job]
    visit = order.visit
    same = Q(pk=visit.pk)
    for field in ("phone", "mail"):
        if getattr(visit, field):
            same |= Q(**{f"{field}__iexact": getattr(visit, field)})
    visits = Visit.objects.filter(same)
    return sorted({job, *Order.objects.filter(visit__in=visits).values_list("job_id", flat=True)})


def _names(jobs: Sequence[int]) -> list[str]:
    """What the customer may be called in the texts of these jobs."""
    told: list[str] = []
    for job in Job.objects.filter(pk__in=jobs):
        told += [job.customer, job.serial]
    for visit in Visit.objects.filter(orders__job__in=jobs).distinct():
        parts = [word for word in visit.name.split() if len(word.strip(".,")) >= LEAST_LETTERS]
        told += [visit.name, visit.phone, visit.mail, *parts]
    return [text for text in dict.fromkeys(told) if len(text) > 1 and text != ERASED]


def _erase_one(log: Log, names: Sequence[str], now: datetime) -> None:
    job, visit = log.job, order_for(log).visit
    if names:
        take_out(log, names)
    for photo in Photo.objects.filter(job=job, removed_at__isnull=True):
        photo.file.delete(save=False)
        photo.removed_at, photo.caption = now, ERASED
        photo.save(update_fields=["removed_at", "caption"])
    Quote.objects.filter(job=job).exclude(answered_by="").update(answered_by=ERASED)
    visit.name, visit.phone, visit.mail, visit.erased_at = "", "", "", now
    visit.save()
    log.change(customer=ERASED, serial="")
    log.event("customer erased", "erase")


def erase_customer(job: int, *, user: User, now: datetime, shop: Shop | None = None) -> list[int]:
    """Erase whoever brought a job: contact, name, serial number, photos, and the name in every text; closed jobs' too.

    Returns
    -------
    list of int
        The jobs in which something was erased.

    Raises
    ------
    NotAllowed
        Neither the owner nor the lead asks.

    """
    shop = shop or Shop.current()
    with transaction.atomic():
        found = jobs_of_customer(job)
        names = _names(found)
        for pk in found:
            with open_job(pk, user, now, shop, closed_too=True, right=Right.ERASE) as log:
                _erase_one(log, names, now)
    if not connection.in_atomic_block:
        with connection.cursor() as cursor:  # What was overwritten must not stay in the log of writes.
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return found
