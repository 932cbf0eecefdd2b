"""Photos of the shop's own steps, with numbered marks that say what is where."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from datetime import datetime
from io import BytesIO
from typing import Any

from django.core.files.base import ContentFile
from django.urls import reverse
from PIL import Image

from chargepath.base.errors import ReadingError
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.decoding import clean_apart
from rainfront.web.scenes.marked_photo import MarkedPhoto, draw
from rainfront.web.scenes.screw_map import MARGIN, SIZES
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.actions import new_edition
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import ShopStep

MOST_MARKS, LONGEST_WORDS = 12, 120
# Longest side of a photo of a step [pixels]: what a hand looks for is seen, and many go out with the references.
MOST_PIXELS = 1024
# Share of an outline that is its edge, where a place is told in words.
THIRD = 1 / 3


def marked(step: ShopStep) -> MarkedPhoto | None:
    """The photo of a step with its marks; None for a step without one."""
    if not step.photo:
        return None
    rows = [(number, row["x"], row["y"], row["text"], False) for number, row in enumerate(step.photo_marks, 1)]
    return draw(reverse("workshop:own_step_picture", args=[step.pk]), step.photo_width, step.photo_height, rows)


@dataclass(frozen=True)
class StepPlace:
    """Where on a device a step is done: the outline of its kind, and the place on it, as they are drawn."""

    width: int
    height: int
    x: str
    y: str
    says: str

    @property
    def spot(self) -> tuple[float, float] | None:
        """The place in shares of the device itself, without the margin around its outline; None without a place."""
        if not self.x:
            return None
        return (float(self.x) - MARGIN) / (self.width - 2 * MARGIN), (float(self.y) - MARGIN) / (
            self.height - 2 * MARGIN
        )


def place_of(step: ShopStep, kind: str = "") -> StepPlace:
    """The outline with the place of a step; without a place the outline alone."""
    width, height = SIZES[step.kind or kind or next(iter(SIZES))]
    if step.place_x is None or step.place_y is None:
        return StepPlace(width, height, "", "", "Outline of the device, no place marked on it")
    across = "left" if step.place_x < THIRD else "right" if step.place_x > 1 - THIRD else "middle"
    down = "top" if step.place_y < THIRD else "bottom" if step.place_y > 1 - THIRD else "middle"
    where = across if down == "middle" else f"{down} {across}" if across != "middle" else down
    x, y = f"{step.place_x * width:.1f}", f"{step.place_y * height:.1f}"
    return StepPlace(width, height, x, y, f"Done at the {where} of the device, seen from where it is opened")


def shown_of(own: str, kind: str) -> tuple[MarkedPhoto | None, StepPlace | None]:
    """Photo and place of the shop's own step with that id in a plan ('own_7'); None for what it has not."""
    number = own.removeprefix("own_")
    step = ShopStep.objects.filter(pk=number).first() if number.isdecimal() else None
    if step is None:
        return None, None
    return marked(step), place_of(step, kind) if step.place_x is not None else None


@dataclass(frozen=True)
class CleanPhoto:
    """A photo that is checked, scaled and without metadata, as JPEG, with its size [pixels]."""

    picture: bytes
    width: int
    height: int


def clean_photo(raw: bytes) -> CleanPhoto:
    """Check and scale a photo. It takes seconds at worst: call it before a transaction locks the database.

    Raises
    ------
    ReadingError
        It is no picture, or too large.

    """
    picture, width, height = clean_apart(raw)
    if max(width, height) > MOST_PIXELS:
        scaled = Image.open(BytesIO(picture))  # What our own process has just written.
        scaled.thumbnail((MOST_PIXELS, MOST_PIXELS))
        out = BytesIO()
        scaled.save(out, "JPEG", quality=85)
        picture, (width, height) = out.getvalue(), scaled.size
    return CleanPhoto(picture, width, height)


def photo_out(step: ShopStep) -> str:
    """The photo of a step as base64; '' where the file is gone."""
    try:
        with step.photo.open("rb") as file:
            return base64.b64encode(file.read()).decode()
    except FileNotFoundError:
        return ""


def photos_in(rows: Any) -> dict[int, CleanPhoto | ReadingError]:
    """The photos that came with steps of another shop, by the place of the step; or what is wrong with one."""
    found: dict[int, CleanPhoto | ReadingError] = {}
    for place, row in enumerate(rows if isinstance(rows, list) else ()):
        sent = row.get("photo") if isinstance(row, dict) else None
        if not sent:
            continue
        try:
            found[place] = clean_photo(base64.b64decode(str(sent), validate=True))
        except ReadingError as error:
            found[place] = error
        except ValueError:
            found[place] = ReadingError("the photo is no base64", "photo", "the file as a shop writes it")
    return found


