"""A job, its log, its repairs and their proofs.

Nothing in the log is changed or deleted: an entry is struck out, with who, when and why, and stays readable.
`WORDS` of a model names the fields that hold what people wrote: a text is redacted in these, everywhere.
"""

from __future__ import annotations

from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.urls import reverse

from chargepath.case.quickline import OTHER
from rainfront.jobs.querysets import (
    EntryQuerySet,
    JobQuerySet,
    QuoteQuerySet,
    RepairQuerySet,
)
from rainfront.web.fields import TypedCharField, TypedJSONField, TypedTextField

PERCENT = (MinValueValidator(0), MaxValueValidator(100))
USER = settings.AUTH_USER_MODEL


class Stage(models.TextChoices):
    """Where a job is, in the order of the work."""

    TAKE_IN = "take_in", "Take in"
    OUTSIDE = "outside", "Outside"
    OPEN = "open", "Open"
    INSIDE = "inside", "Inside"
    DECIDE = "decide", "Decide"
    REPAIR = "repair", "Repair"
    PROVE = "prove", "Prove"
    HAND_OVER = "hand_over", "Hand over"
    CLOSED = "closed", "Closed"


class Kind(models.TextChoices):
    """Kinds of device."""

    PHONE = "phone", "Phone"
    TABLET = "tablet", "Tablet"


class ConnectorChoice(models.TextChoices):
    """Kinds of charging port."""

    USB_C = "usb_c", "USB Type-C"
    MICRO_B = "micro_b", "Micro-B"
    EIGHT_PAD = "eight_pad", "Eight-pad reversible"


class Carrier(models.TextChoices):
    """What the port sits on."""

    SUB_BOARD = "sub_board", "Swappable sub-board"
    FLEX = "flex", "Flex"
    NONE = "none", "Main board"


class Backup(models.TextChoices):
    """State of the customer's data."""

    UNKNOWN = "unknown", "Not asked yet"
    DONE = "done", "Backed up"
    NONE = "none", "No backup"
    DECLINED = "declined", "Customer accepts the risk"


class HandedOn(models.TextChoices):
    """Why a job is handed on, or back unrepaired."""

    DECLINED = "declined", "The customer declined what it costs"
    WORTH = "worth", "It is not worth what it would cost"
    BEYOND = "beyond", "It needs tools or skill that this shop lacks"
    PART = "part", "No part can be had"
    UNFOUND = "unfound", "The fault was not found"
    DANGER = "danger", "It is too dangerous to go on"
    OTHER = "other", "Something else, as the note says"


class LeavesAs(models.TextChoices):
    """How a device that is handed on leaves the shop."""

    WHOLE = "whole", "It was never opened"
    CLOSED = "closed", "Opened, and closed up again"
    APART = "apart", "In parts: every part and screw in its bag"


