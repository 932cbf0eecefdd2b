"""Maps: read, confirmed and stored; begun on a picture; taken out of use and back."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from hashlib import sha256
from typing import Any

from django.core.files.base import ContentFile
from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.board.layout import BoardLayout, scaled, with_pads
from chargepath.board.packed import pack, unpack
from rainfront.board.models import BoardDraft, BoardMap, BoardPicture
from rainfront.board.reading import read_apart
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.decoding import clean_apart
from rainfront.web.files import files_go_with_it
from rainfront.web.secrets import refuse_unlock_code

# The width that a picture without a scale is given, so that its points have places.
NO_SCALE_MM = 60.0


@needs(Right.TEACH)
def keep_draft(raw: bytes, name: str, *, user: User, now: datetime) -> BoardDraft:
    """Read a board file and keep what was read until somebody has looked at it; an earlier one of theirs goes.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is no board file; nothing is kept.

    """
    refuse_unlock_code(name, "name of the file")
    read = read_apart(raw)
    with files_go_with_it(), transaction.atomic():
        for old in BoardDraft.objects.filter(by=user):
            drop_draft(old)
        file = ContentFile(read.packed, name="draft.json.gz")
        return BoardDraft.objects.create(name=name[:80], file=file, notes=read.notes, by=user, at=now)


def drop_draft(draft: BoardDraft) -> None:
    """Remove a draft with its file."""
    draft.file.delete(save=False)
    draft.delete()


@needs(Right.TEACH)
def store_draft(draft: BoardDraft, details: Mapping[str, str], factor: float, *, user: User, now: datetime) -> BoardMap:
    """Store a board that was read, as somebody has confirmed it.

    Parameters
    ----------
    draft : BoardDraft
    details : mapping
        model_name, name and revision.
    factor : float
        How much longer everything is than the file says; 1 where its unit is right.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It was stored meanwhile.

    """
    with files_go_with_it(), transaction.atomic():
        if not BoardDraft.objects.filter(pk=draft.pk).exists():
            raise ReadingError("it was stored or dropped meanwhile", "board", "look among the boards")
        with draft.file.open("rb") as file:
            board = unpack(file.read())
        notes = draft.notes
        left = len(notes["left_out"]) + notes["more_left_out"]
        sent = notes.get("sent", {})
        fields = {**details, **{key: sent[key] for key in ("made", "scaled") if key in sent}, "left_out": left}
        made = store_map(scaled(board, factor) if factor != 1 else board, fields, user, now)
        drop_draft(draft)
        return made


def store_map(board: BoardLayout, fields: Mapping[str, Any], user: User, now: datetime) -> BoardMap:
    """Store a board as a map of its own."""
    made = BoardMap(**fields, by=user, at=now)
    put_layout(made, board)
    return made


def put_layout(row: BoardMap, board: BoardLayout) -> None:
    """Store the pads of a map as one file named by its digest; the file before it goes."""
    packed, old = pack(board), row.file.name
    row.digest, row.pads = sha256(packed).hexdigest(), len(board.pads)
    row.file.save(f"{row.digest[:32]}.json.gz", ContentFile(packed), save=False)
    row.save()
    row.layout = board
    if old:
        row.file.storage.delete(old)


@needs(Right.TEACH)
def begin_on_picture(
    raw: bytes, details: Mapping[str, str], side: str, wide_mm: float | None, *, user: User, now: datetime
) -> BoardMap:
    """Begin a map on a picture of one side of a board, on which points are then named.

    Parameters
    ----------
    raw : bytes
    details : mapping
        model_name, name and revision.
    side : str
        Of the board: 'top' or 'bottom'.
    wide_mm : float or None
        How much of the board the picture shows from left to right [mm]; None where nobody has measured it.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is no picture; nothing is stored.

    """
    jpeg, width, height = clean_apart(raw)
    wide = wide_mm or NO_SCALE_MM
    high = wide * height / width
    with files_go_with_it(), transaction.atomic():
        fields = {**details, "made": BoardMap.Made.PICTURE, "scaled": wide_mm is not None}
        made = store_map(with_pads(None, (), (wide, high)), fields, user, now)
        BoardPicture.objects.create(
            board=made,
            side=side,
            file=ContentFile(jpeg, name="board.jpg"),
            width=width,
            height=height,
            pairs=edges(wide, high, width, height, mirrored=side == "bottom"),
            by=user,
            at=now,
        )
        return made


def edges(wide: float, high: float, width: int, height: int, *, mirrored: bool = False) -> list[list[Any]]:
    """The four corners of a picture that is the map itself, as pairs."""
    corners = ((0, 0), (1, 0), (1, 1), (0, 1))
    return [
        [round((1 - x if mirrored else x) * wide, 6), round(y * high, 6), x * width, y * height, "corner"]
        for x, y in corners
    ]


@needs(Right.TEACH)
@transaction.atomic
def remove_map(board: BoardMap, *, user: User, now: datetime) -> None:
    """Take a map out of use."""
    BoardMap.objects.filter(pk=board.pk).update(removed_at=now, removed_by=user)


@needs(Right.TEACH)
@transaction.atomic
def restore_map(board: BoardMap, *, user: User) -> None:
    """Bring a map back into use."""
    BoardMap.objects.filter(pk=board.pk).update(removed_at=None, removed_by=None)
