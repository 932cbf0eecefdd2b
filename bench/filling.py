"""Many jobs out of few: the demo's closed jobs copied in SQL, each copy further back in time."""

from __future__ import annotations

from typing import Any

from django.apps import apps
from django.db import connection, models

from rainfront.jobs.models import Entry, Job
from rainfront.learning.models import Counted

# Every table that hangs on a job, each after those that it points to.
TABLES = (
    "jobs.job", "jobs.entry", "jobs.repair", "work.steprun", "jobs.quote", "proof.proof", "learning.taught",
    "counter.visit", "counter.order", "counter.billline", "counter.payment", "counter.dropoff",
    "counter.extra", "stock.move",
    "logbook.fact", "logbook.measured", "insights.endedjob", "insights.repairedjob", "logbook.page",
)  # fmt: skip
# Numbers of a copy are so much higher than those of the copy before.
STEP = 100_000
ENTRIES = 30
YEARS = 10


def fill(jobs: int) -> dict[str, int]:
    """Copy closed jobs until there are so many, with `ENTRIES` log lines each on average; how many rows there are.

    The copies are spread over `YEARS` years, the first in the last months.
    """
    closed = Job.objects.filter(stage="closed").count()
    copies = max((jobs - Job.objects.count()) // closed, 0)
    days = YEARS * 365 / max(copies, 1)
    with connection.cursor() as cursor:
        if not connection.in_atomic_block:
            cursor.execute("PRAGMA synchronous=OFF")
        cursor.execute("PRAGMA foreign_keys=OFF")
        for copy in range(1, copies + 1):
            for name in TABLES:
                _copy(cursor, apps.get_model(name), copy, f"-{copy * days:.2f} days")
        _pad(cursor, jobs * ENTRIES - Entry.objects.count())
        cursor.execute("PRAGMA foreign_keys=ON")
    Counted.objects.update(count=models.F("count") * (copies + 1))
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")
    return {"jobs": Job.objects.count(), "entries": Entry.objects.count()}


def _copy(cursor: Any, model: type[models.Model], copy: int, back: str) -> None:
    """One more copy of the rows that belong to the closed jobs of the beginning."""
    quote, by = connection.ops.quote_name, copy * STEP
    table, columns, values = model._meta.db_table, [], []
    wanted = {apps.get_model(name) for name in TABLES}
    for field in model._meta.concrete_fields:
        column = quote(str(field.column))
        columns.append(column)
        target = field.related_model if isinstance(field, models.ForeignKey) else None
        if field.primary_key or target in wanted:
            values.append(f"{column} + {by}")
        elif isinstance(field, models.DateTimeField) and field.name != "updated":
            values.append(f"strftime('%Y-%m-%d %H:%M:%f', {column}, '{back}')")
        elif field.name == "case_id":
            values.append("lower(hex(randomblob(16)))")
        elif (model, field.name) == (Job, "complaint"):
            values.append(f"{column} || ' ' || hex(randomblob(3))")
        elif field.unique:
            values.append("NULL")
        else:
            values.append(column)
    condition = _belongs(model)
    chosen = f"SELECT {', '.join(values)} FROM {quote(table)} WHERE {condition}"  # noqa: S608  (names of models)
    cursor.execute(f"INSERT INTO {quote(table)} ({', '.join(columns)}) {chosen}")


def _belongs(model: type[models.Model]) -> str:
    """Which rows of a table belong to the closed jobs of the beginning."""
    first = f"< {STEP} AND"
    closed = "(SELECT id FROM jobs_job WHERE stage = 'closed')"
    names = {field.name: field.column for field in model._meta.concrete_fields}
    key = model._meta.pk.column
    if model is Job:
        return f"id {first} stage = 'closed'"
    if "job" in names:
        return f"{key} {first} {names['job']} IN {closed}"
    if "repair" in names:
        return f"{key} {first} {names['repair']} IN (SELECT id FROM jobs_repair WHERE job_id IN {closed})"  # noqa: S608
    if "order" in names:
        return f"{key} {first} {names['order']} IN (SELECT id FROM counter_order WHERE job_id IN {closed})"  # noqa: S608
    return f"{key} {first} id IN (SELECT visit_id FROM counter_order WHERE job_id IN {closed})"  # noqa: S608


def _pad(cursor: Any, missing: int) -> None:
    """Notes on closed jobs until there are enough log lines."""
    while missing > 0:
        cursor.execute(
            "INSERT INTO jobs_entry "
            '(job_id, kind, name, variant, grade, signs, "values", access, text, by_id, at, struck_why) '
            "SELECT id, 'note', '', '', '', '[]', '{}', '', 'looked at it again', taken_in_by_id, closed_at, '' "
            "FROM jobs_job WHERE stage = 'closed' LIMIT %s",
            [missing],
        )
        missing -= cursor.rowcount
