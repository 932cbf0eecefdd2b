"""Points that are named on a picture, and what covers a board."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.board.layout import MOST_PADS, BoardPad, BoardSide, with_pads
from rainfront.board.actions.maps import put_layout
from rainfront.board.models import BoardMap, Cover
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.web.files import files_go_with_it
from rainfront.web.secrets import refuse_unlock_code

MOST_POINTS, MOST_COVERS = 500, 40
# How large a named point is drawn [mm].
POINT_MM = 0.8


@needs(Right.TEACH)
def add_point(
    board: BoardMap, side: str, at: tuple[float, float], names: Mapping[str, str], *, user: User, now: datetime
) -> int:
    """Name one more point on a picture; its number.

    Parameters
    ----------
    board : BoardMap
    side : str
    at : tuple of float
        On the board [mm].
    names : mapping
        part, pin and net; any may be '', but not all.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        The map is of a board file, it has no name, or there are too many.

    """
    if board.made != BoardMap.Made.PICTURE:
        raise ReadingError("this board comes from a file, which has its pads", "board", "a map that is a picture")
    words = {key: names.get(key, "").strip()[:40] for key in ("part", "pin", "net")}
    if not any(words.values()):
        raise ReadingError("nobody says what is there", "point", "its part, its pin or its net")
    for word in words.values():
        refuse_unlock_code(word, "name")
    if board.pads >= min(MOST_POINTS, MOST_PADS):
        raise ReadingError(f"there are {board.pads} points already", "point", f"up to {MOST_POINTS}")
    x, y = at
    made = BoardPad(
        part=words["part"],
        pin=words["pin"],
        net=words["net"],
        side=BoardSide(side),
        x_mm=round(x, 6),
        y_mm=round(y, 6),
        wide_mm=POINT_MM,
        high_mm=POINT_MM,
        round=True,
    )
    with files_go_with_it(), transaction.atomic():
        fresh = BoardMap.objects.get(pk=board.pk)
        put_layout(fresh, with_pads(fresh.layout, [*fresh.layout.pads, made], (0, 0)))
        return fresh.pads - 1


@needs(Right.TEACH)
def remove_point(board: BoardMap, number: int, *, user: User) -> None:
    """Take a point back; its ties go with it, and the points behind it move up.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        There is no such point.

    """
    with files_go_with_it(), transaction.atomic():
        fresh = BoardMap.objects.get(pk=board.pk)
        pads = list(fresh.layout.pads)
        if fresh.made != BoardMap.Made.PICTURE or not 0 <= number < len(pads):
            raise ReadingError("there is no such point", "point", "look at the board again")
        del pads[number]
        for tie in fresh.ties.all():
            if number in tie.pads:
                tie.delete()
            elif any(pad > number for pad in tie.pads):
                tie.pads = [pad - (pad > number) for pad in tie.pads]
                tie.save(update_fields=["pads"])
        put_layout(fresh, replace(fresh.layout, pads=tuple(pads)))


@needs(Right.TEACH)
@transaction.atomic
def add_cover(
    board: BoardMap, what: str, side: str, corners: tuple[float, float, float, float], *, user: User, now: datetime
) -> Cover:
    """Say what covers a piece of the board, by two opposite corners [mm].

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        It is no piece, or there are too many.

    """
    left, top, right, bottom = corners
    left, right, top, bottom = min(left, right), max(left, right), min(top, bottom), max(top, bottom)
    if right - left < 0.5 or bottom - top < 0.5:
        raise ReadingError("that is no piece of the board", "corners", "two opposite corners, half a millimetre apart")
    if board.covers.count() >= MOST_COVERS:
        raise ReadingError(f"there are {MOST_COVERS} already", "covers", "take one back first")
    return Cover.objects.create(
        board=board, what=what, side=side, left=left, top=top, right=right, bottom=bottom, by=user, at=now
    )


@needs(Right.TEACH)
@transaction.atomic
def remove_cover(board: BoardMap, pk: int, *, user: User) -> None:
    """Take back that something covers the board there."""
    Cover.objects.filter(board=board, pk=pk).delete()
