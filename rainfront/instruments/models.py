"""Charger-current records."""

from __future__ import annotations

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.urls import reverse

from benchtalk.wire import WirePlace
from rainfront.instruments.querysets import BenchInstrumentQuerySet, RecordQuerySet, WaitingQuerySet
from rainfront.jobs.models import Entry, Job
from rainfront.web.fields import TypedCharField, TypedJSONField, TypedTextField

USER = settings.AUTH_USER_MODEL
PORT = (MinValueValidator(1), MaxValueValidator(65535))


class Record(models.Model):
    """One record of volts and amps over time, with the conditions it was taken under and what it was graded."""

    class Origin(models.TextChoices):
        """Where it came from."""

        FILE = "file", "file"
        PASTED = "pasted", "pasted"
        LIVE = "live", "live"

    class State(models.TextChoices):
        """Whether samples still come in."""

        RUNNING = "running", "running"
        STOPPING = "stopping", "stopping"
        DONE = "done", "complete"
        BROKEN = "broken", "broken off"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="records")
    name = TypedCharField("Name", max_length=80)
    origin = models.CharField(max_length=8, choices=Origin.choices)
    state = models.CharField(max_length=8, choices=State.choices, default=State.DONE)
    trouble = models.CharField(max_length=200, blank=True)
    # Samples that could not be, as a time that goes back, and were left out.
    dropped = models.PositiveIntegerField(default=0)
    # Which instrument read it, by which profile, and what it says of itself.
    read_by = models.CharField(max_length=200, blank=True)
    routine = models.CharField(max_length=20, blank=True)
    # Taken while the job was proved: what the device draws after its repair.
    for_proof = models.BooleanField(default=False)
    file = models.FileField(upload_to="records/%Y/%m/", blank=True)
    # The text as it was handed in, with how its columns were read: they can be corrected.
    raw = models.FileField(upload_to="records/%Y/%m/", blank=True)
    layout = TypedJSONField(default=dict, blank=True)
    samples = models.PositiveIntegerField(default=0)
    rejected = models.PositiveIntegerField(default=0)
    rejects = TypedJSONField(default=list, blank=True)

    source = models.CharField("Source", max_length=20, default="brick_5v2a")
    percent = models.FloatField(
        "Battery (%)", null=True, blank=True, validators=[MinValueValidator(0), MaxValueValidator(100)]
    )
    screen_on = models.BooleanField("Screen on", default=False)
    cell_temp_c = models.FloatField(
        "Cell temperature (°C)", null=True, blank=True, validators=[MinValueValidator(-30), MaxValueValidator(80)]
    )

    grade = models.CharField(max_length=12, blank=True)
    reason = models.CharField(max_length=300, blank=True)
    phases = models.JSONField(default=list, blank=True)
    figures = models.JSONField(default=dict, blank=True)
    entries = models.ManyToManyField(Entry, blank=True, related_name="records")

    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    started_at = models.DateTimeField()
    last_at = models.DateTimeField()
    struck_at = models.DateTimeField(null=True, blank=True)
    struck_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    struck_why = TypedCharField(max_length=200, blank=True)

    WORDS = ("name", "reason", "trouble", "raw", "struck_why")
    objects = RecordQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.name}, job {self.job_id}"

    def get_absolute_url(self) -> str:
        """The record's page."""
        return reverse("instruments:record", args=[self.job_id, self.pk])

    @property
    def is_running(self) -> bool:
        """Whether samples still come in."""
        return self.state in (self.State.RUNNING, self.State.STOPPING)


class Chunk(models.Model):
    """A second or so of a live record: float64 seconds, volts, amps, one row a sample."""

    record = models.ForeignKey(Record, on_delete=models.CASCADE, related_name="chunks")
    data = models.BinaryField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"chunk {self.pk}"


class Draft(models.Model):
    """A text that was handed in and is still to be confirmed: what was understood is shown first."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="drafts")
    name = TypedCharField(max_length=80)
    origin = models.CharField(max_length=8, choices=Record.Origin.choices)
    file = models.FileField(upload_to="drafts/")
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("name", "file")

    def __str__(self) -> str:
        return self.name


class Waiting(models.Model):
    """A device left on charge: the timer lives here, so that it survives a restart."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="waitings")
    first = models.FloatField("Battery percent or cell volts now")
    unit = models.CharField(max_length=1, choices=(("%", "percent"), ("V", "cell volts")), default="%")
    started_at = models.DateTimeField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    readings = models.JSONField(default=list, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    objects = WaitingQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"waiting on job {self.job_id}"


class KnownGood(models.Model):
    """A model's plateau at low charge, measured on a good device [A]."""

    model_name = TypedCharField(max_length=80, db_index=True)
    amps = models.FloatField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.model_name}: {self.amps:g} A"


class OwnProfile(models.Model):
    """A profile of an instrument that the shop has made of lines that came in, as the text of its file."""

    name = TypedCharField("Name", max_length=60)
    text = TypedTextField("Profile")
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class BenchInstrument(models.Model):
    """An instrument of the bench: where it answers and what it speaks, by its profile.

    One without a way is a handheld meter: its readings are typed.
    """

    class Way(models.TextChoices):
        """How it is connected."""

        TCP = "tcp", "over the network"
        SERIAL = "serial", "by a serial line of the server's computer"
        BRIDGE = "bridge", "by a bridge on another computer"

    name = TypedCharField("Name", max_length=40, unique=True)
    profile = models.CharField("It speaks", max_length=40)
    way = models.CharField("It is connected", max_length=8, choices=Way.choices, default=Way.TCP)
    host = models.CharField("Address", max_length=80, blank=True)
    port = models.PositiveIntegerField("Port", null=True, blank=True, validators=PORT)
    line = models.CharField("Serial line", max_length=200, blank=True)
    baud = models.PositiveIntegerField("Baud", null=True, blank=True, help_text="empty: as its profile says")
    # Of a bridge: what both sides know, and the fingerprint of its certificate.
    secret = models.CharField(max_length=64, blank=True, editable=False)
    pin = models.CharField("Fingerprint of the bridge", max_length=95, blank=True)
    used = models.BooleanField("It is read", default=True)
    # The meter of sheets that it is: what its readings mean in diode mode, and which references they are held against.
    sheet_meter = models.OneToOneField(
        "reference.DiodeMeter",
        on_delete=models.SET_NULL,
        related_name="bench_instrument",
        null=True,
        blank=True,
        verbose_name="It is the sheet's meter",
    )
    calibrated_by = TypedCharField("Calibrated by", max_length=60, blank=True)
    calibrated_on = models.DateField("Calibrated on", null=True, blank=True)

    objects = BenchInstrumentQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        """Its page."""
        return reverse("bench:instrument", args=[self.pk])

    @property
    def place(self) -> WirePlace:
        """Where it answers."""
        return WirePlace(
            way=self.way,
            host=self.host,
            port=self.port or 0,
            path=self.line,
            baud=self.baud or 0,
            secret=self.secret,
            pin=self.pin,
        )


class Supply(models.Model):
    """The bench supply and the thermocouple: lines over TCP (docs/instrument-protocols.md)."""

    host = models.CharField("Host", max_length=80, default="127.0.0.1")
    port = models.PositiveIntegerField("Port of the supply", default=7713, validators=PORT)
    thermo_port = models.PositiveIntegerField(
        "Port of the thermocouple", null=True, blank=True, validators=PORT, help_text="empty: there is none"
    )

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"

    @classmethod
    def current(cls) -> Supply:
        """The supply; one with its defaults, not stored, where there is none yet."""
        return cls.objects.first() or cls(pk=1)
