"""Photos of the shop's own steps, with numbered marks that say what is where."""

from __future__ import annotations

import base64
from collections.abc import Sequence
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
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.actions import new_edition
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import ShopStep

MOST_MARKS, LONGEST_WORDS = 12, 120
# Longest side of a photo that goes out with the references [pixels].
SENT_PIXELS = 1024


@dataclass(frozen=True)
class PhotoMark:
    """A numbered mark on a photo [pixels], with its words."""

    number: int
    x: str
    y: str
    text: str


@dataclass(frozen=True)
class MarkedPhoto:
    """A photo with its marks, as a drawing lays them over it; lengths in pixels of the photo."""

    url: str
    width: int
    height: int
    marks: Sequence[PhotoMark]
    radius: str
    font: str
    drop: str
    says: str


def marked(step: ShopStep) -> MarkedPhoto | None:
    """The photo of a step with its marks; None for a step without one."""
    if not step.photo:
        return None
    width, height, size = step.photo_width, step.photo_height, max(step.photo_width, step.photo_height) / 40
    marks = [
        PhotoMark(number, f"{row['x'] * width:.1f}", f"{row['y'] * height:.1f}", row["text"])
        for number, row in enumerate(step.marks, 1)
    ]
    return MarkedPhoto(
        url=reverse("workshop:own_step_picture", args=[step.pk]),
        width=width,
        height=height,
        marks=marks,
        radius=f"{size:.1f}",
        font=f"{size * 1.2:.1f}",
        drop=f"{size * 0.42:.1f}",
        says="; ".join(f"{mark.number}: {mark.text}" for mark in marks),
    )


def marked_of(own: str) -> MarkedPhoto | None:
    """The photo of the shop's own step with that id in a plan ('own_7'); None where it has none."""
    number = own.removeprefix("own_")
    step = ShopStep.objects.filter(pk=number).exclude(photo="").first() if number.isdecimal() else None
    return marked(step) if step else None


def photo_out(step: ShopStep) -> str:
    """The photo of a step, scaled for sending, as base64; '' where the file is gone."""
    try:
        with step.photo.open("rb") as file:
            picture = Image.open(BytesIO(file.read()))
    except FileNotFoundError:
        return ""
    picture.thumbnail((SENT_PIXELS, SENT_PIXELS))
    out = BytesIO()
    picture.save(out, "JPEG", quality=80)
    return base64.b64encode(out.getvalue()).decode()


def take_photo_in(step: ShopStep, photo: Any, marks: Any, *, user: User, now: datetime, shop: Shop) -> None:
    """Keep the photo and the marks that came with a step of another shop; without a photo nothing is done.

    Raises
    ------
    ReadingError
        It is no picture; the step stays without one.

    """
    if not photo:
        return
    try:
        raw = base64.b64decode(str(photo), validate=True)
    except ValueError as error:
        raise ReadingError("the photo is no base64", "photo", "the file as a shop writes it") from error
    keep_photo(step, raw, user=user, now=now, shop=shop)
    for row in marks if isinstance(marks, list) else ():
        try:
            x, y, text = float(row["x"]), float(row["y"]), str(row["text"])
        except (KeyError, TypeError, ValueError) as error:
            raise ReadingError("a mark has no place or no words", "marks", "the file as a shop writes it") from error
        add_mark(step, x, y, text, user=user, now=now, shop=shop)


def _standing(step: ShopStep) -> ShopStep:
    found: ShopStep = ShopStep.objects.select_for_update().get(pk=step.pk)
    if found.struck_at is not None:
        raise ReadingError("this step was changed or struck out meanwhile", "step", "look at the list again")
    return found


@needs(Right.TEACH)
@new_edition
def keep_photo(step: ShopStep, raw: bytes, *, user: User, now: datetime, shop: Shop) -> ShopStep:
    """Keep a picture for a step, checked, scaled and without metadata; marks on an earlier one go with it.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        No picture, too large, or the step holds no longer; nothing is stored.

    """
    picture, width, height = clean_apart(raw)
    found = _standing(step)
    found.photo.save("step.jpg", ContentFile(picture), save=False)
    found.photo_width, found.photo_height, found.marks = width, height, []
    found.save(update_fields=["photo", "photo_width", "photo_height", "marks"])
    return found


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
    if len(found.marks) >= MOST_MARKS:
        raise ReadingError(f"the photo has {MOST_MARKS} marks", "mark", "take one back first")
    place = {"x": min(max(x, 0.0), 1.0), "y": min(max(y, 0.0), 1.0)}
    found.marks = [*found.marks, {**place, "text": text.strip()[:LONGEST_WORDS]}]
    found.save(update_fields=["marks"])
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
    if not 1 <= number <= len(found.marks):
        raise ReadingError(f"there is no mark {number}", "mark", "look at the photo again")
    found.marks = [row for place, row in enumerate(found.marks, 1) if place != number]
    found.save(update_fields=["marks"])
    return found