class Job(models.Model):
    """One device on its way through the workshop. No unlock code is ever stored."""

    # The same in every copy of the case: what a copy teaches is taught once.
    case_id = models.UUIDField(default=uuid4, editable=False, db_index=True)
    model_name = TypedCharField("Model", max_length=80)
    customer = TypedCharField("Customer (initials or role)", max_length=40)
    kind = models.CharField("Kind", max_length=10, choices=Kind.choices)
    connector = models.CharField("Connector", max_length=12, choices=ConnectorChoice.choices)
    carrier = models.CharField("Port sits on", max_length=12, choices=Carrier.choices)
    wireless = models.BooleanField("Has a wireless coil", default=False)
    traits = models.JSONField("How it is built", default=list, blank=True)
    value = models.DecimalField(
        "Worth working", max_digits=9, decimal_places=2, validators=[MinValueValidator(0), MaxValueValidator(100000)]
    )
    limit = models.DecimalField(
        "Customer's limit", max_digits=9, decimal_places=2, null=True, blank=True, validators=[MinValueValidator(0)]
    )
    # What the shop paid for a device of its own, which it repairs to sell; None for a customer's device.
    bought_for = models.DecimalField(
        "Bought for", max_digits=9, decimal_places=2, null=True, blank=True, validators=[MinValueValidator(0)]
    )
    complaint = TypedTextField("Complaint", max_length=1000)
    history = models.JSONField("History", default=list, blank=True)
    # How long before it came in it got wet [h].
    wet_hours = models.FloatField("When did it get wet?", null=True, blank=True, validators=[MinValueValidator(0)])
    battery_percent = models.PositiveSmallIntegerField("Battery as found", null=True, blank=True, validators=PERCENT)
    backup = models.CharField("Backup", max_length=10, choices=Backup.choices, default=Backup.UNKNOWN)
    hurry = models.BooleanField("Customer is in a hurry", default=False)
    serial = TypedCharField("Serial number", max_length=40, blank=True, db_index=True)
    promised_at = models.DateTimeField("Promised for", null=True, blank=True)
    # The job that this one comes back from; `same_trouble` whether the old trouble is back, or a new one came.
    came_from = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="came_back_as")
    same_trouble = models.BooleanField(null=True, blank=True)
    school = models.CharField("Habit to follow", max_length=24, blank=True)

    stage = models.CharField(max_length=12, choices=Stage.choices, default=Stage.OUTSIDE, db_index=True)
    taken_in_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    taken_in_at = models.DateTimeField()
    changed_at = models.DateTimeField(db_index=True)
    # Counts the writes: what is kept of a job beside it says of which it is.
    turn = models.PositiveIntegerField(default=0, editable=False)
    # Whether the list of the day and the logbook have still to follow the last write.
    day_due = models.BooleanField(default=True, editable=False)
    log_due = models.BooleanField(default=True, editable=False)
    closed_at = models.DateTimeField(null=True, blank=True)
    closed_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    outcome_faults = models.JSONField(default=list, blank=True)
    outcome_works = models.BooleanField(null=True, blank=True)
    outcome_note = TypedTextField(blank=True, max_length=1000)
    # Where it was handed on or back unrepaired: why, to whom, and how the device leaves.
    on_why = models.CharField(max_length=10, choices=HandedOn.choices, blank=True)
    on_to = TypedCharField(max_length=80, blank=True)
    on_as = models.CharField(max_length=8, choices=LeavesAs.choices, blank=True)
    # Repairs of which the customer declined the last quote.
    refused = models.JSONField(default=list, blank=True)
    # How often what it teaches has changed since it was last counted; 0 for not at all.
    # Who has it: whoever worked at it last, or was given it.
    held_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    held_at = models.DateTimeField(null=True, blank=True)
    example_due = models.PositiveIntegerField(default=0, editable=False)

    WORDS = ("model_name", "customer", "complaint", "serial", "outcome_note", "on_to")
    objects = JobQuerySet.as_manager()
    # What the last entry was settled by, for the page that follows it in the same request; never stored.
    judged: Any = None
    # Every line of its log in order, where they are fetched; `jobs.writing.Log` keeps the list in step with its writes.
    log_rows: list[Any] | None = None
    # What a good one of its model draws at low charge [A], where the job was fetched with it (see extensions).
    known_good_a: float | None = None

    class Meta:
        ordering = ("-changed_at", "-pk")
        indexes = [
            models.Index(fields=("stage", "-changed_at")),
            models.Index(fields=("model_name", "taken_in_at"), name="job_models"),
            models.Index(
                fields=("-changed_at", "-id"), name="job_on_bench", condition=models.Q(closed_at__isnull=True)
            ),
            models.Index(fields=("id",), name="job_example_due", condition=models.Q(example_due__gt=0)),
            models.Index(fields=("id",), name="job_day_due", condition=models.Q(day_due=True)),
            models.Index(fields=("id",), name="job_log_due", condition=models.Q(log_due=True)),
        ]

    def __str__(self) -> str:
        return f"Job {self.pk}: {self.model_name}"

    def get_absolute_url(self) -> str:
        """The job's page."""
        return reverse("jobs:bench", args=[self.pk])

    @property
    def log(self) -> list[Any]:
        """Every line of its log in order; one query where nobody has fetched them."""
        return list(self.entries.all()) if self.log_rows is None else self.log_rows

    def fetch_log(self) -> list[Any]:
        """Fetch every line of its log, with who wrote it, for all that reads it of this object from now on."""
        if self.log_rows is None:
            self.log_rows = list(self.entries.for_log())
        return self.log_rows

    @property
    def is_cancelled(self) -> bool:
        """Whether it was closed as a mistake: it had no outcome and teaches nothing."""
        return self.is_closed and self.outcome_works is None

    @property
    def is_own(self) -> bool:
        """Whether the device is the shop's own: bought to be repaired and sold."""
        return self.bought_for is not None

    @property
    def is_closed(self) -> bool:
        """Whether the job is closed."""
        return self.stage == Stage.CLOSED


