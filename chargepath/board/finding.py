"""What lies near what on a board: a pad under a press, parts on a rail by distance, where a wire can land."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide

SPACES = re.compile(r"[\s.:/-]+")
# A part with more pads than this is a chip: a wire cannot land on pads that its body covers.
MOST_PADS_OF_SMALL = 8
# How far the body of a chip reaches beyond the middles of its pads, as a share of their box; its outer pads stay free.
BODY = 0.98


@dataclass(frozen=True)
class Landing:
    """A pad where a wire for a torn pad can land.

    Attributes
    ----------
    number : int
        Of the pad, in `BoardLayout.pads`.
    pad : BoardPad
    length_mm : float
        Straight distance from the torn pad.
    through : bool
        Whether it lies on the other side of the board, so that the wire has to go around the edge or through a hole.

    """

    number: int
    pad: BoardPad
    length_mm: float
    through: bool


def pad_at(board: BoardLayout, x_mm: float, y_mm: float, within_mm: float, side: BoardSide | None = None) -> int | None:
    """Number of the pad whose middle is nearest to a point, on one side where that is told; None if none is near."""
    seen = [n for n, pad in enumerate(board.pads) if side is None or pad.side in (side, BoardSide.BOTH)]
    if not seen:
        return None
    at = np.array([(board.pads[number].x_mm, board.pads[number].y_mm) for number in seen])
    off = np.hypot(at[:, 0] - x_mm, at[:, 1] - y_mm)
    best = int(off.argmin())
    return seen[best] if off[best] <= within_mm else None


def pad_called(board: BoardLayout, text: str) -> int | None:
    """Number of the pad with a name as people type it, as J1.A4 or j1 a4; a part with one pad by its name alone."""
    wanted = SPACES.sub(".", text.strip()).lower()
    alone = next(
        (numbers[0] for part, numbers in board.parts.items() if part.lower() == wanted and len(numbers) == 1), None
    )
    if alone is not None:
        return alone
    return next((number for number, pad in enumerate(board.pads) if pad.name.lower() == wanted), None)


def parts_near(board: BoardLayout, net: str, x_mm: float, y_mm: float) -> list[tuple[str, float]]:
    """Parts on a net, the one whose pad on it is nearest to a point first, each with that distance [mm]."""
    found: dict[str, float] = {}
    for number in board.nets.get(net, ()):
        pad = board.pads[number]
        off = math.hypot(pad.x_mm - x_mm, pad.y_mm - y_mm)
        if pad.part and off < found.get(pad.part, math.inf):
            found[pad.part] = off
    return sorted(found.items(), key=lambda row: (row[1], row[0]))


def is_covered(board: BoardLayout, number: int) -> bool:
    """Whether mask or the body of its chip covers a pad, so that nothing can be soldered to it."""
    pad = board.pads[number]
    own = board.parts.get(pad.part, ())
    if pad.masked or len(own) <= MOST_PADS_OF_SMALL:
        return pad.masked
    across = [board.pads[one].x_mm for one in own]
    down = [board.pads[one].y_mm for one in own]
    middle_x, middle_y = (min(across) + max(across)) / 2, (min(down) + max(down)) / 2
    half_x, half_y = (max(across) - min(across)) / 2 * BODY, (max(down) - min(down)) / 2 * BODY
    return abs(pad.x_mm - middle_x) < half_x and abs(pad.y_mm - middle_y) < half_y


def landings(board: BoardLayout, torn: int, beyond: Sequence[str] = (), most: int = 6) -> list[Landing]:
    """Where a wire for a torn pad can land, the same side and the shortest wire first.

    Parameters
    ----------
    board : BoardLayout
    torn : int
        Number of the torn pad.
    beyond : sequence of str
        Parts known to hang on the piece of copper that was torn off with the pad: a wire to them would join nothing.
        The torn pad's own part is always among them.
    most : int

    """
    pad = board.pads[torn]
    off = {pad.part, *beyond}
    found = []
    for number in board.nets.get(pad.net, ()):
        other = board.pads[number]
        if number == torn or other.part in off or is_covered(board, number):
            continue
        length = math.hypot(other.x_mm - pad.x_mm, other.y_mm - pad.y_mm)
        found.append(
            Landing(number, other, length, BoardSide.BOTH not in (pad.side, other.side) and other.side != pad.side)
        )
    return sorted(found, key=lambda row: (row.through, row.length_mm))[:most]
