"""The demo's boards as maps: one from a netlist, one from points on a picture. The pictures are drawn from the pads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from chargepath.board.finding import pad_called
from chargepath.board.layout import BoardLayout
from chargepath.board.overlay import PictureFit, fit
from chargepath.standin.layouts import as_netlist, made_board
from rainfront.board import actions
from rainfront.board.adapters import proposed
from rainfront.board.models import BoardMap, Meaning
from rainfront.demo.inside import KNOWN
from rainfront.demo.layouts import draw_layout
from rainfront.inside.actions import add_mark, add_photo
from rainfront.jobs.models import Job
from rainfront.people.models import User

Place = tuple[float, float]
# Pads near the corners of the board, for laying a picture over it.
PAIRS = 6
WIDE_PX = 1400


def load_boards(scenario: Mapping[str, Any], user: User, now: datetime) -> None:
    """Bring the boards in as a person would: read, confirmed, named."""
    for raw in scenario.get("board_map", ()):
        if "points" in raw:
            _on_picture(raw, user, now)
        else:
            _from_file(raw, user, now)


def layout_of(raw: Mapping[str, Any]) -> BoardLayout:
    """The made-up board of a scenario."""
    return made_board(raw["pads"], raw["seed"])


def _from_file(raw: Mapping[str, Any], user: User, now: datetime) -> None:
    hand: dict[str, Any] = {"user": user, "now": now}
    draft = actions.keep_draft(as_netlist(layout_of(raw)).encode(), raw["file"], **hand)
    board = actions.store_draft(draft, {key: raw[key] for key in ("model_name", "name", "revision")}, 1.0, **hand)
    found = proposed(board, KNOWN)
    actions.confirm_meanings(board, KNOWN, Meaning.Of.NET, {row.name: row.id for row in found.nets}, **hand)
    actions.confirm_meanings(board, KNOWN, Meaning.Of.PART, {row.name: row.id for row in found.parts}, **hand)
    for ties in proposed(_again(board), KNOWN).ties:
        pads = {row.pin: row.pads for row in ties.rows}
        actions.confirm_ties(board, KNOWN, (ties.pins.id, ties.place), pads, **hand)
    _tie(board, "ladder", "", raw["ladder"], hand)
    for corners in raw["shields"]:
        actions.add_cover(board, "shield", "top", tuple(corners), **hand)
    picture, seen = draw_layout(board.layout, camera(board.layout))
    row = actions.add_picture(board, picture, "top", **hand)
    lay(row, seen, user)


def _tie(board: BoardMap, map_id: str, place: str, pins: Mapping[str, str], hand: Mapping[str, Any]) -> None:
    pads = {pin: [pad_called(board.layout, name)] for pin, name in pins.items()}
    told = {pin: [number for number in found if number is not None] for pin, found in pads.items()}
    actions.confirm_ties(board, KNOWN, (map_id, place), told, **hand)


def _again(board: BoardMap) -> BoardMap:
    found: BoardMap = BoardMap.objects.with_all().get(pk=board.pk)
    return found


def _on_picture(raw: Mapping[str, Any], user: User, now: datetime) -> None:
    """A phone of which the shop has only a picture: its points are named one after the other."""
    hand: dict[str, Any] = {"user": user, "now": now}
    layout = layout_of(raw)
    left, top, right, bottom = layout.box
    wide, scale = right - left, WIDE_PX / (right - left)
    flat = fit([(left, top), (right, top), (right, bottom), (left, bottom)], [
        (0.0, 0.0), (wide * scale, 0.0), (wide * scale, (bottom - top) * scale), (0.0, (bottom - top) * scale),
    ])  # fmt: skip
    picture, _ = draw_layout(layout, flat, margin=0)
    details = {key: raw[key] for key in ("model_name", "name", "revision")}
    board = actions.begin_on_picture(picture, details, "top", wide, **hand)
    for name in raw["points"]:
        number = pad_called(layout, name)
        assert number is not None
        pad = layout.pads[number]
        names = {"part": pad.part, "pin": pad.pin, "net": pad.net}
        actions.add_point(_again(board), "top", (pad.x_mm, pad.y_mm), names, **hand)
    board = _again(board)
    roles = {net: role for net, role in raw["lines"].items() if net in board.layout.nets}
    actions.confirm_meanings(board, KNOWN, Meaning.Of.NET, roles, **hand)
    for map_id, place, pins in raw["ties"]:
        _tie(board, map_id, place, pins, hand)


def camera(layout: BoardLayout, middle: Place | None = None, wide_mm: float = 0.0) -> PictureFit:
    """A camera that looks a little aslant at a board, or at a piece of it around a place."""
    left, top, right, bottom = layout.box
    if middle is not None:
        left, right = middle[0] - wide_mm / 2, middle[0] + wide_mm / 2
        top, bottom = middle[1] - wide_mm / 2, middle[1] + wide_mm / 2
    scale = WIDE_PX / (right - left) * 0.86
    high = (bottom - top) * scale
    board = [(left, top), (right, top), (right, bottom), (left, bottom)]
    return fit(board, [(96, 60), (WIDE_PX - 70, 84), (WIDE_PX - 96, high + 70), (70, high + 110)])


def corner_pads(layout: BoardLayout, seen: PictureFit, size: tuple[int, int]) -> Sequence[int]:
    """Pads of the top that are in the picture, those nearest to its corners and to the middles of two edges."""
    wide, high = size
    places = seen.to_picture([(pad.x_mm, pad.y_mm) for pad in layout.pads])
    inside = [
        number
        for number, (u, v) in enumerate(places)
        if layout.pads[number].side == "top" and 20 < u < wide - 20 and 20 < v < high - 20
    ]
    found: list[int] = []
    for corner in ((0, 0), (wide, 0), (wide, high), (0, high), (wide / 2, 0), (wide / 2, high)):
        off = [((places[n][0] - corner[0]) ** 2 + (places[n][1] - corner[1]) ** 2, n) for n in inside if n not in found]
        found.append(min(off)[1])
    return found[:PAIRS]


def lay(row: Any, seen: PictureFit, user: User) -> None:
    """Pair the pads near the corners of a picture as a steady hand does: to the pixel."""
    layout = row.board.layout
    for number in corner_pads(layout, seen, (row.width, row.height)):
        pad = layout.pads[number]
        ((u, v),) = seen.to_picture([(pad.x_mm, pad.y_mm)])
        row = actions.add_pair(row, number, (round(u) / row.width, round(v) / row.height), user=user)


def play_board(job: Job, raw: Mapping[str, Any], user: User, at: datetime) -> None:
    """The photo of a job's own board under the microscope, with what was found warm on it, laid over the map."""
    board = BoardMap.objects.of_model(job.model_name).first()
    assert board is not None
    number = pad_called(board.layout, raw["warm"])
    assert number is not None
    pad = board.layout.pads[number]
    spot = (pad.x_mm + raw["off"][0], pad.y_mm + raw["off"][1])
    picture, seen = draw_layout(board.layout, camera(board.layout, spot, raw["wide"]), warm=spot)
    photo = add_photo(job, picture, raw["caption"], user=user, now=at)
    ((u, v),) = seen.to_picture([spot])
    x, y = u / photo.width, v / photo.height
    add_mark(photo, x, y, "warm within seconds", raw["part"], raw["how"], user=user, now=at)
    lay(actions.lay_photo(board, photo, "top", user=user, now=at), seen, user)
