"""Two records of charger current laid over each other: before the repair and after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.scenes.trace_chart import Tick, along, nice_steps

WIDTH, HEIGHT = 720.0, 250.0
LEFT, RIGHT, TOP, BOTTOM = 70.0, 76.0, 16.0, 36.0


@dataclass(frozen=True)
class Line:
    """One record as drawn: its points, and where its name stands."""

    kind: str
    points: str
    label: str
    label_x: str
    label_y: str


@dataclass(frozen=True)
class Overlay:
    """The whole drawing."""

    view_box: str
    left: str
    right: str
    bottom: str
    lines: tuple[Line, ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    title: str


def draw(before: np.ndarray, after: np.ndarray, labels: Sequence[str], title: str) -> Overlay:
    """Lay both out on the same axes.

    Parameters
    ----------
    before, after : array, shape (n, 2)
        Seconds and amps, thinned.
    labels : sequence of two texts
        What each is, with its figure.
    title : str

    """
    rows = [row for row in (before, after) if len(row)]
    span = max((float(row[-1, 0]) for row in rows), default=1.0) or 1.0
    most = max((float(row[:, 1].max()) for row in rows), default=0.1)
    most = max(most, 0.1) * 1.12
    wide, high = WIDTH - LEFT - RIGHT, HEIGHT - TOP - BOTTOM

    def place(seconds: float, amps: float) -> tuple[float, float]:
        return LEFT + wide * seconds / span, TOP + high * (1 - min(amps, most) / most)

    lines: list[Line] = []
    heights: list[float] = []
    for kind, row, label in zip(("before", "after"), (before, after), labels, strict=True):
        if not len(row):
            continue
        spots = [place(seconds, amps) for seconds, amps in row.tolist()]
        tail = row[-max(len(row) // 5, 1) :]
        height = place(0.0, float(np.median(tail[:, 1])))[1] + 5
        if heights and abs(heights[-1] - height) < 20:
            height = heights[-1] - 22 if height <= heights[-1] else heights[-1] + 22
        heights.append(height)
        points = " ".join(f"{number(x)},{number(y)}" for x, y in spots)
        name_y = number(min(max(height, 14.0), HEIGHT - BOTTOM))
        lines.append(Line(kind, points, label, number(WIDTH - RIGHT + 8), name_y))
    return Overlay(
        view_box=f"0 0 {number(WIDTH)} {number(HEIGHT)}",
        left=number(LEFT),
        right=number(WIDTH - RIGHT),
        bottom=number(HEIGHT - BOTTOM),
        lines=tuple(lines),
        x_ticks=tuple(Tick(number(place(t, 0)[0]), along(t, span)) for t in nice_steps(span, 6)),
        y_ticks=tuple(Tick(number(place(0, a)[1]), f"{shortest(a)} A") for a in nice_steps(most, 4)),
        title=title,
    )
