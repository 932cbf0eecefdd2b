"""Named queries over jobs and what hangs on them: repairs, steps, timers, screws, the log, quotes, proofs."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.db import models
from django.db.models import Count, F, Max, Q

from chargepath.case.quickline import OTHER


class JobQuerySet(models.QuerySet):
    """Queries over jobs."""

    def on_bench(self) -> JobQuerySet:
        """Jobs that are not closed.

        The extra `closed_at` filter lets SQLite use the partial index on open jobs.
        """
        return self.filter(closed_at__isnull=True).exclude(stage="closed")

    def search(self, text: str) -> JobQuerySet:
        """Jobs whose model, customer, complaint or serial number holds a text; all jobs for an empty text."""
        text = text.strip()
        wanted = Q(model_name__icontains=text) | Q(customer__icontains=text) | Q(complaint__icontains=text)
        return self.filter(wanted | Q(serial__icontains=text)) if text else self

    def numbered(self, text: str) -> Any:
        """The job with the number that somebody typed, `11` or `#11`; None where there is no such job."""
        number = text.strip().removeprefix("#").strip()
        return self.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 12 else None

    def with_people(self) -> JobQuerySet:
        """Jobs with the people who took them in and closed them, and with the annotations of other apps.

        A query begins with it: what it adds is made once a process, since making it takes longer than the query.
        """
        if self.query.has_filters():
            raise TypeError("with_people() comes before any filter")
        found: JobQuerySet = _with_people().using(self.db)
        return found

    def for_writing(self) -> JobQuerySet:
        """Jobs as `open_job` fetches one: locked until its transaction ends."""
        return self.with_people().select_for_update()

    def teaching(self, since: Any = None) -> JobQuerySet:
        """Closed jobs that count for learning: with an outcome, and of several copies of one case only the newest."""
        closed = self.model.objects.filter(stage="closed", outcome_works__isnull=False)
        closed = closed.filter(closed_at__gt=since) if since is not None else closed
        newest = closed.filter(case_id=models.OuterRef("case_id")).order_by("-closed_at", "-pk").values("pk")[:1]
        found: JobQuerySet = self.filter(pk=models.Subquery(newest))
        return found

    def day_is_due(self) -> JobQuerySet:
        """Open jobs whose row in the day's list is out of date, the newest change first."""
        found: JobQuerySet = self.filter(day_due=True).on_bench().order_by("-changed_at")
        return found

    def log_is_due(self) -> JobQuerySet:
        """Jobs whose page in the logbook is out of date, the newest first."""
        found: JobQuerySet = self.filter(log_due=True).order_by("-pk")
        return found

    def settle_due(self, job: Any, flag: str) -> None:
        """Clear a flag of a job that was just brought up to date.

        The flag stays where somebody wrote on the job since it was fetched: then `turn` has moved on.
        """
        self.filter(pk=job.pk, turn=job.turn).update(**{flag: False})

    def teach_again(self, *cases: Any) -> None:
        """Mark the examples of cases as changed, for every job that is a copy of one of them."""
        self.filter(case_id__in=cases).update(example_due=F("example_due") + 1)

    def copies_of(self, job: Any) -> list[Any]:
        """Other jobs that are copies of the same case, in the order in which they were made."""
        return list(self.filter(case_id=job.case_id).exclude(pk=job.pk).order_by("pk"))

    def closed_before(self, serial: str) -> Any:
        """The newest closed job of the device with a serial number; None where there is none or no number is given."""
        serial = serial.strip()
        return self.filter(serial__iexact=serial, stage="closed").order_by("-closed_at").first() if serial else None

    def open_with(self, serial: str) -> Any:
        """The newest open job whose device has this serial number; None where there is none, or the number is empty."""
        serial = serial.strip()
        return self.filter(serial__iexact=serial).exclude(stage="closed").order_by("-pk").first() if serial else None

    def returned_from(self, job_id: int) -> JobQuerySet:
        """Jobs that were opened when the device of job `job_id` came back, in order."""
        return self.filter(came_from_id=job_id).order_by("pk")

    def of_model(self, name: str) -> JobQuerySet:
        """Every job of a model, whatever its capitals, the newest first."""
        return self.filter(model_name__iexact=name.strip()).order_by("-taken_in_at", "-pk")

    def by_model(self, text: str) -> models.QuerySet:
        """Models whose name holds a text, each with its number of jobs and its last job, the most frequent first."""
        found = self.filter(model_name__icontains=text) if text else self
        rows: models.QuerySet = found.order_by().values("model_name").annotate(n=Count("pk"), last=Max("taken_in_at"))
        return rows.order_by("-n", "model_name")


@cache
def _with_people() -> JobQuerySet:
    from rainfront.jobs.extensions import registered
    from rainfront.jobs.models import Job

    known = {name: row for extension in registered() for name, row in extension.annotations().items()}
    found: JobQuerySet = JobQuerySet(Job).annotate(**known)
    return found.select_related("taken_in_by", "closed_by")


class RepairQuerySet(models.QuerySet):
    """Queries over repairs."""

    def still_open(self, job_id: int) -> RepairQuerySet:
        """Repairs of a job that were chosen and are neither finished nor dropped."""
        return self.filter(job_id=job_id, finished_at__isnull=True, dropped_at__isnull=True)

    def under_work(self, job_id: int) -> RepairQuerySet:
        """Repairs of a job that may have steps left, newest first: open ones, and ones whose device charges again.

        The latter have their closing steps to do.
        """
        mending = Q(finished_at__isnull=True) | Q(entry__works=True, entry__struck_at__isnull=True)
        return self.filter(mending, job_id=job_id, dropped_at__isnull=True).select_related("entry").order_by("-pk")

    def proved_by(self, entry_id: int) -> RepairQuerySet:
        """The repair that an entry of the log stands for."""
        return self.filter(entry_id=entry_id, dropped_at__isnull=True).select_related("entry")

    def for_list(self) -> RepairQuerySet:
        """Repairs with the person who chose them and their entry in the log."""
        return self.select_related("chosen_by", "entry")


class EntryQuerySet(models.QuerySet):
    """Queries over log entries."""

    def evidence(self) -> EntryQuerySet:
        """Entries that are evidence and not struck out, in order: what the belief is computed from."""
        return self.filter(kind__in=("check", "try", "repair", "hazard", "path"), struck_at__isnull=True).order_by("pk")

    def own_repairs(self) -> EntryQuerySet:
        """Repairs and proofs of this bench that stand, in order."""
        return self.filter(kind="repair", struck_at__isnull=True).exclude(variant=OTHER).order_by("pk")

    def for_log(self) -> EntryQuerySet:
        """Every entry in order, with the people who wrote it and struck it out."""
        return self.select_related("by", "struck_by").order_by("pk")


class QuoteQuerySet(models.QuerySet):
    """Queries over quotes."""

    def for_job(self, job_id: int) -> QuoteQuerySet:
        """Quotes of a job, newest first, with the people who made them and noted the answer."""
        return self.filter(job_id=job_id).select_related("by", "noted_by").order_by("-pk")

    def answered(self, job_id: int, route: str) -> QuoteQuerySet:
        """Quotes for a route that the customer has answered, the newest answer first."""
        return self.filter(job_id=job_id, route=route).exclude(answer="open").order_by("-answered_at", "-pk")
