"""Where each open job stands, kept for the list of the day."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.jobs.models import Job

USER = settings.AUTH_USER_MODEL


class Standing(models.Model):
    """An open job as the list of the day shows it, reckoned once for each change of it and kept until the next."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, primary_key=True, related_name="standing")
    # Chance of a fault and worst mark, by station.
    levels = models.JSONField(default=dict)
    worst = models.JSONField(default=dict)
    # What is next: the page's stage, in words, how long it takes, how much is left after it [min].
    stage = models.CharField(max_length=12)
    words = models.CharField(max_length=160)
    minutes = models.FloatField(default=0)
    left_minutes = models.FloatField(default=0)
    danger = models.CharField(max_length=120, blank=True)
    # What is so of a device that is open, as facts of a plan of work; nothing for a closed one.
    facts = models.JSONField(default=list)
    # A repair that is open and whose part was not on the shelf; what the customer has not answered.
    wants_part = models.CharField(max_length=40, blank=True)
    since = models.DateTimeField(null=True, blank=True)
    asked_at = models.DateTimeField(null=True, blank=True)

    WORDS = ()
    MADE_FROM_JOB = True

    class Meta:
        db_table = "jobs_standing"

    def __str__(self) -> str:
        return f"job {self.job_id}: {self.words}"
