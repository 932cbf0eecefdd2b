"""Figures with their intervals on one scale, a line each; and what was said against what came, as a square."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, SQUARE = 100.0, 240.0
PAD = 26.0


@dataclass(frozen=True)
class Span:
    """One interval: both ends and the figure, in hundredths of the width."""

    low: str
    high: str
    at: str
    ref: str


@dataclass(frozen=True)
class Scale:
    """From where to where, and whether in steps of the logarithm."""

    low: float
    high: float
    log: bool = False
    ref: float | None = None

    def place(self, value: float) -> float:
        """Where a value lies, 0 to 100."""
        if math.isnan(value):
            return 0.0
        low, high, at = self.low, self.high, min(max(value, self.low), self.high)
        if self.log:
            low, high, at = math.log(low), math.log(high), math.log(max(at, 1e-9))
        return WIDTH * (at - low) / (high - low)

    def span(self, low: float, value: float, high: float) -> Span:
        """An interval with its figure."""
        ref = number(self.place(self.ref)) if self.ref is not None else ""
        return Span(number(self.place(low)), number(self.place(high)), number(self.place(value)), ref)


def around(values: Sequence[float], ref: float) -> Scale:
    """A scale that holds values on both sides of a mark."""
    reach = max([abs(value - ref) for value in values if math.isfinite(value)], default=1.0) * 1.1 or 1.0
    return Scale(ref - reach, ref + reach, ref=ref)


@dataclass(frozen=True)
class Point:
    """One bin: where it lies, its interval from top to bottom, how large it is drawn, its words."""

    x: str
    y: str
    top: str
    bottom: str
    size: str
    title: str


@dataclass(frozen=True)
class Square:
    """What was said across, what came up; the diagonal is where both agree."""

    points: tuple[Point, ...]
    ticks: tuple[tuple[str, str, str], ...]
    view_box: str = f"-10 0 {number(SQUARE + PAD * 2.1 + 10)} {number(SQUARE + PAD * 1.6)}"
    left: str = number(PAD * 1.3)
    top: str = number(PAD * 0.3)
    right: str = number(PAD * 1.3 + SQUARE)
    bottom: str = number(PAD * 0.3 + SQUARE)


def draw_square(rows: Sequence[tuple[float, float, float, float, int, str]]) -> Square:
    """Lay it out; each row: what was said, what came, its interval's ends, how many, its words."""

    def x(value: float) -> str:
        return number(PAD * 1.3 + SQUARE * value)

    def y(value: float) -> str:
        return number(PAD * 0.3 + SQUARE * (1 - value))

    points = tuple(
        Point(
            x=x(said),
            y=y(came),
            top=y(high),
            bottom=y(low),
            size=number(3 + min(math.sqrt(count), 12) / 2),
            title=words,
        )
        for said, came, low, high, count, words in rows
    )
    ticks = tuple((x(value), y(value), f"{value:.0%}") for value in (0.0, 0.25, 0.5, 0.75, 1.0))
    return Square(points, ticks)
