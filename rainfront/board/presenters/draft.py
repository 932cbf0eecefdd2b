"""What was read of a board file, for a person to confirm."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from chargepath.base.quantities import figure, show
from chargepath.board.layout import BoardLayout

# Why a line of a file was left out, by its code.
WHY = {
    "columns": "its columns are not where they belong",
    "names": "a name is missing, or has a blank in it",
    "unknown": "a kind of line that is not known",
    "cut": "the file ends here, before its end",
    "outline": "the outline cannot be read",
    "number": "a number is missing or is none",
    "side": "the side is not top, bottom or both",
    "layer": "it is on no side of the board",
    "nested": "a bracket is in the wrong place",
}
OTHER = "it cannot be read"


@dataclass(frozen=True)
class DraftPage:
    """What was read of a file: how much, and what was left out and why."""

    pads: int
    parts: int
    nets: int
    size: str
    left_out: Sequence[tuple[int, str, str]]
    more: int
    cut: Sequence[str]
    doubt: str


def draft_page(board: BoardLayout, notes: Mapping[str, Any]) -> DraftPage:
    """What was read, in words."""
    left, top, right, bottom = board.box
    return DraftPage(
        pads=len(board.pads),
        parts=len(board.parts),
        nets=len(board.nets),
        size=f"{figure(right - left, 1)} × {show(bottom - top, 'mm')}",
        left_out=[(line, WHY.get(why, OTHER), text) for line, why, text in notes["left_out"]],
        more=notes["more_left_out"],
        cut=board.cut,
        doubt=notes["unit_doubt"],
    )
