"""Storing how a device was received, and what goes back with it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from rainfront.counter.models import DropOff
from rainfront.inside.actions import add_photo
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.workshop.adapters import Shop

# What a photo shows of which nobody said it.
AS_RECEIVED = "as received"


def note_drop_off(
    job: Job | int, values: Mapping[str, Any], *, user: User, now: datetime, shop: Shop | None = None
) -> DropOff:
    """Store marks, things that came along, what was agreed and a signature; what was stored before is replaced.

    Parameters
    ----------
    job : Job or int
    values : mapping
        `marks`, `things`, `other`, `condition`, `agreed`, `strokes`, `on_paper`; `picture`, the bytes of a photo of
        how the device looked or none, with `shows`, what it shows.

    Raises
    ------
    JobError
        The device was handed over.
    ReadingError
        The picture is none, or one too many; nothing is stored then.

    """
    with transaction.atomic():
        found = _note(job, values, user=user, now=now, shop=shop)
        if values.get("picture"):
            line = Entry.objects.filter(job_id=found.job_id, kind=Entry.EntryKind.EVENT, name="take_in").first()
            by: dict[str, Any] = {"user": user, "now": now, "shop": shop, "right": Right.TAKE_IN}
            add_photo(found.job_id, values["picture"], values.get("shows") or AS_RECEIVED, entry=line, **by)
    return found


def _note(job: Job | int, values: Mapping[str, Any], *, user: User, now: datetime, shop: Shop | None) -> DropOff:
    with open_job(job, user, now, shop, right=Right.TAKE_IN) as log:
        found = DropOff.objects.of_job(log.job.pk) or DropOff(job=log.job, by=user, at=now)
        fresh = {name: values[name] for name in ("marks", "things", "other", "condition", "agreed")}
        changed = any(getattr(found, name) != value for name, value in fresh.items())
        if found.signed and (changed or values.get("picture")):
            found.signed, found.strokes = "", []
            log.event("drop-off changed: the signature does not stand for it any more", "drop_off")
        for name, value in fresh.items():
            setattr(found, name, value)
        if values["strokes"]:
            found.signed, found.strokes = DropOff.Signed.SCREEN, values["strokes"]
        elif values["on_paper"] and not found.signed:
            found.signed = DropOff.Signed.PAPER
        new = found.pk is None
        found.by, found.at = user, now
        found.save()
        if new:
            log.event("drop-off noted", "drop_off")
    return found


def give_back(log: Log, back: Collection[str], stays: bool) -> None:
    """Note what goes back with a device; refused where something that came along would stay behind without a word.

    Raises
    ------
    JobError
        Something that came along was not ticked, and nobody said that it stays.

    """
    found = DropOff.objects.of_job(log.job.pk)
    if found is None:
        return
    came = found.came_along
    kept = [label for name, label in came.items() if name not in back]
    if kept and not stays:
        raise JobError(f"still here: {', '.join(kept)}", "back", "tick what goes back, or say that the rest stays")
    found.back = [name for name in came if name in back]
    found.save(update_fields=["back"])
    if came:
        log.event("went back: " + (", ".join(came[name] for name in found.back) or "nothing that came along"), "back")
    if kept:
        log.event(f"stays here, as was said: {', '.join(kept)}", "back")
