"""Photos and their marks; hot spots become evidence."""

from __future__ import annotations

from datetime import datetime

from django.core.files.base import ContentFile
from django.db.models import Max

from chargepath.base.errors import ReadingError
from chargepath.case.entries import CheckEvent
from rainfront.inside.models import Mark, Photo, Sheet
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.web.decoding import clean_apart
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop

MAX_PHOTOS, MAX_MARKS = 60, 30
HOT_SPOT = "hot_spot"


def add_photo(
    job: Job | int,
    raw: bytes,
    caption: str,
    *,
    sheet: Sheet | None = None,
    entry: Entry | None = None,
    right: Right = Right.MEASURE,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Photo:
    """Keep a picture, checked, scaled and without metadata; `right` is what its user must be allowed.

    Raises
    ------
    ReadingError, JobError
        No picture, too large, or one too many; nothing is stored.

    """
    refuse_unlock_code(caption, "caption")
    picture, width, height = clean_apart(raw)
    with open_job(job, user, now, shop, right=right) as log:
        if Photo.objects.standing().filter(job=log.job).count() >= MAX_PHOTOS:
            raise ReadingError(f"the job holds {MAX_PHOTOS} photos", "photo", "remove one first")
        photo = Photo(
            job=log.job, caption=caption[:120], sheet=sheet, entry=entry, width=width, height=height, by=user, at=now
        )
        photo.file.save("photo.jpg", ContentFile(picture), save=False)
        photo.save()
        log.event(f"photo: {photo.caption}", "photo")
    return photo


def add_mark(
    photo: Photo,
    x: float,
    y: float,
    text: str,
    part: str = "",
    how: str = "",
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Mark:
    """Put a numbered mark on a photo; one that names a part is a hot spot, and all of the job's become evidence.

    Raises
    ------
    ReadingError, JobError
        Beside the picture, unknown part or way of finding.

    """
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise ReadingError("the mark is beside the picture", "place", "0 to 100 % of width and height")
    if how not in Mark.How.values:
        raise ReadingError(
            f"'{how}' is no way to find a hot spot", "found by", f"one of {', '.join(Mark.How.values[1:])}"
        )
    refuse_unlock_code(text, "mark")
    with open_job(photo.job_id, user, now, shop) as log:
        signs = log.shop.known.checks[HOT_SPOT].signs
        if part and part not in signs:
            raise ReadingError(f"'{part}' is no part", "what it is", f"one of {', '.join(signs)}")
        last = Mark.objects.filter(photo=photo).aggregate(last=Max("number"))["last"] or 0
        if last >= MAX_MARKS:
            raise ReadingError(f"the photo holds {MAX_MARKS} marks", "photo", "add another photo")
        mark = Mark.objects.create(
            photo=photo, number=last + 1, x=x, y=y, text=text[:120], part=part, how=how, by=user, at=now
        )
        if part:
            _enter_spots(log)
    return mark


def _enter_spots(log: Log) -> None:
    """Every hot spot that stands on the job's photos, as one observation."""
    rows = list(Mark.objects.hot_spots(log.job.pk))
    before = {row.entry_id: row.entry for row in rows if row.entry and row.entry.struck_at is None}
    for entry in before.values():
        log.strike(entry, "another spot was found or taken back")
    if not rows:
        return
    said = [
        f"{row.photo.caption} mark {row.number}" + (f" by {row.get_how_display()}" if row.how else "") for row in rows
    ]
    signs = tuple(dict.fromkeys(row.part for row in rows))
    entry = log.add(CheckEvent(HOT_SPOT, signs=signs), "; ".join(said))
    Mark.objects.hot_spots(log.job.pk).update(entry=entry)


def _remove_mark(log: Log, mark: Mark) -> None:
    mark.removed_at = log.now
    mark.save(update_fields=["removed_at"])
    if mark.part:
        if mark.entry and mark.entry.struck_at is None:
            log.strike(mark.entry, "a spot was taken back")
        _enter_spots(log)


def remove_mark(mark: Mark, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Take a mark back; its number stays used, and the evidence is made anew without it."""
    with open_job(mark.photo.job_id, user, now, shop) as log:
        _remove_mark(log, mark)


def remove_photo(photo: Photo, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Take a photo out of the job; the log keeps that it was there."""
    with open_job(photo.job_id, user, now, shop) as log:
        photo.file.delete(save=False)
        photo.removed_at, photo.file = now, ""
        photo.save(update_fields=["removed_at", "file"])
        log.event(f"photo removed: {photo.caption}", "photo")
        for mark in photo.marks.exclude(part="").filter(removed_at__isnull=True):
            _remove_mark(log, mark)
