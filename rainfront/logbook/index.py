"""Making a job's page in the logbook, and keeping the pages up to date."""

from __future__ import annotations

import numpy as np
from django.db import connection, transaction

from chargepath.base.sentences import inside
from chargepath.diagnosis.alike import cause_likelihoods, shown_by
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.jobs.adapters import case_of, device_of
from rainfront.jobs.extensions import texts_of
from rainfront.jobs.fetching import complete
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.presenters.words import entry_words, told
from rainfront.logbook.models import Fact, Measured, Page
from rainfront.logbook.signals import page_written
from rainfront.workshop.adapters import Shop

AT_ONCE = 50
ENDED = {
    "works": "works again",
    "on": "handed on or back",
    "back": "came back",
    "open": "still open",
    "cancelled": "cancelled",
}
# What is said of a closed job without a fault, by whether it works.
NOTHING, NOT_FOUND = "nothing was wrong", "the cause was not found"


def follow_jobs(shop: Shop, most: int = AT_ONCE) -> int:
    """Make the pages of jobs that were written on since, the newest first; how many there were."""
    jobs = list(Job.objects.with_people().log_is_due()[:most])
    for job in jobs:
        write_page(job, shop)
    return len(jobs)


def write_page(job: Job, shop: Shop) -> None:
    """Make a job's page anew, with everything that it can be found by."""
    complete(job)
    known = shop.known
    entries = [row for row in job.log if row.struck_at is None]
    checks = [row for row in entries if row.kind == Entry.EntryKind.CHECK and row.name in known.checks]
    case = case_of(job, shop.shipped)
    numbers = {
        (f"{row.name}.{name}", float(value)) for row in checks for name, value in row.values.items() if value != "OL"
    }
    with transaction.atomic():
        Page.objects.update_or_create(
            job_id=job.pk,
            defaults={
                "text": "\n".join(_lines(job, entries, shop)),
                "at": job.closed_at or job.taken_in_at,
                "causes": cause_likelihoods(shop.shipped, case).astype(np.float32).tobytes() if checks else b"",
                "shown": sorted(f"{key} {shows}" for key, shows in shown_by(shop.shipped, case)),
                "basis": shop.shipped_name,
                "closed": job.is_closed and not job.is_cancelled,
            },
        )
        Fact.objects.filter(job=job).delete()
        Fact.objects.bulk_create(
            [Fact(job=job, kind=kind, value=value[:80]) for kind, value in _facts(job, entries, shop)]
        )
        Measured.objects.filter(job=job).delete()
        Measured.objects.bulk_create([Measured(job=job, name=name, number=number) for name, number in sorted(numbers)])
        page_written.send(sender=Page, job=job, shop=shop)
        Job.objects.settle_due(job, "log_due")


def make_anew(shop: Shop) -> None:
    """Have every page made anew that was made by other numbers than those that ship now."""
    other = Page.objects.of_another(shop.shipped_name).values("job_id")
    Job.objects.filter(pk__in=other, log_due=False).update(log_due=True)


def forget_words() -> None:
    """Take what was redacted out of the search's own table too: merge it until nothing old is left, a bit at a time."""
    table, changed = "logbook_search", 2
    first = True
    while changed >= 2:
        with connection.cursor() as cursor:
            cursor.execute("SELECT total_changes()")
            before = cursor.fetchone()[0]
            cursor.execute(f"INSERT INTO {table}({table}, rank) VALUES ('merge', %s)", [-400 if first else 400])  # noqa: S608
            cursor.execute("SELECT total_changes()")
            changed, first = cursor.fetchone()[0] - before, False


def _lines(job: Job, entries: list[Entry], shop: Shop) -> list[str]:
    """Every text of a job, one a line."""
    known, device = shop.known.worded(job.carrier), device_of(job)
    lines = [f"{job.model_name}, {inside(job.get_kind_display())}", job.customer, job.complaint]
    lines += [f"serial number {job.serial}"] if job.serial else []
    lines += [known.history[flag] for flag in job.history if flag in known.history]
    for row in entries:
        try:
            said = entry_words(row, None, known)
        except KeyError:  # A name that this version does not know any more.
            continue
        lines.append(f"{said.title}: {said.text}".strip(": "))
        text = told(row, device, known)
        if text and text not in lines[-1]:
            lines.append(text)
    for repair in job.repairs.all():
        lines += [text for text in (repair.reason, repair.used) if text]
    lines += [f"found: {known.faults[name].label}" for name in job.outcome_faults if name in known.faults]
    lines += [text for text in (job.outcome_note, job.on_to, job.get_on_why_display()) if text]
    lines += texts_of(job)
    return [" ".join(line.split()) for line in lines if line and line.strip()]


def _facts(job: Job, entries: list[Entry], shop: Shop) -> list[tuple[str, str]]:
    known, kind = shop.known, Fact.Kind
    found = {(kind.MODEL.value, job.model_name.lower()), (kind.ENDED.value, ended_of(job))}
    for fault in job.outcome_faults:
        found.add((kind.FAULT.value, fault))
        if fault in known.faults:
            found.add((kind.STATION.value, known.faults[fault].station))
    done = [row for row in entries if row.is_own_repair]
    found |= {(kind.ROUTE.value, row.name) for row in done if row.name not in NO_REPAIR}
    found |= {(kind.PERSON.value, str(row.by_id)) for row in entries}
    return sorted(found)


def ended_of(job: Job) -> str:
    """How a job ended, one of `ENDED`."""
    if not job.is_closed:
        return "open"
    if any(later.same_trouble for later in job.came_back_as.all()):
        return "back"
    if job.is_cancelled:
        return "cancelled"
    return "works" if job.outcome_works else "on"
