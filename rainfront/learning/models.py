"""What closed jobs have taught: each one's part, the sum, and how far it is counted."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.jobs.models import Job
from rainfront.learning.querysets import CountedQuerySet

USER = settings.AUTH_USER_MODEL


class Taught(models.Model):
    """What one closed job has added to the shop's tally, to be withdrawn as it was added."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, primary_key=True, related_name="taught")
    tally = models.JSONField()

    class Meta:
        db_table = "jobs_taught"

    def __str__(self) -> str:
        return f"taught by job {self.job_id}"


class Counted(models.Model):
    """One count of the shop's tally: the sum of what closed jobs have taught under one key."""

    key = models.CharField(max_length=300, unique=True)
    count = models.BigIntegerField()

    objects = CountedQuerySet.as_manager()

    class Meta:
        db_table = "jobs_counted"

    def __str__(self) -> str:
        return f"{self.key}: {self.count}"


class Counting(models.Model):
    """How far the tally has been counted, one row."""

    # Names the numbers and the beginning that it was counted by; others have every job counted again.
    basis = models.CharField(max_length=100, blank=True)
    # How many jobs were counted, and whether one was withdrawn, since the last numbers were worked out.
    fresh = models.PositiveIntegerField(default=0)
    withdrawn = models.BooleanField(default=False)

    class Meta:
        db_table = "jobs_counting"

    def __str__(self) -> str:
        return f"{self.fresh} counted since"
