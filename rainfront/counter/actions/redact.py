"""Taking a text out of a job for good: an unlock code that slipped in, a name that should not stand there."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from datetime import datetime

from django.core.files.base import ContentFile
from django.db import models

from rainfront.jobs.models import Job
from rainfront.jobs.signals import words_redacted
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.words import counted
from rainfront.workshop.adapters import Shop

REDACTED, MOST_LETTERS = "[redacted]", 300


def redact(job: Job | int, text: str, *, user: User, now: datetime, shop: Shop | None = None) -> int:
    """Take a text out of everything that people wrote on a job, history included; a closed job's too.

    Only that something was redacted stays, with who and when. It is found whatever its capitals, as a word of its own.

    Returns
    -------
    int
        In how many texts it stood.

    Raises
    ------
    NotAllowed
        Not by the lead (403).
    JobError
        Less than two characters, or it stands nowhere on this job.

    """
    require(user, Right.REDACT)
    wanted = " ".join(text.split())
    if len(wanted) > MOST_LETTERS:
        raise JobError(f"{len(wanted):,} characters are too many", "text", f"up to {MOST_LETTERS} at a time")
    if len(wanted) < 2:
        raise JobError("that is too short to be looked for", "text", "the code or the words, two characters or more")
    with open_job(job, user, now, shop, closed_too=True, right=Right.REDACT) as log:
        found = take_out(log, [wanted])
        if not found:
            raise JobError("that stands nowhere on this job", "text", "type it as it was written")
        log.event(f"a text was redacted, in {counted(found, 'place')}", "redact")
    words_redacted.send(sender=Job)
    return found


def take_out(log: Log, texts: Sequence[str]) -> int:
    """Take texts out of everything that people wrote on an open job; in how many texts they stood.

    What is only made from the job (`MADE_FROM_JOB`) loses them too, and is not counted.
    """
    spaced = (r"\s+".join(re.escape(word) for word in text.split()) for text in texts)
    pattern = re.compile(rf"(?<!\w)(?:{'|'.join(spaced)})(?!\w)", re.IGNORECASE)
    found = [(row, _take_out(row, pattern)) for row in list(_rows(log.job))]
    return sum(count for row, count in found if not getattr(row, "MADE_FROM_JOB", False))


def _rows(row: models.Model) -> Iterator[models.Model]:
    """A row, and every row that hangs on it, as far as people wrote something there."""
    yield row
    for relation in row._meta.related_objects:
        model = relation.related_model
        if relation.many_to_many or not hasattr(model, "WORDS") or isinstance(row, model):
            continue
        for below in model._base_manager.filter(**{relation.field.name: row.pk}):
            yield from _rows(below)


def _take_out(row: models.Model, pattern: re.Pattern[str]) -> int:
    """Take it out of one row's texts and files; how many held it."""
    changed = []
    for name in row.WORDS:  # type: ignore[attr-defined]
        value = getattr(row, name)
        if isinstance(value, models.fields.files.FieldFile):
            changed += [name] * _take_out_of_file(value, pattern)
        elif isinstance(value, dict) and any(pattern.search(text) for text in value.values()):
            setattr(row, name, {key: pattern.sub(REDACTED, text) for key, text in value.items()})
            changed.append(name)
        elif isinstance(value, str) and pattern.search(value):
            most = row._meta.get_field(name).max_length  # type: ignore[union-attr]
            setattr(row, name, pattern.sub(REDACTED, value)[:most])
            changed.append(name)
    if changed:
        row.save(update_fields=changed)
    return len(changed)


def _take_out_of_file(file: models.fields.files.FieldFile, pattern: re.Pattern[str]) -> bool:
    if not file:
        return False
    with file.open("rb") as opened:
        text = opened.read().decode("latin-1")
    if not pattern.search(text):
        return False
    name = str(file.name).rsplit("/", 1)[-1]
    file.delete(save=False)
    file.save(name, ContentFile(pattern.sub(REDACTED, text).encode("latin-1")), save=False)
    return True
