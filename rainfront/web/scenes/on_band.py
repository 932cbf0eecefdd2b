"""A reading as a mark on the band where good ones lie, small enough for a table."""

from __future__ import annotations

import math
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, MIDDLE = 136.0, 14.0
# The band takes the middle of the drawing; this much of its width is shown on either side of it.
AROUND = 0.9


@dataclass(frozen=True)
class Scene:
    """The drawing: band and mark; `off_end` where the reading lies beyond it (open, say)."""

    band_x: str
    band_width: str
    x: str
    mark: str
    view_box: str = f"0 0 {number(WIDTH)} 28"
    middle: str = number(MIDDLE)
    width: str = number(WIDTH)


def draw(band: tuple[float, float], value: float, mark: str) -> Scene:
    """Lay it out: the band in the middle, the reading where it lies, at the edge where it lies beyond.

    Parameters
    ----------
    band : (low, high)
    value : float
        In the band's unit; ``inf`` for overrange.
    mark : str
        State mark.

    """
    low, high = band
    wide = max(high - low, 1e-9)
    start, stop = low - AROUND * wide, high + AROUND * wide

    def x(at: float) -> float:
        return 14 + (WIDTH - 28) * (min(max(at, start), stop) - start) / (stop - start)

    at = stop if math.isinf(value) else value
    return Scene(number(x(low)), number(x(high) - x(low)), number(x(at)), mark)
