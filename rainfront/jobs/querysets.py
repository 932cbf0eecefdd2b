"""Named queries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import connection, models
from django.db.models import Count, F, Max, Q

from chargepath.case.quickline import OTHER


class JobQuerySet(models.QuerySet):
    """Queries over jobs."""

    def for_day(self) -> JobQuerySet:
        """Open jobs with what the list of the day shows, and what other apps say there."""
        from rainfront.jobs.extensions import registered

        known = {name: row for extension in registered() for name, row in extension.list_annotations().items()}
        waiting = self.model._meta.get_field("repairs").related_model._meta.get_field("timers").related_model
        timer = waiting.objects.running(repair__job=models.OuterRef("pk"))
        timers = {f"timer_{name}": models.Subquery(timer.values(name)[:1]) for name in ("step", "started_at", "due_at")}
        found: JobQuerySet = self.on_bench().annotate(**timers, **known)
        return found.select_related("taken_in_by", "held_by", "standing")

    def on_bench(self) -> JobQuerySet:
        """Not closed; that nobody closed them is what the index holds."""
        return self.filter(closed_at__isnull=True).exclude(stage="closed")

    def at_stage(self, stage: str) -> JobQuerySet:
        """At one stage; all that are open for ''."""
        return self.filter(stage=stage) if stage else self.on_bench()

    def search(self, text: str) -> JobQuerySet:
        """By model, customer, complaint or serial number."""
        text = text.strip()
        wanted = Q(model_name__icontains=text) | Q(customer__icontains=text) | Q(complaint__icontains=text)
        return self.filter(wanted | Q(serial__icontains=text)) if text else self

    def numbered(self, text: str) -> Any:
        """The job of a number as people type it, `11` or `#11`; None for none."""
        number = text.strip().removeprefix("#").strip()
        return self.filter(pk=int(number)).first() if number.isdecimal() and len(number) < 12 else None

    def stage_counts(self) -> dict[str, int]:
        """How many jobs are at each stage."""
        rows = self.order_by().values("stage").annotate(n=Count("pk"))
        return {row["stage"]: row["n"] for row in rows}

    def with_people(self) -> JobQuerySet:
        """With who took it in and who closed it, and what other apps know of it."""
        from rainfront.jobs.extensions import registered

        known = {name: row for extension in registered() for name, row in extension.annotations().items()}
        found: JobQuerySet = self.annotate(**known)
        return found.select_related("taken_in_by", "closed_by")

    def for_writing(self) -> JobQuerySet:
        """Locked, for the guard that opens a job for writing."""
        return self.with_people().select_for_update()

    def teaching(self, since: Any = None) -> JobQuerySet:
        """Closed jobs with an outcome; of copies of one case only the one that was closed last."""
        closed = self.model.objects.filter(stage="closed", outcome_works__isnull=False)
        closed = closed.filter(closed_at__gt=since) if since is not None else closed
        newest = closed.filter(case_id=models.OuterRef("case_id")).order_by("-closed_at", "-pk").values("pk")[:1]
        found: JobQuerySet = self.filter(pk=models.Subquery(newest))
        return found

    def lessons_due(self) -> JobQuerySet:
        """Those whose lesson has changed since it was counted, with what it is made of."""
        found: JobQuerySet = self.filter(lesson_due__gt=0).order_by("pk")
        return found.prefetch_related("entries", "repairs__steps", "came_back_as")

    def day_is_due(self) -> JobQuerySet:
        """Open jobs that the list of the day has still to follow, the newest change first."""
        found: JobQuerySet = self.filter(day_due=True).on_bench().order_by("-changed_at")
        return found

    def log_is_due(self) -> JobQuerySet:
        """Jobs that the logbook has still to follow, the newest first."""
        found: JobQuerySet = self.filter(log_due=True).order_by("-pk")
        return found

    def settle_due(self, job: Any, flag: str) -> None:
        """Nothing more is due of a job, unless it was written on since it was fetched."""
        self.filter(pk=job.pk, turn=job.turn).update(**{flag: False})

    def teach_again(self, *cases: Any) -> None:
        """Have the lessons of some cases counted again, copies of them too."""
        self.filter(case_id__in=cases).update(lesson_due=F("lesson_due") + 1)

    def copies_of(self, job: Any) -> list[Any]:
        """Other jobs that are the same case."""
        return list(self.filter(case_id=job.case_id).exclude(pk=job.pk).order_by("pk"))

    def closed_before(self, serial: str) -> Any:
        """The newest closed job of a device by its serial number, None for none."""
        serial = serial.strip()
        return self.filter(serial__iexact=serial, stage="closed").order_by("-closed_at").first() if serial else None

    def returned_from(self, job_id: int) -> JobQuerySet:
        """Jobs under which a device came back from another one, in order."""
        return self.filter(came_from_id=job_id).order_by("pk")

    def of_model(self, name: str) -> JobQuerySet:
        """Every job of a model, the newest first, however it is written."""
        return self.filter(model_name__iexact=name.strip()).order_by("-taken_in_at", "-pk")

    def by_model(self, text: str) -> models.QuerySet:
        """Models with how many jobs there were and the last of them, the most frequent first."""
        found = self.filter(model_name__icontains=text) if text else self
        rows: models.QuerySet = found.order_by().values("model_name").annotate(n=Count("pk"), last=Max("taken_in_at"))
        return rows.order_by("-n", "model_name")


class RepairQuerySet(models.QuerySet):
    """Queries over repairs."""

    def still_open(self, job_id: int) -> RepairQuerySet:
        """What is being worked on at a job: neither finished nor dropped."""
        return self.filter(job_id=job_id, finished_at__isnull=True, dropped_at__isnull=True)

    def under_work(self, job_id: int) -> RepairQuerySet:
        """What has steps left at a job, newest first: what is open, and what charges again and is not closed up yet."""
        mending = Q(finished_at__isnull=True) | Q(entry__works=True, entry__struck_at__isnull=True)
        return self.filter(mending, job_id=job_id, dropped_at__isnull=True).select_related("entry").order_by("-pk")

    def proved_by(self, entry_id: int) -> RepairQuerySet:
        """The repair whose line in the log this is."""
        return self.filter(entry_id=entry_id, dropped_at__isnull=True).select_related("entry")

    def for_list(self) -> RepairQuerySet:
        """With who chose them."""
        return self.select_related("chosen_by", "entry")


class StepRunQuerySet(models.QuerySet):
    """Queries over steps that were done or skipped."""

    def settled(self, repair_id: int) -> dict[str, Any]:
        """Of one repair, by step: done or skipped."""
        rows = self.filter(repair_id=repair_id).exclude(done_at__isnull=True, skipped="")
        return {row.step: row for row in rows}


class TimerQuerySet(models.QuerySet):
    """Queries over timers."""

    def running(self, **where: Any) -> TimerQuerySet:
        """Not stopped, the next one due first."""
        return self.filter(stopped_at__isnull=True, **where).order_by("due_at", "pk")


class ScrewQuerySet(models.QuerySet):
    """Queries over screws."""

    def missing(self, job_id: int) -> ScrewQuerySet:
        """Those that nobody has found again."""
        return self.filter(job_id=job_id, place="lost")

    def to_put_back(self, job_id: int) -> ScrewQuerySet:
        """Those that are out, the last one first."""
        return self.filter(job_id=job_id, place="out").order_by("-moved_at", "-pk")

    def kept_for(self, model_name: str) -> list[Any]:
        """The map of the newest job of that model that has one."""
        newest = self.filter(job__model_name__iexact=model_name.strip()).order_by("-job_id").values("job_id")[:1]
        return list(self.filter(job_id=models.Subquery(newest)).order_by("number"))


class EntryQuerySet(models.QuerySet):
    """Queries over log entries."""

    def evidence(self) -> EntryQuerySet:
        """What the belief reads, in order."""
        return self.filter(kind__in=("check", "try", "repair", "hazard", "path"), struck_at__isnull=True).order_by("pk")

    def own_repairs(self) -> EntryQuerySet:
        """Repairs and proofs of this bench that stand, in order."""
        return self.filter(kind="repair", struck_at__isnull=True).exclude(variant=OTHER).order_by("pk")

    def for_log(self) -> EntryQuerySet:
        """Everything that happened, in order, with who did it and who struck it out."""
        return self.select_related("by", "struck_by").order_by("pk")


class QuoteQuerySet(models.QuerySet):
    """Queries over quotes."""

    def for_job(self, job_id: int) -> QuoteQuerySet:
        """Of one job, newest first, with who made and noted them."""
        return self.filter(job_id=job_id).select_related("by", "noted_by").order_by("-pk")

    def answered(self, job_id: int, route: str) -> QuoteQuerySet:
        """What the customer has said to quotes for a route, the newest answer first."""
        return self.filter(job_id=job_id, route=route).exclude(answer="open").order_by("-answered_at", "-pk")


class ProofQuerySet(models.QuerySet):
    """Queries over proofs."""

    def undecided(self, job_id: int) -> ProofQuerySet:
        """Of one job, begun and not decided yet, oldest first."""
        return self.filter(job_id=job_id, works__isnull=True).order_by("pk")

    def passed_open(self, repair_id: int) -> ProofQuerySet:
        """Those that a repair has passed before it was closed, the newest first."""
        return self.filter(repair_id=repair_id, phase="open", works=True).order_by("-pk")

    def decided(self, job_id: int) -> ProofQuerySet:
        """Of one job, passed or failed, in order, with who made them."""
        return self.filter(job_id=job_id, works__isnull=False).select_related("by", "repair").order_by("pk")


class SealTestQuerySet(models.QuerySet):
    """Queries over seal tests."""

    def newest(self, job_id: int, when: str) -> Any:
        """The newest one of a job taken then, None for none."""
        return self.filter(job_id=job_id, when=when).order_by("-pk").first()

    def of_model(self, model_name: str, but: int, most: int = 40) -> list[Any]:
        """Those of other devices of a model before they were opened, the newest first."""
        found = self.filter(job__model_name__iexact=model_name.strip(), when="before").exclude(job_id=but)
        return list(found.order_by("-pk")[:most])


class CountedQuerySet(models.QuerySet):
    """Queries over the shop's tally."""

    def add(self, more: Mapping[str, int]) -> None:
        """Add to counts by their keys, in the database; those that come to nothing go."""
        table = connection.ops.quote_name(self.model._meta.db_table)
        rows = [(key, count) for key, count in more.items() if count]
        with connection.cursor() as cursor:
            cursor.executemany(
                f"INSERT INTO {table} (key, count) VALUES (%s, %s) "  # noqa: S608  (its own table)
                "ON CONFLICT (key) DO UPDATE SET count = count + excluded.count",
                rows,
            )
        self.filter(count=0).delete()
