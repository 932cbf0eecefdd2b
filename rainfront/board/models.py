"""Maps of boards, and what somebody has confirmed of them."""

from __future__ import annotations

from functools import cached_property, lru_cache

from django.conf import settings
from django.core.files.storage import default_storage
from django.db import models
from django.urls import reverse

from chargepath.board.layout import BoardLayout
from chargepath.board.packed import unpack
from rainfront.board.querysets import MapQuerySet, PictureQuerySet
from rainfront.inside.models import Photo
from rainfront.web.fields import TypedCharField

USER = settings.AUTH_USER_MODEL


@lru_cache(maxsize=16)
def _layout_of(digest: str, name: str) -> BoardLayout:
    """The pads of a stored file; what bears a digest is never changed, so it is unpacked once a process."""
    with default_storage.open(name, "rb") as file:
        return unpack(file.read())


class BoardMap(models.Model):
    """A board of a model as a map: its pads are one file, named by its digest, which is never changed."""

    class Made(models.TextChoices):
        """What it was made from."""

        FILE = "file", "read from a board file"
        PICTURE = "picture", "points named on pictures"

    model_name = TypedCharField("Model", max_length=80)
    name = TypedCharField("Which board", max_length=40, default="main board")
    revision = TypedCharField("Board revision", max_length=20, blank=True)
    made = models.CharField(max_length=8, choices=Made.choices, default=Made.FILE)
    file = models.FileField(upload_to="boards/")
    digest = models.CharField(max_length=64)
    pads = models.PositiveIntegerField()
    # Whether lengths on it are known: a picture without a scale has places but no millimetres.
    scaled = models.BooleanField(default=True)
    left_out = models.PositiveIntegerField(default=0)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)
    removed_by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+", null=True, blank=True)

    WORDS = ("name", "model_name", "revision")
    objects = MapQuerySet.as_manager()

    class Meta:
        ordering = ("model_name", "name", "pk")

    def __str__(self) -> str:
        return f"{self.model_name}, {self.name}{f' {self.revision}' if self.revision else ''}"

    def get_absolute_url(self) -> str:
        """Its page."""
        return reverse("board:map", args=[self.pk])

    @cached_property
    def layout(self) -> BoardLayout:
        """Its pads."""
        return _layout_of(self.digest, self.file.name)


class BoardDraft(models.Model):
    """A board that was read and is not confirmed yet; `notes` say what was left out, and why."""

    name = TypedCharField(max_length=80)
    file = models.FileField(upload_to="boards/drafts/")
    notes = models.JSONField(default=dict)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class Meaning(models.Model):
    """What a net or a part of a board is for, as somebody has confirmed it; ids are those of boards.toml."""

    class Of(models.TextChoices):
        """What it is said of."""

        NET = "net", "net"
        PART = "part", "part"

    board = models.ForeignKey(BoardMap, on_delete=models.CASCADE, related_name="meanings")
    of = models.CharField(max_length=4, choices=Of.choices)
    name = models.CharField(max_length=120)
    means = models.CharField(max_length=20)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("pk",)
        constraints = [models.UniqueConstraint(fields=("board", "of", "name"), name="one_meaning_a_name")]

    def __str__(self) -> str:
        return f"{self.name}: {self.means}"


class Tie(models.Model):
    """Which pads of a board a pin of a pin map is at one place; on the ladder the place is '' and the pin a rung."""

    LADDER = "ladder"

    board = models.ForeignKey(BoardMap, on_delete=models.CASCADE, related_name="ties")
    map_id = models.CharField(max_length=20)
    place = models.CharField(max_length=20, blank=True)
    pin = models.CharField(max_length=20)
    pads = models.JSONField(default=list)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("pk",)
        constraints = [
            models.UniqueConstraint(fields=("board", "map_id", "place", "pin"), name="one_tie_a_pin"),
        ]

    def __str__(self) -> str:
        return f"{self.map_id} {self.pin}"

    @property
    def places(self) -> tuple[str, ...]:
        """Where a reading of the pin is one of these pads: a port's contacts are reached from the plug side too."""
        return (self.place, "contact") if self.place == "pads" else (self.place,)


class Cover(models.Model):
    """What covers a piece of a board [mm]: a shield on one side, or the other half of a stacked board."""

    class What(models.TextChoices):
        """What lies over it."""

        SHIELD = "shield", "under a shield"
        BETWEEN = "between", "between the two boards"

    board = models.ForeignKey(BoardMap, on_delete=models.CASCADE, related_name="covers")
    what = models.CharField("What covers it", max_length=8, choices=What.choices, default=What.SHIELD)
    side = models.CharField("Side", max_length=6, choices=(("top", "top"), ("bottom", "bottom")), default="top")
    left = models.FloatField()
    top = models.FloatField()
    right = models.FloatField()
    bottom = models.FloatField()
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.get_what_display()


class BoardPicture(models.Model):
    """A picture laid over a board by pairs of points: of the model, or with `photo` of a job's own device.

    A pair is a place on the board [mm] and its place in the picture [pixels]: x, y, u, v, and the name of the pad.
    """

    board = models.ForeignKey(BoardMap, on_delete=models.CASCADE, related_name="pictures")
    photo = models.ForeignKey(Photo, on_delete=models.CASCADE, null=True, blank=True, related_name="board_pictures")
    side = models.CharField("Side", max_length=6, choices=(("top", "top"), ("bottom", "bottom")), default="top")
    file = models.FileField(upload_to="boards/pictures/", blank=True)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    pairs = models.JSONField(default=list, blank=True)
    by = models.ForeignKey(USER, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    removed_at = models.DateTimeField(null=True, blank=True)

    objects = PictureQuerySet.as_manager()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"picture of the {self.side}"

    def get_absolute_url(self) -> str:
        """Where it is laid over the board."""
        return reverse("board:lay", args=[self.board_id, self.pk])
