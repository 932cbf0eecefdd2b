"""How a picture lies over a board, in words."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from chargepath.base.quantities import show
from rainfront.board.adapters import Laid, laid
from rainfront.board.models import BoardPicture

# From here on a picture is said to lie badly [mm].
WARN_MM = 0.25


def lay_page(found: Laid) -> dict[str, Any]:
    """How a picture lies, in words."""
    pairs = [
        (number, pair[4], show(off, "px"), pair[4] in found.wrong)
        for number, (pair, off) in enumerate(zip(found.picture.pairs, _offs(found), strict=True), 1)
    ]
    spots = [
        (number, pair[2] / found.picture.width, pair[3] / found.picture.height, pair[4], pair[4] in found.wrong)
        for number, pair in enumerate(found.picture.pairs, 1)
    ]
    return {
        "pairs": pairs,
        "spots": spots,
        "missing": max(4 - len(pairs), 0),
        "worst": show(found.worst_mm, "mm") if found.fitted else "",
        "bad": found.fitted is not None and found.worst_mm > WARN_MM,
        "wrong": found.wrong,
        "mirrored": found.mirrored,
        "trouble": found.trouble,
    }


def _offs(found: Laid) -> Iterable[float]:
    return found.fitted.residuals_px if found.fitted else [0.0] * len(found.picture.pairs)


def place_in(picture: BoardPicture, x: float, y: float) -> tuple[float, float]:
    """Where on the board [mm] a place of a picture is, given as shares of its width and height.

    Raises
    ------
    AssertionError
        It does not lie over its board.

    """
    fitted = laid(picture).fitted
    assert fitted is not None
    ((across, down),) = fitted.to_board([(x * picture.width, y * picture.height)])
    return float(across), float(down)
