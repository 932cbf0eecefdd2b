"""The charge line the size of a line of text: ten marks on one conductor, the rain under them as bars."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.sentences import inside
from rainfront.web.scenes.charge_line import number, percent

STEP, LINE_Y, BAR_TOP, BAR_HEIGHT, BAR_WIDTH = 16.0, 8.0, 17.0, 15.0, 9.0
# Bars under this are drawn as a foot only.
LEAST = 0.02


@dataclass(frozen=True)
class SmallLine:
    """What is drawn: the width, bars as one path, the highest as another, and marks with their places."""

    view_box: str
    wire: str
    bars: str
    top: str
    feet: str
    shapes: tuple[tuple[str, str], ...]
    title: str


def draw_small(stations: Mapping[str, str], chances: Mapping[str, float], marks: Mapping[str, str]) -> SmallLine:
    """Lay it out.

    Parameters
    ----------
    stations : mapping of station id to label, in the order of the line
    chances : mapping of station id to probability in [0, 1]
    marks : mapping of station id to good, off, short or open

    """
    width = STEP * len(stations)
    highest = max(stations, key=lambda name: chances.get(name, 0.0), default="")
    bars, top, drawn = [], "", []
    for index, station in enumerate(stations):
        chance, x = min(max(chances.get(station, 0.0), 0.0), 1.0), STEP * (index + 0.5)
        if chance >= LEAST:
            height = BAR_HEIGHT * chance
            left, base = number(x - BAR_WIDTH / 2), number(BAR_TOP + BAR_HEIGHT)
            path = f"M{left} {base}v-{number(height)}h{number(BAR_WIDTH)}v{number(height)}z"
            if station == highest:
                top = path
            else:
                bars.append(path)
        mark = marks.get(station, "none")
        if mark != "none":
            drawn.append((mark, number(x)))
    foot = number(BAR_TOP + BAR_HEIGHT)
    chance = chances.get(highest, 0.0)
    return SmallLine(
        view_box=f"0 0 {number(width)} {number(BAR_TOP + BAR_HEIGHT + 1)}",
        wire=f"M0 {number(LINE_Y)}h{number(width)}",
        bars="".join(bars),
        top=top,
        feet=f"M0 {foot}h{number(width)}",
        shapes=tuple(drawn),
        title=f"most rain at {inside(stations[highest])}, {percent(chance)}" if chance >= LEAST else "no rain yet",
    )
