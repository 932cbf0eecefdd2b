"""What is measured with the device open."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.urls import reverse

from rainfront.inside.querysets import DrawsQuerySet, LadderQuerySet, MarkQuerySet, PhotoQuerySet, SheetQuerySet
from rainfront.jobs.models import Entry, Job
from rainfront.reference.models import DiodeMeter
from rainfront.web.fields import TypedCharField

USER = settings.AUTH_USER_MODEL


class Sheet(models.Model):
    """One pin map probed at one place, in diode or voltage mode."""

    class Mode(models.TextChoices):
        """What the meter is set to."""

        DIODE = "diode", "Diode mode"
        VOLTS = "volts", "Volts"
        OHMS = "ohms", "Ohms"

    class Chip(models.TextChoices):
        """Which chip was lifted before."""

        PORT_IC = "port_ic", "port IC"
        CHARGE_IC = "charge_ic", "charging IC"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="sheets")
    map_id = models.CharField("Probe", max_length=20)
    place = models.CharField("At", max_length=20)
    mode = models.CharField("Meter set to", max_length=8, choices=Mode.choices, default=Mode.DIODE)
    revision = TypedCharField("Board revision", max_length=20, blank=True)
    meter = models.ForeignKey(
        DiodeMeter, verbose_name="Meter", on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    good = models.BooleanField("This is a known-good board, not the job's", default=False)
    before = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="afterwards")
    lifted = models.CharField(max_length=10, choices=Chip.choices, blank=True)
    pins = models.JSONField(default=list, blank=True)
    entries = models.ManyToManyField(Entry, blank=True, related_name="sheets")
    entered_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    WORDS = ("revision",)
    objects = SheetQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"sheet {self.pk} of job {self.job_id}"

    def get_absolute_url(self) -> str:
        """The sheet's page."""
        return reverse("inside:sheet", args=[self.job_id, self.pk])

    @property
    def unit(self) -> str:
        """Unit of its readings."""
        if self.mode == self.Mode.DIODE:
            return "mV"
        return "ohm" if self.mode == self.Mode.OHMS else "V"


class Point(models.Model):
    """One pin read once; a pin read again keeps the earlier reading, replaced.

    `value` is millivolts in diode mode, else volts or ohms as the sheet's mode says; null is overrange.
    """

    sheet = models.ForeignKey(Sheet, on_delete=models.CASCADE, related_name="points")
    pin = models.CharField(max_length=20)
    value = models.FloatField(null=True)
    # From an instrument, and from which: its name, its profile, what it says of itself.
    live = models.BooleanField(default=False)
    source = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    replaced_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.pin}: {self.value}"


class Ladder(models.Model):
    """Volts along the path at one current, or at two."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="ladders")
    volts = models.JSONField(default=dict)
    amps = models.FloatField()
    second = models.JSONField(default=dict, blank=True)
    second_amps = models.FloatField(null=True, blank=True)
    entries = models.ManyToManyField(Entry, blank=True, related_name="ladders")
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    objects = LadderQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"ladder {self.pk} of job {self.job_id}"


class Draws(models.Model):
    """A standing draw on the bench supply, one thing unplugged after the other."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="draw_runs")
    plugged = models.FloatField()
    # Pairs of the part unplugged last and what still flows [A], null where the device has no such part.
    without = models.JSONField(default=list)
    under_way = models.BooleanField(default=False)
    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, null=True, blank=True, related_name="draw_runs")
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    objects = DrawsQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"draws {self.pk} of job {self.job_id}"

    @property
    def measured(self) -> dict[str, float]:
        """What still flows once a part is unplugged too [A], by the part, in the order in which it was done."""
        return {part: amps for part, amps in self.without if amps is not None}


class Photo(models.Model):
    """A picture of port or board: checked, turned upright, scaled, without what the camera wrote into it."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="photos")
    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, null=True, blank=True, related_name="photos")
    sheet = models.ForeignKey(Sheet, on_delete=models.PROTECT, null=True, blank=True, related_name="photos")
    caption = TypedCharField("What it shows", max_length=120)
    file = models.FileField(upload_to="photos/%Y/%m/")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)

    WORDS = ("caption",)
    objects = PhotoQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.caption

    def get_absolute_url(self) -> str:
        """The photo's page."""
        return reverse("inside:photo", args=[self.job_id, self.pk])


class Mark(models.Model):
    """A numbered mark on a photo; with `part` it is a hot spot. Places are shares of width and height."""

    class How(models.TextChoices):
        """How a hot spot was found."""

        NONE = "", "not a hot spot"
        SPRAY = "spray", "freeze spray"
        ROSIN = "rosin", "rosin smoke"
        ALCOHOL = "alcohol", "isopropanol"
        PICTURE = "picture", "thermal picture"
        TOUCH = "touch", "felt it"

    photo = models.ForeignKey(Photo, on_delete=models.CASCADE, related_name="marks")
    number = models.PositiveSmallIntegerField()
    x = models.FloatField()
    y = models.FloatField()
    text = TypedCharField(max_length=120, blank=True)
    part = models.CharField(max_length=12, blank=True)
    how = models.CharField(max_length=10, choices=How.choices, blank=True)
    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, null=True, blank=True, related_name="marks")
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)

    WORDS = ("text",)
    objects = MarkQuerySet.as_manager()

    class Meta:
        ordering = ("number",)
        constraints = [models.UniqueConstraint(fields=("photo", "number"), name="one_mark_a_number")]

    def __str__(self) -> str:
        return f"{self.number}: {self.text}"
