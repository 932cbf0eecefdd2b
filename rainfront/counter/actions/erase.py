"""Erasing a customer for good, everywhere; what was measured and repaired stays, without a name."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db import connection, transaction
from django.db.models import Q

from rainfront.counter.actions.orders import order_for
from rainfront.counter.actions.redact import REDACTED
from rainfront.counter.everywhere import Mention, Search, own_rows
from rainfront.counter.models import DropOff, Order, Visit
from rainfront.inside.models import Photo
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.signals import job_changed, words_redacted
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.files import files_go_with_it
from rainfront.web.spellings import Spellings
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


def _search(jobs: Sequence[int], nicknames: Sequence[str], *, everywhere: bool) -> Search:
    """What the customer of these jobs may be called, and where that is looked for."""
    whole: list[str] = []
    for job in Job.objects.filter(pk__in=jobs):
        whole += [job.customer, job.serial]
    numbers, mails = [], []
    visits = list(Visit.objects.filter(orders__job__in=jobs).distinct())
    for visit in visits:
        whole.append(visit.name)
        numbers.append(visit.phone)
        mails.append(visit.mail)
    whole = [text for text in dict.fromkeys(whole) if len(text) > 1 and text != ERASED]
    words = [word for name in whole for word in name.split() if len(word.strip(".,")) >= LEAST_LETTERS]
    # One word alone, as "purser" or a common name, means somebody else in another customer's job.
    sure = [name for name in whole if len(name.split()) > 1 or any(map(str.isdigit, name))]
    here = Spellings.of([*whole, *words, *nicknames], numbers=numbers, mails=mails)
    alone = Spellings.of([*sure, *nicknames], numbers=numbers, mails=mails)
    own = own_rows(jobs, [visit.pk for visit in visits])
    return Search(own, here if everywhere else alone, here)


def find_customer(job: int, nicknames: Sequence[str] = (), *, everywhere: bool = False) -> list[Mention]:
    """Where the customer of a job is named, as `erase_customer` would take it out; nothing is changed."""
    return _search(jobs_of_customer(job), nicknames, everywhere=everywhere).find()


def _erase_one(log: Log, now: datetime) -> None:
    job, visit = log.job, order_for(log).visit
    for photo in Photo.objects.filter(job=job).exclude(file=""):
        photo.file.delete(save=False)
        photo.removed_at, photo.caption, photo.file = photo.removed_at or now, ERASED, ""
        photo.save(update_fields=["removed_at", "caption", "file"])
    Quote.objects.filter(job=job).exclude(answered_by="").update(answered_by=ERASED)
    DropOff.objects.filter(job=job, signed=DropOff.Signed.SCREEN).update(signed="", strokes=[])
    visit.name, visit.phone, visit.mail, visit.erased_at = "", "", "", now
    visit.save()
    log.change(customer=ERASED, serial="")
    log.event("customer erased", "erase")


def erase_customer(
    job: int,
    nicknames: Sequence[str] = (),
    *,
    everywhere: bool = False,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> list[int]:
    """Erase whoever brought a job: contact, name, serial number, photos, and the name in every text and file.

    Parameters
    ----------
    job : int
    nicknames : sequence of str
        What else they are called; taken out everywhere.
    everywhere : bool
        Each word of the name is taken out of other customers' jobs too, not only the whole name.

    Returns
    -------
    list of int
        The jobs of this customer, closed ones too.

    Raises
    ------
    NotAllowed
        Neither the owner nor the lead asks.

    """
    require(user, Right.ERASE)
    shop = shop or Shop.current()
    found = jobs_of_customer(job)
    # The whole shop is looked through before the database is locked: nobody else waits for that. What hangs on the
    # customer's own jobs is looked through again inside, since somebody may have written there meanwhile.
    elsewhere = {place.row for place in _search(found, nicknames, everywhere=everywhere).find() if not place.own}
    with files_go_with_it(), transaction.atomic():
        places = _search(found, nicknames, everywhere=everywhere).take_out(REDACTED, elsewhere)
        for pk in found:
            with open_job(pk, user, now, shop, closed_too=True, right=Right.ERASE) as log:
                _erase_one(log, now)
    changed = {key for label, key in (place.row for place in places) if label == "jobs.Job"}
    for pk in changed - set(found):
        job_changed.send(sender=Job, job=pk)
    words_redacted.send(sender=Job)
    if not connection.in_atomic_block:
        with connection.cursor() as cursor:  # What was overwritten must not stay in the log of writes.
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return found
