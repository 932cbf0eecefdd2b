"""Screws and connectors: a map by number, taken out one by one, put back in reverse order; none may be left over."""

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
        raise JobError(f"there is no screw or connector {number} on the map", "screw", "one of those on the map")
    return found


def add_screw(
    job: Job | int,
    x: float,
    y: float,
    kind: str = Screw.Kind.SCREW,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Screw:
    """Add a hole or a connector to the map, at shares of its width and height.

    Raises
    ------
    JobError
        Outside the outline, too many, neither screw nor connector, or the job is closed.

    """
    if kind not in Screw.Kind.values:
        raise JobError("the map holds screws and connectors", "kind", "one of the two")
    with open_job(job, user, now, shop) as log:
        if not (0 <= x <= 1 and 0 <= y <= 1):
            raise JobError("that is beside the outline", "place", "press where the hole or the connector is")
        held = list(Screw.objects.filter(job=log.job).values_list("number", flat=True))
        if len(held) >= MOST:
            raise JobError(f"a map holds {MOST} screws and connectors", "screw", "take one off that is neither")
        number = max(held, default=0) + 1
        screw: Screw = Screw.objects.create(job=log.job, kind=kind, number=number, x=x, y=y)
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
        if screw.is_connector and place == Screw.Place.LOST:
            raise JobError("a connector is on or off", "place", "one of the two")
        if place == Screw.Place.LOST or screw.place == Screw.Place.LOST:
            said = "is missing" if place == Screw.Place.LOST else "was found"
            log.event(f"screw {number} {said}{': ' + note.strip() if note.strip() else ''}"[:2000], "screw")
        screw.place, screw.moved_at, screw.note = place, now, note.strip()[:200]
        screw.save(update_fields=["place", "moved_at", "note"])
        log.change(changed_at=now)
    return screw


def move_all(
    job: Job | int,
    place: str,
    kind: str = Screw.Kind.SCREW,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> int:
    """Every screw that is in comes out, in the order of the numbers, or every one that is out goes in.

    With `kind` "connector" the same with the connectors.
    """
    with open_job(job, user, now, shop) as log:
        other = Screw.Place.IN if place == Screw.Place.OUT else Screw.Place.OUT
        count = Screw.objects.filter(job=log.job, kind=kind, place=other).update(place=place, moved_at=now)
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
            raise JobError(f"{screw.kind} {number} is {screw.where}", "screw", "put it back first")
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
            raise JobError(
                f"no map of a {log.job.model_name} is kept", "screws", "press the holes and connectors on the outline"
            )
        Screw.objects.bulk_create(
            Screw(
                job=log.job,
                kind=row.kind,
                number=row.number,
                x=row.x,
                y=row.y,
                length_mm=row.length_mm,
                head=row.head,
            )
            for row in kept
        )
    return len(kept)
