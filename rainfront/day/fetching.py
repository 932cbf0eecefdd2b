"""Open jobs with everything that a row of the list of the day shows."""

from __future__ import annotations

from django.db.models import OuterRef, Subquery

from rainfront.jobs.extensions import registered
from rainfront.jobs.models import Job
from rainfront.jobs.querysets import JobQuerySet
from rainfront.work.models import Timer


def open_jobs() -> JobQuerySet:
    """Open jobs with their standing, the wait of theirs that is due first, and what other apps annotate."""
    known = {name: row for extension in registered() for name, row in extension.list_annotations().items()}
    timer = Timer.objects.running(repair__job=OuterRef("pk"))
    timers = {f"timer_{name}": Subquery(timer.values(name)[:1]) for name in ("step", "started_at", "due_at")}
    found: JobQuerySet = Job.objects.on_bench().annotate(**timers, **known)
    return found.select_related("taken_in_by", "held_by", "standing")
