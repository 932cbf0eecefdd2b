"""Screws: a map of holes by number, taken out one by one, put back in reverse order; the list has to come out empty."""

from __future__ import annotations

from datetime import datetime

from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.web.secrets import refuse_unlock_code
from rainfront.work.models import Screw
from rainfront.workshop.adapters import Shop

MOST = 60


def _screw(job: Job, number: int) -> Screw:
    found: Screw | None = Screw.objects.filter(job=job, number=number).first()
    if found is None:
        raise JobError(f"there is no screw {number} on the map", "screw", "one of those on the map")
    return found


def add_screw(job: Job | int, x: float, y: float, *, user: User, now: datetime, shop: Shop | None = None) -> Screw:
    """Add a hole to the map, at shares of its width and height.

    Raises
    ------
    JobError
        Outside the outline, too many, or the job is closed.

    """
    with open_job(job, user, now, shop) as log:
        if not (0 <= x <= 1 and 0 <= y <= 1):
            raise JobError("that is beside the outline", "place", "press where the hole is")
        held = list(Screw.objects.filter(job=log.job).values_list("number", flat=True))
        if len(held) >= MOST:
            raise JobError(f"a map holds {MOST} screws", "screw", "take one off that is no screw")
        screw: Screw = Screw.objects.create(job=log.job, number=max(held, default=0) + 1, x=x, y=y)
    return screw


def describe_screw(
    job: Job | int,
    number: int,
    length_mm: float | None,
    head: str,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Screw:
    """Say how long a screw is and what head it has."""
    refuse_unlock_code(head, "head")
    with open_job(job, user, now, shop) as log:
        screw = _screw(log.job, number)
        if length_mm is not None and not 0.5 <= length_mm <= 40:
            raise JobError(f"{length_mm:g} mm is no screw of such a device", "length", "0.5 to 40 mm")
        screw.length_mm, screw.head = length_mm, head.strip()[:20]
        screw.save(update_fields=["length_mm", "head"])
    return screw


def move_screw(
    job: Job | int,
    number: int,
    place: str,
    note: str = "",
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Screw:
    """A screw comes out, goes back in, is missing, or was found.

    Raises
    ------
    JobError
        No such screw or place.

    """
    refuse_unlock_code(note, "note")
    with open_job(job, user, now, shop) as log:
        screw = _screw(log.job, number)
        if place not in Screw.Place.values:
            raise JobError("a screw is in, out or missing", "place", "one of the three")
        if place == Screw.Place.LOST or screw.place == Screw.Place.LOST:
            said = "is missing" if place == Screw.Place.LOST else "was found"
            log.event(f"screw {number} {said}{': ' + note.strip() if note.strip() else ''}"[:2000], "screw")
        screw.place, screw.moved_at, screw.note = place, now, note.strip()[:200]
        screw.save(update_fields=["place", "moved_at", "note"])
        log.change(changed_at=now)
    return screw


def move_all(job: Job | int, place: str, *, user: User, now: datetime, shop: Shop | None = None) -> int:
    """Every screw that is in comes out, in the order of the numbers, or every one that is out goes in."""
    with open_job(job, user, now, shop) as log:
        other = Screw.Place.IN if place == Screw.Place.OUT else Screw.Place.OUT
        count = Screw.objects.filter(job=log.job, place=other).update(place=place, moved_at=now)
        log.change(changed_at=now)
    return count


def remove_screw(job: Job | int, number: int, *, user: User, now: datetime, shop: Shop | None = None) -> None:
    """Take a hole off the map that is none; a screw that is out or missing stays on it.

    Raises
    ------
    JobError
        It is out or missing.

    """
    with open_job(job, user, now, shop) as log:
        screw = _screw(log.job, number)
        if screw.place != Screw.Place.IN:
            raise JobError(f"screw {number} is {screw.get_place_display()}", "screw", "put it back first")
        screw.delete()


def copy_screws(job: Job | int, *, user: User, now: datetime, shop: Shop | None = None) -> int:
    """Take the map over from the newest job of the same model.

    Raises
    ------
    JobError
        There is none, or this job has a map already.

    """
    with open_job(job, user, now, shop) as log:
        if Screw.objects.filter(job=log.job).exists():
            raise JobError("this job has a map already", "screws", "add holes to it")
        kept = Screw.objects.kept_for(log.job.model_name)
        if not kept:
            raise JobError(f"no map of a {log.job.model_name} is kept", "screws", "press the holes on the outline")
        Screw.objects.bulk_create(
            Screw(job=log.job, number=row.number, x=row.x, y=row.y, length_mm=row.length_mm, head=row.head)
            for row in kept
        )
    return len(kept)
