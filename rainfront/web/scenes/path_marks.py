"""The charging path twice: before and after, a shaped mark at each station; it reads in black and white."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import MARK_WORDS, number

PITCH, LEFT, RIGHT = 70.0, 96.0, 26.0
FIRST_Y, STEP_Y, LABELS_Y, LINE = 24.0, 40.0, 92.0, 14.0


@dataclass(frozen=True)
class Spot:
    """One mark: where, which, and what it says."""

    x: float
    y: float
    mark: str
    title: str

    @property
    def at(self) -> str:
        """Its place for an SVG transform."""
        return f"{number(self.x)} {number(self.y)}"


@dataclass(frozen=True)
class Row:
    """One line of the path."""

    label: str
    y: float
    spots: tuple[Spot, ...]

    @property
    def line_y(self) -> str:
        """Height of its conductor."""
        return number(self.y)

    @property
    def text_y(self) -> str:
        """Height of its label."""
        return number(self.y + 5)


@dataclass(frozen=True)
class Word:
    """One word of a station's name."""

    x: str
    y: str
    text: str


@dataclass(frozen=True)
class PathMarks:
    """The whole drawing; widths and heights are numbers, for a page that is not an SVG."""

    width: float
    height: float
    view_box: str
    left: str
    right: str
    rows: tuple[Row, ...]
    words: tuple[Word, ...]
    title: str


def draw(stations: Mapping[str, str], rows: Sequence[tuple[str, Mapping[str, str]]]) -> PathMarks:
    """Lay the path out.

    Parameters
    ----------
    stations : mapping of station id to label, in the order of the line
    rows : sequence of (label, marks by station)
        A station without one was not measured.

    """
    width = LEFT + PITCH * (len(stations) - 1) + RIGHT
    lines = []
    for index, (label, marks) in enumerate(rows):
        y = FIRST_Y + STEP_Y * index
        spots = tuple(
            Spot(
                LEFT + PITCH * k,
                y,
                marks.get(station, "none"),
                f"{name}, {label}: {MARK_WORDS[marks.get(station, 'none')]}",
            )
            for k, (station, name) in enumerate(stations.items())
        )
        lines.append(Row(label, y, spots))
    words = tuple(
        Word(number(LEFT + PITCH * k), number(LABELS_Y + LINE * line), word)
        for k, name in enumerate(stations.values())
        for line, word in enumerate(name.split(" ", 1))
    )
    off = [spot.title for row in lines[:1] for spot in row.spots if spot.mark not in ("good", "none")]
    height = LABELS_Y + 1.8 * LINE
    return PathMarks(
        width=width,
        height=height,
        view_box=f"0 0 {number(width)} {number(height)}",
        left=number(LEFT - 18),
        right=number(width - 8),
        rows=tuple(lines),
        words=words,
        title="The charging path before and after; " + ("; ".join(off) or "nothing was measured off"),
    )
