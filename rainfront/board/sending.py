"""A map with everything that was confirmed of it as one open file, for another shop; and what such a file brings in."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.base.errors import ChargepathError
from chargepath.board.packed import as_data, from_data
from chargepath.knowledge import Knowledge
from rainfront.board.actions.maps import store_map
from rainfront.board.actions.naming import confirm_meanings, confirm_ties
from rainfront.board.actions.pictures import MOST_PAIRS, MOST_PICTURES, keep_picture
from rainfront.board.actions.points import add_cover
from rainfront.board.models import BoardMap, Meaning
from rainfront.board.reading import FORMAT, VERSION, sent_parts
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.reference.models import BoardConnector
from rainfront.web.decoding import clean_apart

OWN = "own "
# A picture that came with a map: JPEG with width and height [pixels], the side that it shows, and its pairs.
SentPicture = tuple[tuple[bytes, int, int], str, list[Any]]
FIELDS = ("model_name", "name", "revision", "made", "scaled")


def map_out(board: BoardMap) -> dict[str, Any]:
    """A map as plain data: pads, what lines and parts are for, ties, covers, pictures of the model."""
    own = {row.map_id: f"{OWN}{row.name}" for row in BoardConnector.objects.all()}
    said = list(board.meanings.all())
    return {
        "format": FORMAT,
        "version": VERSION,
        "model": board.model_name,
        "name": board.name,
        "revision": board.revision,
        "made": board.made,
        "scaled": board.scaled,
        "board": as_data(board.layout),
        "lines": {row.name: row.means for row in said if row.of == Meaning.Of.NET},
        "parts": {row.name: row.means for row in said if row.of == Meaning.Of.PART},
        "ties": [[own.get(tie.map_id, tie.map_id), tie.place, tie.pin, tie.pads] for tie in board.ties.all()],
        "covers": [[row.what, row.side, row.left, row.top, row.right, row.bottom] for row in board.covers.all()],
        "pictures": [
            {"side": row.side, "pairs": row.pairs, "jpeg": _bytes(row.file)} for row in board.pictures.all() if row.file
        ],
    }


def _bytes(file: Any) -> str:
    try:
        with file.open("rb") as opened:
            return base64.b64encode(opened.read()).decode()
    except FileNotFoundError:
        return ""


@needs(Right.TEACH)
def map_in(
    sent: Any, pictures: Sequence[SentPicture | None], known: Knowledge, *, user: User, now: datetime
) -> BoardMap | None:
    """Store a map that another shop has sent; None where the same map of the same model is here already.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    LayoutError, ReadingError
        It is no map; nothing is stored.

    """
    parts = sent_parts(sent)
    board = from_data(sent.get("board"))
    with transaction.atomic():
        made = store_map(board, {key: parts[key] for key in FIELDS}, user, now)
        same = BoardMap.objects.standing().filter(model_name__iexact=made.model_name, digest=made.digest)
        if same.exclude(pk=made.pk).exists():
            made.file.delete(save=False)
            made.delete()
            return None
        take_said(made, parts, pictures, known, user=user, now=now)
    return made


def take_said(
    board: BoardMap,
    sent: Mapping[str, Any],
    pictures: Sequence[SentPicture | None],
    known: Knowledge,
    *,
    user: User,
    now: datetime,
) -> list[str]:
    """Take in what came with a map; what is not known here is left out, and named."""
    left: list[str] = []

    def taking(name: str, act: Any, *args: Any) -> None:
        try:
            with transaction.atomic():
                act(*args, user=user, now=now)
        except (ChargepathError, KeyError, TypeError, ValueError, AttributeError):
            left.append(name[:60])

    maps = {f"{OWN}{row.name}": row.map_id for row in BoardConnector.objects.all()}
    for of, key in ((Meaning.Of.NET, "lines"), (Meaning.Of.PART, "parts")):
        for name, means in sent[key].items():
            taking(f"{of} {name}", confirm_meanings, board, known, of, {str(name): str(means)})
    for row in sent["ties"]:
        map_id, place, pin, pads = row if isinstance(row, list) and len(row) == 4 else ["", "", "", []]
        taking(f"pin {pin}", confirm_ties, board, known, (maps.get(str(map_id), str(map_id)), place), {pin: pads})
    for row in sent["covers"]:
        what, side, *corners = row if isinstance(row, list) and len(row) == 6 else ["", "", 0, 0, 0, 0]
        taking("a cover", add_cover, board, what, side, tuple(corners))
    for picture in pictures:
        if picture is None:
            left.append("a picture")
        else:
            keep_picture(board, *picture, user=user, now=now)
    return left


def pictures_in(sent: Mapping[str, Any]) -> list[SentPicture | None]:
    """The pictures that came with a map: clean JPEG with its size, side, pairs; None for one that is none.

    It takes seconds at worst: call it before a transaction locks the database.
    """
    found: list[SentPicture | None] = []
    rows = sent.get("pictures") if isinstance(sent, Mapping) else None
    for row in rows[:MOST_PICTURES] if isinstance(rows, list) else ():
        try:
            side = "bottom" if row["side"] == "bottom" else "top"
            clean = clean_apart(base64.b64decode(str(row["jpeg"]), validate=True))
            pairs = [[*(float(value) for value in pair[:4]), str(pair[4])[:60]] for pair in row["pairs"][:MOST_PAIRS]]
            found.append((clean, side, pairs))
        except (ChargepathError, KeyError, TypeError, ValueError, IndexError):
            found.append(None)
    return found
