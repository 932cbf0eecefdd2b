"""What is done to keep a shop's data: from the command line by night, or by the owner from the page."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from datetime import datetime, timedelta

from axes.models import AccessAttempt
from django.contrib.sessions.models import Session
from django_tasks_db.models import DBTaskResult

from chargepath.base.errors import ChargepathError
from rainfront.counter.actions import erase_customer, jobs_of_customer
from rainfront.counter.actions.erase import ERASED
from rainfront.day.models import Standing
from rainfront.instruments.models import Draft
from rainfront.jobs.models import Job
from rainfront.keeping import archive, media, places
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right, needs
from rainfront.web.once import forget_sent
from rainfront.web.working import clear_left

LOG = logging.getLogger("rainfront.keeping")
DRAFTS_KEPT, ATTEMPTS_KEPT, TASKS_KEPT = timedelta(days=7), timedelta(days=30), timedelta(days=1)
# A file without a row may belong to a write that is under way; after an hour it does not.
ORPHAN_S = 3600.0


def backup(*, now: datetime) -> archive.BackupFile:
    """Make a backup while people work.

    Raises
    ------
    BackupError
        It could not be made.

    """
    made = archive.make_backup(places.database(), places.files(), places.backups(), media.columns(), now=now)
    LOG.info("backup made", extra={"data": {"file": made.name, "bytes": made.size, "jobs": made.jobs}})
    return made


def test_newest(*, now: datetime) -> archive.BackupFile | None:
    """Read the newest backup back into a place of its own; None where there is none."""
    folder = places.backups()
    found = archive.list_backups(folder)
    if not found:
        return None
    tested = archive.test_restore(folder, found[0], now=now)
    log = LOG.error if tested.trouble else LOG.info
    log("backup read back", extra={"data": {"file": tested.name, "trouble": tested.trouble}})
    return tested


@needs(Right.KEEP)
def backup_now(*, user: User, now: datetime) -> archive.BackupFile:
    """Make a backup and read it back, asked for by the owner."""
    made = backup(now=now)
    return test_newest(now=now) or made


@dataclass(frozen=True)
class Tidied:
    """What was cleared away."""

    orphans: int
    drafts: int
    erased: int


def tidy(*, now: datetime, orphans_older_s: float = ORPHAN_S) -> Tidied:
    """Clear away what nobody needs: files without a row, old drafts, sessions, keys, attempts; customers by age."""
    drafts = list(Draft.objects.filter(at__lt=now - DRAFTS_KEPT))
    for draft in drafts:
        draft.file.delete(save=False)
        draft.delete()
    orphans = media.remove_orphans(orphans_older_s)
    for place in (places.backups(), places.backups() / "exchange"):
        clear_left(place)
    Session.objects.filter(expire_date__lt=now).delete()
    AccessAttempt.objects.filter(attempt_time__lt=now - ATTEMPTS_KEPT).delete()
    forget_sent()
    Standing.objects.filter(job__stage="closed").delete()
    DBTaskResult.objects.finished().filter(finished_at__lt=now - TASKS_KEPT).delete()
    return Tidied(len(orphans), len(drafts), len(erase_by_age(now=now)))


def erase_by_age(*, now: datetime) -> list[int]:
    """Erase customers whose jobs have been closed for as long as the owner keeps them; the jobs."""
    months = Workshop.current().keep_months
    owner = User.objects.filter(role=User.Role.OWNER, is_active=True).order_by("pk").first()
    if not months or owner is None:
        return []
    before, erased = now - timedelta(days=30.44 * months), []
    for pk in Job.objects.filter(closed_at__lt=before).exclude(customer=ERASED).values_list("pk", flat=True):
        theirs = Job.objects.filter(pk__in=jobs_of_customer(pk))
        if theirs.exclude(closed_at__lt=before).exists():  # Somebody who came again since.
            continue
        try:
            erased += erase_customer(pk, user=owner, now=now)
        except ChargepathError:
            LOG.exception("a customer could not be erased")
    return erased
