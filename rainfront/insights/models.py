"""What is kept of each closed job for looking back. Everything here is made from the job and can be made anew."""

from __future__ import annotations

from django.db import models

from rainfront.insights.querysets import EndedQuerySet, RepairedQuerySet
from rainfront.jobs.models import Job, Repair


class Reckoned(models.Model):
    """The figures of one period as the page shows them, and after how many changes of closed jobs they were made."""

    period = models.CharField(max_length=8, primary_key=True)
    data = models.JSONField(default=dict)
    turn = models.PositiveIntegerField(default=0)
    at = models.DateTimeField()

    def __str__(self) -> str:
        return f"figures of {self.period}"


class Turn(models.Model):
    """Counts the changes of what is kept of closed jobs, one row."""

    count = models.PositiveIntegerField(default=0)

    def __str__(self) -> str:
        return f"turn {self.count}"


class EndedJob(models.Model):
    """One closed job (chargepath.insight.figures.Ended)."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, primary_key=True, related_name="ended")
    # The job's write that it was made after: what was reckoned then stays until the job changes.
    turn = models.PositiveIntegerField()
    at = models.DateTimeField(db_index=True)
    model = models.CharField(max_length=80)
    faults = models.JSONField(default=list)
    works = models.BooleanField()
    quoted = models.FloatField(null=True)
    charged = models.FloatField(null=True)

    WORDS = ("model",)
    MADE_FROM_JOB = True
    objects = EndedQuerySet.as_manager()

    def __str__(self) -> str:
        return f"end of job {self.job_id}"


class RepairedJob(models.Model):
    """One proved repair of a closed job (chargepath.insight.figures.Repaired)."""

    repair = models.OneToOneField(Repair, on_delete=models.CASCADE, primary_key=True, related_name="figures")
    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="+")
    at = models.DateTimeField(db_index=True)
    route = models.CharField(max_length=40)
    model = models.CharField(max_length=80)
    first = models.BooleanField()
    worked = models.BooleanField()
    back = models.BooleanField()
    batch = models.CharField(max_length=80, blank=True)
    cure = models.FloatField(null=True)
    minutes = models.FloatField(null=True)
    took = models.FloatField(null=True)
    followed = models.BooleanField(null=True)
    said_total = models.FloatField(null=True)
    real_total = models.FloatField(null=True)
    habit = models.CharField(max_length=24, blank=True)
    habit_costs = models.FloatField(default=0)

    WORDS = ("model",)
    MADE_FROM_JOB = True
    objects = RepairedQuerySet.as_manager()

    def __str__(self) -> str:
        return f"{self.route} on job {self.job_id}"
