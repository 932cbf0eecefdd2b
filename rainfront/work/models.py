"""Steps of a repair, waits that run by themselves, and the map of a device's screws."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from rainfront.jobs.models import Job, Repair
from rainfront.web.fields import TypedCharField
from rainfront.work.querysets import OpenPhotoQuerySet, ScrewQuerySet, StepRunQuerySet, TimerQuerySet

USER = settings.AUTH_USER_MODEL


class StepRun(models.Model):
    """How one step of a repair's plan went: done, or skipped with a reason; undone, it is taken up again."""

    repair = models.ForeignKey(Repair, on_delete=models.CASCADE, related_name="steps")
    step = models.CharField(max_length=40)
    done_at = models.DateTimeField(null=True, blank=True)
    skipped = TypedCharField("Why it is skipped", max_length=300, blank=True)
    note = TypedCharField("What was done otherwise", max_length=300, blank=True)
    seconds = models.PositiveIntegerField(default=0)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")

    WORDS = ("skipped", "note")
    objects = StepRunQuerySet.as_manager()

    class Meta:
        db_table = "jobs_steprun"
        ordering = ("pk",)
        constraints = [models.UniqueConstraint(fields=("repair", "step"), name="one_run_of_a_step")]

    def __str__(self) -> str:
        return f"{self.step} of {self.repair_id}"


class Timer(models.Model):
    """A wait of a step that runs by itself; it goes by the clock, so that nothing has to stay awake for it."""

    repair = models.ForeignKey(Repair, on_delete=models.CASCADE, related_name="timers")
    step = models.CharField(max_length=40)
    started_at = models.DateTimeField()
    due_at = models.DateTimeField(db_index=True)
    stopped_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")

    objects = TimerQuerySet.as_manager()

    class Meta:
        db_table = "jobs_timer"
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.step} until {self.due_at:%H:%M}"


class OpenPhoto(models.Model):
    """The shop's own photo of a model lying open, under the screws of its jobs.

    `corners` are the upper left, upper right, lower right and lower left corner of the device in the photo [pixels];
    with all four the photo is laid into the outline (`upright`). A new one replaces it for the jobs that come.
    """

    model_name = TypedCharField("Model", max_length=80)
    kind = models.CharField(max_length=10)
    file = models.FileField(upload_to="open_photos/")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    corners = models.JSONField(default=list, blank=True)
    upright = models.FileField(upload_to="open_photos/", blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    replaced_at = models.DateTimeField(null=True, blank=True)

    WORDS = ("model_name",)
    objects = OpenPhotoQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"photo of an open {self.model_name}"


class Screw(models.Model):
    """One screw or connector of a device: where it sits on the drawn outline, and where it is now.

    A connector that is off counts as a screw that is out, so that neither is forgotten at the closing.
    """

    class Kind(models.TextChoices):
        """What it is."""

        SCREW = "screw", "screw"
        CONNECTOR = "connector", "connector"

    class Place(models.TextChoices):
        """Where it is."""

        IN = "in", "in its hole"
        OUT = "out", "out, on the map"
        LOST = "lost", "missing"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="screws")
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.SCREW)
    number = models.PositiveSmallIntegerField()
    x = models.FloatField(validators=[MinValueValidator(0), MaxValueValidator(1)])
    y = models.FloatField(validators=[MinValueValidator(0), MaxValueValidator(1)])
    length_mm = models.FloatField("Length", null=True, blank=True)
    head = TypedCharField("Head", max_length=20, blank=True)
    place = models.CharField(max_length=4, choices=Place.choices, default=Place.IN)
    moved_at = models.DateTimeField(null=True, blank=True)
    note = TypedCharField("Note", max_length=200, blank=True)

    WORDS = ("head", "note")
    objects = ScrewQuerySet.as_manager()

    class Meta:
        db_table = "jobs_screw"
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("job", "number"), name="one_screw_of_a_number")]

    def __str__(self) -> str:
        return f"{self.kind} {self.number} of job {self.job_id}"

    @property
    def is_connector(self) -> bool:
        """Whether it is a connector, which is on or off, and not a screw."""
        return self.kind == self.Kind.CONNECTOR

    @property
    def where(self) -> str:
        """Where it is, in words."""
        if self.is_connector:
            return {"in": "on", "out": "off"}.get(self.place, self.place)
        return str(self.get_place_display())
