"""Proofs of a job, and seal tests with the chamber they are taken in."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from rainfront.jobs.models import Job, Repair
from rainfront.proof.querysets import ProofQuerySet, SealTestQuerySet
from rainfront.web.fields import TypedJSONField

USER = settings.AUTH_USER_MODEL


class Proof(models.Model):
    """One go at proving a job; kept whether it passed, failed or is still open."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="proofs")
    repair = models.ForeignKey(Repair, on_delete=models.PROTECT, null=True, blank=True, related_name="proofs")
    # Before closing (open), or as it is handed over (closed).
    phase = models.CharField(max_length=8, default="closed")
    # What was read, by name of the value or item (proof.toml): numbers, answers, bad ones to be made sure of, reasons.
    numbers = models.JSONField(default=dict, blank=True)
    answers = models.JSONField(default=dict, blank=True)
    doubts = models.JSONField(default=dict, blank=True)
    left_out = TypedJSONField(default=dict, blank=True)
    # Items that the meter saw by itself, and since when it watches which one [s of its record].
    by_meter = models.JSONField(default=list, blank=True)
    watching = models.JSONField(default=dict, blank=True)
    first_at = models.DateTimeField(null=True, blank=True)
    # Where it failed and the work went back to a step: which, and which slip it was taken for.
    back_to = models.CharField(max_length=40, blank=True)
    slip = models.CharField(max_length=40, blank=True)
    works = models.BooleanField(null=True, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("left_out",)
    objects = ProofQuerySet.as_manager()

    class Meta:
        db_table = "jobs_proof"
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"proof of job {self.job_id}"


class SealTest(models.Model):
    """A vacuum held for a while: depth below ambient at the start and the end [kPa], before the work or after it."""

    class When(models.TextChoices):
        """When it was taken."""

        BEFORE = "before", "before it was opened"
        AFTER = "after", "closed again"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="seal_tests")
    when = models.CharField(max_length=8, choices=When.choices)
    start_kpa = models.FloatField()
    end_kpa = models.FloatField()
    seconds = models.FloatField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    objects = SealTestQuerySet.as_manager()

    class Meta:
        db_table = "jobs_sealtest"
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"seal test of job {self.job_id}, {self.get_when_display()}"


class Chamber(models.Model):
    """The shop's vacuum chamber: its volume [ml], as it was calibrated last."""

    volume_ml = models.FloatField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        db_table = "jobs_chamber"
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.volume_ml:.0f} ml, {self.at:%d %b %Y}"
