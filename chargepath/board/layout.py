"""A board: its pads with part, pin, net and side, its outline, and what a file said that could not be read."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property

from chargepath.base.errors import ChargepathError

# A file may be so large, and hold so many pads: larger ones are refused in words.
MOST_BYTES, MOST_PADS = 20_000_000, 30_000
MOST_LINES, LONGEST_LINE = 500_000, 10_000
LINE = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")
# A board of a phone or tablet that is larger or smaller is in another unit than its file says [mm].
LARGEST_MM, SMALLEST_MM = 400.0, 4.0
# How many lines that could not be read are kept; the others are only counted.
MOST_KEPT = 200


class LayoutError(ChargepathError):
    """A file that holds no board, or more than is read."""


class BoardSide(StrEnum):
    """On which side of the board a pad can be touched."""

    TOP = "top"
    BOTTOM = "bottom"
    BOTH = "both"


@dataclass(frozen=True, kw_only=True)
class BoardPad:
    """A pad.

    Attributes
    ----------
    part, pin : str
        Reference of its part, as C12, and its pin; '' for a test point that belongs to no part.
    net : str
        '' where it is connected to nothing.
    side : BoardSide
    x_mm, y_mm : float
        Its middle.
    wide_mm, high_mm : float
        Its size before it is turned; 0 where the file does not say.
    turn_deg : float
        Counter-clockwise, as seen from the top.
    round : bool
    masked : bool
        Whether solder mask covers it, so that it cannot be touched.

    """

    part: str
    pin: str
    net: str
    side: BoardSide
    x_mm: float
    y_mm: float
    wide_mm: float = 0.0
    high_mm: float = 0.0
    turn_deg: float = 0.0
    round: bool = False
    masked: bool = False

    @property
    def name(self) -> str:
        """Its part with the pin, as people say it."""
        return f"{self.part}.{self.pin}" if self.part and self.pin else self.part or self.pin or self.net


@dataclass(frozen=True)
class LeftOut:
    """A line of a file that could not be read: its number from 1, why (a code), and how it begins."""

    line: int
    why: str
    text: str


@dataclass
class Reading:
    """What a file says while it is read, and what of it could not be read."""

    pads: list[BoardPad] = field(default_factory=list)
    outline: list[tuple[tuple[float, float], ...]] = field(default_factory=list)
    left_out: list[LeftOut] = field(default_factory=list)
    more_left_out: int = 0
    cut: set[str] = field(default_factory=set)

    def leave_out(self, line: int, why: str, text: str) -> None:
        """Note a line that could not be read.

        Raises
        ------
        LayoutError
            There are so many that it is no board.

        """
        if len(self.left_out) < MOST_KEPT:
            self.left_out.append(LeftOut(line, why, text[:90]))
        else:
            self.more_left_out += 1
        if self.more_left_out > MOST_PADS:
            raise LayoutError("more of its lines cannot be read than a board has pads", f"line {line}", "another file")

    def add(self, pad: BoardPad) -> None:
        """Keep a pad.

        Raises
        ------
        LayoutError
            There are more than are read.

        """
        if len(self.pads) >= MOST_PADS:
            raise LayoutError(
                f"it holds more than {MOST_PADS:,} pads".replace(",", " "), right="a file of one board of a device"
            )
        self.pads.append(pad)


@dataclass(frozen=True)
class BoardLayout:
    """The pads and the outline that a file gave, and what of the file could not be read.

    Attributes
    ----------
    pads : tuple of BoardPad
    outline : tuple of polylines
        Points (x, y) [mm].
    left_out : tuple of LeftOut
    more_left_out : int
        How many more lines were left out than `left_out` names.
    cut : tuple of str
        Names of nets that are as long as the format allows: each may stand for several nets.
    unit_doubt : str
        'large' or 'small' where the board is too large or too small to be one; '' where it is not.

    """

    pads: tuple[BoardPad, ...]
    outline: tuple[tuple[tuple[float, float], ...], ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    more_left_out: int = 0
    cut: tuple[str, ...] = ()
    unit_doubt: str = ""

    @cached_property
    def nets(self) -> Mapping[str, Sequence[int]]:
        """Numbers of the pads of each net; pads that are connected to nothing are in none."""
        found: dict[str, list[int]] = {}
        for number, pad in enumerate(self.pads):
            if pad.net:
                found.setdefault(pad.net, []).append(number)
        return found

    @cached_property
    def parts(self) -> Mapping[str, Sequence[int]]:
        """Numbers of the pads of each part."""
        found: dict[str, list[int]] = {}
        for number, pad in enumerate(self.pads):
            if pad.part:
                found.setdefault(pad.part, []).append(number)
        return found

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of everything on it [mm]."""
        points = [(pad.x_mm, pad.y_mm) for pad in self.pads] + [point for line in self.outline for point in line]
        across, down = [x for x, _ in points], [y for _, y in points]
        return min(across), min(down), max(across), max(down)


def scaled(board: BoardLayout, factor: float) -> BoardLayout:
    """The board with every length multiplied by a factor: a person has said that its file names a wrong unit."""

    def larger(mm: float) -> float:
        return round(mm * factor, 6)

    pads = tuple(
        replace(
            pad,
            x_mm=larger(pad.x_mm),
            y_mm=larger(pad.y_mm),
            wide_mm=larger(pad.wide_mm),
            high_mm=larger(pad.high_mm),
        )
        for pad in board.pads
    )
    outline = tuple(tuple((larger(x), larger(y)) for x, y in line) for line in board.outline)
    return replace(board, pads=pads, outline=outline)


def with_pads(board: BoardLayout | None, pads: Sequence[BoardPad], edge: tuple[float, float]) -> BoardLayout:
    """A board of points that were named on a picture, with the edge of the picture [mm] as its outline."""
    wide, high = edge
    outline = ((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high), (0.0, 0.0))
    return BoardLayout(pads=tuple(pads), outline=board.outline if board is not None else (outline,))


def lines_of(text: str) -> Iterator[str]:
    """The lines of a text with their ends, one at a time: as a list they would take many times its size.

    Raises
    ------
    LayoutError
        There are more lines, or a longer one, than the file of a board has.

    """
    if text.count("\n") + text.count("\r") > MOST_LINES:
        raise LayoutError("it holds more lines than the file of a board", right=f"{MOST_LINES:,} at most")
    for number, found in enumerate(LINE.finditer(text), 1):
        if found.end() - found.start() > LONGEST_LINE:
            raise LayoutError("a line is too long", f"line {number}", f"{LONGEST_LINE:,} signs at most")
        yield found[0]


def finish(reading: Reading, what: str) -> BoardLayout:
    """Make the board of what was read.

    Parameters
    ----------
    reading : Reading
    what : str
        What the file should be, for the error.

    Raises
    ------
    LayoutError
        Not one pad could be read.

    """
    if not reading.pads:
        raise LayoutError("no pad of a board could be read from it", right=what)
    board = BoardLayout(tuple(reading.pads), tuple(reading.outline))
    left, top, right, bottom = board.box
    longest = max(right - left, bottom - top)
    doubt = "large" if longest > LARGEST_MM else "small" if longest < SMALLEST_MM and len(board.pads) > 1 else ""
    return BoardLayout(
        pads=board.pads,
        outline=board.outline,
        left_out=tuple(reading.left_out),
        more_left_out=reading.more_left_out,
        cut=tuple(sorted(reading.cut)),
        unit_doubt=doubt,
    )
