"""Cells that were charged from the bench supply."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.urls import reverse

from rainfront.cell.querysets import CellRunQuerySet
from rainfront.jobs.models import Job

USER = settings.AUTH_USER_MODEL


class CellRun(models.Model):
    """One cell charged from the supply under the watch."""

    class State(models.TextChoices):
        """How it stands."""

        RUNNING = "running", "charging"
        STOPPING = "stopping", "stopping"
        DONE = "done", "full"
        STOPPED = "stopped", "stopped"
        CUT = "cut", "cut"
        BROKEN = "broken", "broken off"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="cell_runs")
    kind = models.CharField(max_length=20)
    capacity_mah = models.FloatField()
    first_volts = models.FloatField()
    set_volts = models.FloatField()
    set_amps = models.FloatField()
    then_amps = models.FloatField(default=0.0)
    temp_c = models.FloatField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.RUNNING)
    says = models.CharField(max_length=300, blank=True)
    # Not confirmed off: it reads back on, or nobody can read it. Somebody has to switch it off by hand.
    still_on = models.BooleanField(default=False)
    # Rows of seconds, volts, amps, temperature or null; thinned as they grow.
    rows = models.JSONField(default=list)
    moved_mah = models.FloatField(default=0.0)
    # How many readings of the watch are stored, before they were thinned.
    taken = models.PositiveIntegerField(default=0)
    # Somebody chose that the watch goes on alone where the program gives no sign of life.
    unattended = models.BooleanField(default=False)
    # What the supply holds by itself, as it was read back (`benchwatch.line.Held`).
    held = models.JSONField(default=dict)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    started_at = models.DateTimeField()
    last_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    WORDS = ("says",)
    objects = CellRunQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"cell of job {self.job_id}"

    def get_absolute_url(self) -> str:
        """The page it runs on."""
        return reverse("cell:run", args=[self.job_id, self.pk])

    @property
    def is_running(self) -> bool:
        """Whether the supply still feeds it."""
        return self.state in (self.State.RUNNING, self.State.STOPPING)