class Entry(models.Model):
    """One line of the log, in the order in which things happened."""

    class EntryKind(models.TextChoices):
        """What happened."""

        CHECK = "check", "Check"
        TRY = "try", "Try"
        REPAIR = "repair", "Repair"
        HAZARD = "hazard", "Danger"
        PATH = "path", "Readings along the path"
        MISHAP = "mishap", "Mishap"
        NOTE = "note", "Note"
        EVENT = "event", "Job"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="entries")
    kind = models.CharField(max_length=8, choices=EntryKind.choices)
    name = models.CharField(max_length=40, blank=True)
    variant = models.CharField(max_length=20, blank=True)
    grade = models.CharField(max_length=20, blank=True)
    signs = models.JSONField(default=list, blank=True)
    values = models.JSONField(default=dict, blank=True)
    # How far the device was open for a reading, where that is not as its check usually needs it.
    access = models.CharField(max_length=20, blank=True)
    works = models.BooleanField(null=True, blank=True)
    text = TypedTextField(blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    struck_at = models.DateTimeField(null=True, blank=True)
    struck_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)
    struck_why = TypedCharField(max_length=200, blank=True)

    WORDS = ("text", "struck_why")
    objects = EntryQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)
        verbose_name_plural = "entries"

    def __str__(self) -> str:
        return f"{self.kind} {self.name} {self.text}".strip()

    @property
    def is_evidence(self) -> bool:
        """Whether the belief reads it."""
        kinds = self.EntryKind
        return self.kind in (kinds.CHECK, kinds.TRY, kinds.REPAIR, kinds.HAZARD, kinds.PATH, kinds.MISHAP)

    @property
    def is_own_repair(self) -> bool:
        """Whether it says that this bench did a repair or a proof; what others did before is a line of the log too."""
        return self.kind == self.EntryKind.REPAIR and self.variant != OTHER

    @property
    def changes_device(self) -> bool:
        """Whether this bench did something to the device: a repair, a proof or a mishap."""
        return self.is_own_repair or self.kind == self.EntryKind.MISHAP


class Repair(models.Model):
    """A route that was chosen: what was advised, what was done, what was used, what the proof said."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="repairs")
    route = models.CharField(max_length=40)
    advised = models.CharField(max_length=60, blank=True)
    reason = TypedCharField("Why not as advised", max_length=300, blank=True)
    over_limit = TypedCharField("Why over the customer's limit", max_length=300, blank=True)
    # How far the device was open when it was chosen, and what was picked where it can be done in several ways.
    reached = models.CharField(max_length=20, default="outside")
    # What the advice said when it was chosen: chances, minutes and money of this route and of the advised step.
    said = TypedJSONField(default=dict, blank=True)
    picks = models.JSONField(default=dict, blank=True)
    # Ids of the dangers that stood when it was chosen: its plan is made for them.
    dangers = models.JSONField(default=list, blank=True)
    used = TypedCharField("Used", max_length=300, blank=True)
    chosen_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    chosen_at = models.DateTimeField()
    finished_at = models.DateTimeField(null=True, blank=True)
    # Whether its parts are off the shelf already; they are not taken twice where the work goes back a step.
    booked = models.BooleanField(default=False)
    dropped_at = models.DateTimeField(null=True, blank=True)
    entry = models.OneToOneField(Entry, on_delete=models.PROTECT, null=True, blank=True, related_name="repair")

    WORDS = ("reason", "over_limit", "used")
    objects = RepairQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.route} on job {self.job_id}"

    @property
    def is_open(self) -> bool:
        """Whether it is still being worked on."""
        return self.finished_at is None and self.dropped_at is None


class Quote(models.Model):
    """What a customer was quoted for a route, in plain words, and what they answered."""

    class Answer(models.TextChoices):
        """What the customer said."""

        OPEN = "open", "not answered yet"
        APPROVED = "approved", "approved"
        DECLINED = "declined", "declined"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="quotes")
    route = models.CharField(max_length=40)
    amount = models.DecimalField("Amount", max_digits=9, decimal_places=2, validators=[MinValueValidator(0)])
    words = TypedTextField(max_length=3000)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    answer = models.CharField(max_length=10, choices=Answer.choices, default=Answer.OPEN)
    answered_by = TypedCharField("Who answered (initials or role)", max_length=40, blank=True)
    answered_at = models.DateTimeField(null=True, blank=True)
    noted_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    WORDS = ("words", "answered_by")
    objects = QuoteQuerySet.as_manager()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.amount} for {self.route}"
