"""A piece of a board as a small drawing, for paper and for pages without scripts: pads, with the names of a few."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from chargepath.board.layout import BoardLayout, BoardSide
from rainfront.web.scenes.charge_line import number

# Width of the drawing, margin around the named pads [mm], the least that is shown [mm], and the most pads drawn.
WIDE, AROUND_MM, LEAST_MM, MOST = 600.0, 2.0, 8.0, 600
FONT = 17


@dataclass(frozen=True)
class PieceRect:
    """A pad: its box, and its kind ('named', 'pad', 'far')."""

    x: str
    y: str
    wide: str
    high: str
    kind: str


@dataclass(frozen=True)
class PieceName:
    """The name of a pad, and where it stands."""

    x: str
    y: str
    text: str


@dataclass(frozen=True)
class BoardPiece:
    """A piece of a board, seen from one side; `title` says what it shows."""

    width: str
    height: str
    rects: Sequence[PieceRect]
    names: Sequence[PieceName]
    title: str


def draw(layout: BoardLayout, named: Iterable[int], title: str) -> BoardPiece | None:
    """The piece of a board around some pads, each with its name; None where there is none.

    Parameters
    ----------
    layout : BoardLayout
    named : iterable of int
        Numbers of the pads.
    title : str

    """
    pads, marked = layout.pads, [n for n in dict.fromkeys(named) if n < len(layout.pads)]
    if not marked:
        return None
    side = next((pads[n].side for n in marked if pads[n].side != BoardSide.BOTH), BoardSide.TOP)
    left, right = min(pads[n].x_mm for n in marked) - AROUND_MM, max(pads[n].x_mm for n in marked) + AROUND_MM
    top, bottom = min(pads[n].y_mm for n in marked) - AROUND_MM, max(pads[n].y_mm for n in marked) + AROUND_MM
    more = max(LEAST_MM - (right - left), 0) / 2
    left, right = left - more, right + more
    scale = WIDE / (right - left)
    near = [n for n, pad in enumerate(pads) if left <= pad.x_mm <= right and top <= pad.y_mm <= bottom]
    shown = sorted(near, key=lambda n: n not in marked)[:MOST]
    rects, names = [], []
    for n in reversed(shown):
        pad = pads[n]
        seen = pad.x_mm - left if side != BoardSide.BOTTOM else right - pad.x_mm
        x, y = seen * scale, (pad.y_mm - top) * scale
        wide, high = (pad.high_mm, pad.wide_mm) if 45 < pad.turn_deg % 180 < 135 else (pad.wide_mm, pad.high_mm)
        w, h = max(wide * scale, 3), max(high * scale, 3)
        kind = "named" if n in marked else "pad" if pad.side in (side, BoardSide.BOTH) else "far"
        rects.append(PieceRect(number(x - w / 2), number(y - h / 2), number(w), number(h), kind))
        if n in marked:
            names.append(PieceName(number(x), number(y - h / 2 - 5), pad.name))
    return BoardPiece(number(WIDE), number((bottom - top) * scale), rects, names, title)