def take_photo_in(
    step: ShopStep, photo: CleanPhoto | ReadingError | None, marks: Any, *, user: User, now: datetime, shop: Shop
) -> None:
    """Keep the photo and the marks that came with a step of another shop; without a photo nothing is done.

    Raises
    ------
    ReadingError
        It is no picture; the step stays without one.

    """
    if photo is None:
        return
    if isinstance(photo, ReadingError):
        raise photo
    store_photo(step, photo, user=user, now=now, shop=shop)
    for row in marks if isinstance(marks, list) else ():
        try:
            x, y, text = float(row["x"]), float(row["y"]), str(row["text"])
        except (KeyError, TypeError, ValueError) as error:
            raise ReadingError("a mark has no place or no words", "photo", "the file as a shop writes it") from error
        add_mark(step, x, y, text, user=user, now=now, shop=shop)


def _standing(step: ShopStep) -> ShopStep:
    found: ShopStep = ShopStep.objects.select_for_update().get(pk=step.pk)
    if found.struck_at is not None:
        raise ReadingError("this step was changed or struck out meanwhile", "step", "look at the list again")
    return found


@needs(Right.TEACH)
def keep_photo(step: ShopStep, raw: bytes, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Keep a picture for a step, checked, scaled and without metadata; marks on an earlier one go with it.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        No picture, too large, or the step holds no longer; nothing is stored.

    """
    made: ShopStep = store_photo(step, clean_photo(raw), user=user, now=now, shop=shop)
    return made


@needs(Right.TEACH)
@new_edition
def store_photo(step: ShopStep, photo: CleanPhoto, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Store a photo that is clean already for a step; marks on an earlier one go with it.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        The step holds no longer.

    """
    found = _standing(step)
    found.photo.save("step.jpg", ContentFile(photo.picture), save=False)
    found.photo_width, found.photo_height, found.photo_marks = photo.width, photo.height, []
    found.save(update_fields=["photo", "photo_width", "photo_height", "photo_marks"])
    return found


@needs(Right.TEACH)
@new_edition
def set_place(step: ShopStep, x: float, y: float, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Say where on the device a step is done; `x` and `y` are shares of the width and height of its outline.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        The place is not on the device, or the step holds no longer.

    """
    found = _standing(step)
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise ReadingError("that is not on the device", "place", "press within the outline")
    found.place_x, found.place_y = round(x, 4), round(y, 4)
    found.save(update_fields=["place_x", "place_y"])
    return found


def take_place_in(step: ShopStep, place: Any, *, user: User, now: datetime, shop: Shop) -> None:
    """Keep the place that came with a step of another shop; without one nothing is done.

    Raises
    ------
    ReadingError
        It is no place.

    """
    if place is None:
        return
    try:
        x, y = (float(share) for share in place)
    except (TypeError, ValueError) as error:
        raise ReadingError("the place is not two numbers", "place", "the file as a shop writes it") from error
    set_place(step, x, y, user=user, now=now, shop=shop)


@needs(Right.TEACH)
@new_edition
def add_mark(step: ShopStep, x: float, y: float, text: str, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Put one more mark on a step's photo; `x` and `y` are shares of its width and height.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        There is no photo, one mark too many, or no words.

    """
    refuse_unlock_code(text, "text")
    found = _standing(step)
    if not found.photo:
        raise ReadingError("the step has no photo", "photo", "keep one first")
    if not text.strip():
        raise ReadingError("nobody says what is there", "text", "in a few words")
    if len(found.photo_marks) >= MOST_MARKS:
        raise ReadingError(f"the photo has {MOST_MARKS} marks", "mark", "take one back first")
    place = {"x": min(max(x, 0.0), 1.0), "y": min(max(y, 0.0), 1.0)}
    found.photo_marks = [*found.photo_marks, {**place, "text": text.strip()[:LONGEST_WORDS]}]
    found.save(update_fields=["photo_marks"])
    return found


@needs(Right.TEACH)
@new_edition
def take_mark(step: ShopStep, number: int, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Take a mark back by its number; those behind it move up.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        There is no such mark.

    """
    found = _standing(step)
    if not 1 <= number <= len(found.photo_marks):
        raise ReadingError(f"there is no mark {number}", "mark", "look at the photo again")
    found.photo_marks = [row for place, row in enumerate(found.photo_marks, 1) if place != number]
    found.save(update_fields=["photo_marks"])
    return found
