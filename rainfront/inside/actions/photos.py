"""Photos and their marks; hot spots become evidence."""

from __future__ import annotations

from datetime import datetime

from django.core.files.base import ContentFile
from django.db import transaction
from django.db.models import Max

from chargepath.base.errors import ReadingError
from chargepath.case.entries import CheckEvent
from chargepath.knowledge import shipped
from rainfront.inside.models import Mark, Photo, Sheet
from rainfront.inside.pictures import clean_picture
from rainfront.jobs.actions import record_event, strike_entry
from rainfront.jobs.actions.log import refuse_unlock_code, require_open, write
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User

MAX_PHOTOS, MAX_MARKS = 60, 30


def add_photo(
    job: Job,
    raw: bytes,
    caption: str,
    *,
    sheet: Sheet | None = None,
    entry: Entry | None = None,
    user: User,
    now: datetime,
) -> Photo:
    """Keep a picture, checked, scaled and without metadata.

    Raises
    ------
    ReadingError, JobError
        No picture, too large, or one too many; nothing is stored.

    """
    refuse_unlock_code(caption, "caption")
    picture, width, height = clean_picture(raw)
    with transaction.atomic():
        require_open(job)
        if Photo.objects.standing().filter(job=job).count() >= MAX_PHOTOS:
            raise ReadingError(f"the job holds {MAX_PHOTOS} photos", "photo", "remove one first")
        photo = Photo(
            job=job, caption=caption[:120], sheet=sheet, entry=entry, width=width, height=height, by=user, at=now
        )
        photo.file.save("photo.jpg", ContentFile(picture), save=False)
        photo.save()
        write(job, Entry.EntryKind.EVENT, f"photo: {photo.caption}", user=user, now=now, name="photo")
    return photo


def add_mark(
    photo: Photo, x: float, y: float, text: str, part: str = "", how: str = "", *, user: User, now: datetime
) -> Mark:
    """Put a numbered mark on a photo; one that names a part is a hot spot, and all of the job's become evidence.

    Raises
    ------
    ReadingError, JobError
        Beside the picture, unknown part or way of finding.

    """
    signs = shipped().checks["hot_spot"].signs
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise ReadingError("the mark is beside the picture", "place", "0 to 100 % of width and height")
    if part and part not in signs:
        raise ReadingError(f"'{part}' is no part", "what it is", f"one of {', '.join(signs)}")
    if how not in Mark.How.values:
        raise ReadingError(
            f"'{how}' is no way to find a hot spot", "found by", f"one of {', '.join(Mark.How.values[1:])}"
        )
    refuse_unlock_code(text, "mark")
    with transaction.atomic():
        require_open(photo.job)
        last = Mark.objects.filter(photo=photo).aggregate(last=Max("number"))["last"] or 0
        if last >= MAX_MARKS:
            raise ReadingError(f"the photo holds {MAX_MARKS} marks", "photo", "add another photo")
        mark = Mark.objects.create(
            photo=photo, number=last + 1, x=x, y=y, text=text[:120], part=part, how=how, by=user, at=now
        )
        if part:
            _enter_spots(photo.job, user, now)
    return mark


def _enter_spots(job: Job, user: User, now: datetime) -> None:
    """Every hot spot that stands on the job's photos, as one observation."""
    spots = Mark.objects.filter(photo__job=job, photo__removed_at__isnull=True, removed_at__isnull=True).exclude(
        part=""
    )
    rows = list(spots.select_related("photo").order_by("pk"))
    signs = tuple(dict.fromkeys(row.part for row in rows))
    for row in rows:
        if row.entry_id and row.entry and row.entry.struck_at is None:
            strike_entry(row.entry, "another spot was found or taken back", user=user, now=now)
    if not rows:
        return
    parts = [
        f"{row.photo.caption} mark {row.number}" + (f" by {row.get_how_display()}" if row.how else "") for row in rows
    ]
    entry = record_event(job, CheckEvent("hot_spot", signs=signs), user=user, now=now, text=("; ".join(parts))[:300])
    spots.update(entry=entry)


def remove_mark(mark: Mark, *, user: User, now: datetime) -> None:
    """Take a mark back; its number stays used, and the evidence is made anew without it."""
    with transaction.atomic():
        require_open(mark.photo.job)
        mark.removed_at = now
        mark.save(update_fields=["removed_at"])
        if mark.part:
            if mark.entry and mark.entry.struck_at is None:
                strike_entry(mark.entry, "a spot was taken back", user=user, now=now)
            _enter_spots(mark.photo.job, user, now)


def remove_photo(photo: Photo, *, user: User, now: datetime) -> None:
    """Take a photo out of the job; the log keeps that it was there."""
    with transaction.atomic():
        require_open(photo.job)
        photo.removed_at = now
        photo.save(update_fields=["removed_at"])
        write(photo.job, Entry.EntryKind.EVENT, f"photo removed: {photo.caption}", user=user, now=now, name="photo")
        for mark in photo.marks.exclude(part="").filter(removed_at__isnull=True):
            remove_mark(mark, user=user, now=now)
