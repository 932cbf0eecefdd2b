"""Pictures that are laid over a board by pairs of points."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.core.files.base import ContentFile
from django.db import transaction

from chargepath.base.errors import ReadingError
from rainfront.board.actions.maps import NO_SCALE_MM, edges
from rainfront.board.models import BoardMap, BoardPicture
from rainfront.inside.models import Photo
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.decoding import clean_apart
from rainfront.web.files import files_go_with_it

MOST_PAIRS, MOST_PICTURES = 40, 12


@needs(Right.TEACH)
def add_picture(
    board: BoardMap, raw: bytes, side: str, wide_mm: float | None = None, *, user: User, now: datetime
) -> BoardPicture:
    """Keep a picture of one side of the model's board.

    On a map that is a picture it has its own scale: `wide_mm` is what it shows from left to right; its bottom side is
    seen mirrored.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is no picture, or one too many.

    """
    if BoardPicture.objects.standing().filter(board=board, photo=None).count() >= MOST_PICTURES:
        raise ReadingError(f"there are {MOST_PICTURES} pictures already", "picture", "take one back first")
    jpeg, width, height = clean_apart(raw)
    pairs: list[Any] = []
    if board.made == BoardMap.Made.PICTURE:
        wide = wide_mm or NO_SCALE_MM
        pairs = edges(wide, wide * height / width, width, height, mirrored=side == "bottom")
    return keep_picture(board, (jpeg, width, height), side, pairs, user=user, now=now)


def keep_picture(
    board: BoardMap, clean: tuple[bytes, int, int], side: str, pairs: list[Any], *, user: User, now: datetime
) -> BoardPicture:
    """Keep a picture that is clean already, with its width and height [pixels] and its pairs."""
    jpeg, width, height = clean
    with files_go_with_it(), transaction.atomic():
        file = ContentFile(jpeg, name="board.jpg")
        made: BoardPicture = BoardPicture.objects.create(
            board=board, side=side, file=file, width=width, height=height, pairs=pairs, by=user, at=now
        )
        return made


@needs(Right.MEASURE)
@transaction.atomic
def lay_photo(board: BoardMap, photo: Photo, side: str, *, user: User, now: datetime) -> BoardPicture:
    """Begin to lay a photo of a job's own board over the map; where it was begun, that goes on."""
    found: BoardPicture | None = BoardPicture.objects.standing().filter(board=board, photo=photo).first()
    if found is not None:
        return found
    made: BoardPicture = BoardPicture.objects.create(
        board=board, photo=photo, side=side, width=photo.width, height=photo.height, by=user, at=now
    )
    return made


@needs(Right.MEASURE)
def add_pair(picture: BoardPicture, pad: int, at: tuple[float, float], *, user: User) -> BoardPicture:
    """Say where a pad of the board is in the picture, as shares of its width and height; a pad's earlier pair goes.

    Raises
    ------
    NotAllowed
        Who asks may not measure.
    ReadingError
        There is no such pad, it is on the other side, or there are enough pairs.

    """
    board = picture.board
    if not 0 <= pad < board.pads:
        raise ReadingError("this board has no such pad", "pad", "its part and pin, as in J1.A4")
    found = board.layout.pads[pad]
    if found.side not in (picture.side, "both"):
        raise ReadingError(f"{found.name} is on the other side", "pad", f"one on the {picture.side}")
    with transaction.atomic():
        fresh: BoardPicture = BoardPicture.objects.select_for_update().get(pk=picture.pk)
        kept = [pair for pair in fresh.pairs if pair[4] != found.name]
        if len(kept) >= MOST_PAIRS:
            raise ReadingError(f"{MOST_PAIRS} pairs are enough", "pairs", "take one back first")
        x, y = at
        u, v = round(x * fresh.width, 2), round(y * fresh.height, 2)
        fresh.pairs = [*kept, [found.x_mm, found.y_mm, u, v, found.name]]
        fresh.save(update_fields=["pairs"])
    return fresh


@needs(Right.MEASURE)
def take_pair(picture: BoardPicture, number: int, *, user: User) -> None:
    """Take a pair back, by its number from 1."""
    with transaction.atomic():
        fresh = BoardPicture.objects.select_for_update().get(pk=picture.pk)
        fresh.pairs = [pair for place, pair in enumerate(fresh.pairs, 1) if place != number]
        fresh.save(update_fields=["pairs"])


@needs(Right.MEASURE)
def remove_picture(picture: BoardPicture, *, user: User, now: datetime) -> None:
    """Take a picture back; a photo stays with its job."""
    with transaction.atomic():
        if picture.file:
            picture.file.delete(save=False)
        BoardPicture.objects.filter(pk=picture.pk).update(removed_at=now, file="")
