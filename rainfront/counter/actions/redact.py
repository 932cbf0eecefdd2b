"""Taking a text out of a job for good: an unlock code that slipped in, a name that should not stand there."""

from __future__ import annotations

from datetime import datetime

from rainfront.counter.everywhere import Search, rows_of
from rainfront.jobs.models import Job
from rainfront.jobs.signals import words_redacted
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right, require
from rainfront.web.spellings import Spellings
from rainfront.web.words import counted
from rainfront.workshop.adapters import Shop

REDACTED, MOST_LETTERS = "[redacted]", 300


def redact(job: Job | int, text: str, *, user: User, now: datetime, shop: Shop | None = None) -> int:
    """Take a text out of everything that people wrote on a job, history included; a closed job's too.

    Only that something was redacted stays, with who and when. It is found as a word of its own, however it is spelled
    (`web.spellings`).

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
        here = Spellings.of([wanted], possessive=False)
        places = Search(rows_of(log.job.pk), Spellings(), here).take_out(REDACTED)
        found = sum(not place.is_made for place in places)
        log.job.refresh_from_db()
        if not found:
            raise JobError("that stands nowhere on this job", "text", "type it as it was written")
        log.event(f"a text was redacted, in {counted(found, 'place')}", "redact")
    words_redacted.send(sender=Job)
    return found
