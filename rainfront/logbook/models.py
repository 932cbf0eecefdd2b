"""What is kept of each job so that it is found again. Everything here is made from the job and can be made anew."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.jobs.models import Job
from rainfront.logbook.querysets import PageQuerySet, SearchQuerySet
from rainfront.web.fields import TypedCharField


class Page(models.Model):
    """One job as the logbook holds it: its texts, one a line, which SQLite finds by their letters in threes."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, primary_key=True, related_name="page")
    text = models.TextField()
    # When it was closed, or taken in where it is open.
    at = models.DateTimeField(db_index=True)
    # Chance of what was read as it came in under nothing wrong and each fault, by what ships (alike.py): 4-byte floats.
    causes = models.BinaryField(default=b"")
    shown = models.JSONField(default=list)
    basis = models.CharField(max_length=16, blank=True)
    closed = models.BooleanField(default=False)
    updated = models.DateTimeField(auto_now=True, db_index=True)

    WORDS = ("text",)
    MADE_FROM_JOB = True
    objects = PageQuerySet.as_manager()

    class Meta:
        indexes = [models.Index(fields=("basis",), name="page_basis")]

    def __str__(self) -> str:
        return f"page of job {self.job_id}"


class Fact(models.Model):
    """Something that a job can be found by: a fault that was found, a route, a station, a person, how it ended."""

    class Kind(models.TextChoices):
        """What it is."""

        FAULT = "fault", "Fault found"
        ROUTE = "route", "Repair done"
        STATION = "station", "Station of the fault"
        MODEL = "model", "Model"
        PERSON = "person", "Person"
        ENDED = "ended", "How it ended"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="facts")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    value = models.CharField(max_length=80)

    WORDS = ("value",)
    MADE_FROM_JOB = True

    class Meta:
        constraints = [models.UniqueConstraint(fields=("kind", "value", "job"), name="fact_once")]

    def __str__(self) -> str:
        return f"{self.kind} {self.value}"


class Measured(models.Model):
    """One number that was read on a job: which value of which check, and where."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="measured")
    name = models.CharField(max_length=60)
    number = models.FloatField()

    WORDS = ()
    MADE_FROM_JOB = True

    class Meta:
        indexes = [models.Index(fields=("name", "number", "job"), name="measured_by_number")]

    def __str__(self) -> str:
        return f"{self.name} {self.number:g}"


class SavedSearch(models.Model):
    """A search that a person wants again."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="searches")
    name = TypedCharField("Name", max_length=60)
    query = TypedCharField(max_length=1000)
    at = models.DateTimeField()

    objects = SearchQuerySet.as_manager()

    class Meta:
        ordering = ("name", "pk")
        constraints = [models.UniqueConstraint(fields=("person", "name"), name="search_named_once")]

    def __str__(self) -> str:
        return self.name
