"""A seal test drawn: how much of the vacuum was lost over time, before and after, and how much may be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.scenes.trace_chart import Tick, nice_steps

WIDTH, HEIGHT = 460.0, 240.0
LEFT, RIGHT, TOP, BOTTOM = 84.0, 110.0, 16.0, 34.0
STEPS = 24


@dataclass(frozen=True)
class Fade:
    """One test as drawn."""

    kind: str
    points: str
    label: str
    label_y: str


@dataclass(frozen=True)
class SealChart:
    """The whole drawing."""

    view_box: str
    left: str
    right: str
    bottom: str
    label_x: str
    limit_y: str
    fades: tuple[Fade, ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    title: str


def draw(tests: Sequence[tuple[str, str, float, float, float]], most: float | None, title: str) -> SealChart:
    """Lay seal tests out.

    Parameters
    ----------
    tests : sequence of (kind, label, start_kpa, end_kpa, seconds)
    most : float or None
        What may be lost at the end [kPa].
    title : str

    """
    span = max((row[4] for row in tests), default=20.0)
    top = max([*(row[2] - row[3] for row in tests), most or 0.0, 0.2]) * 1.25
    wide, high = WIDTH - LEFT - RIGHT, HEIGHT - TOP - BOTTOM

    def x(seconds: float) -> float:
        return LEFT + wide * seconds / span

    def y(kpa: float) -> float:
        return TOP + high * (1 - kpa / top)

    fades: list[Fade] = []
    heights: list[float] = []
    for kind, label, start, end, seconds in tests:
        rate = -math.log(max(end, 1e-3) / start) / seconds
        spots = [(seconds * k / STEPS, start * (1 - math.exp(-rate * seconds * k / STEPS))) for k in range(STEPS + 1)]
        height = y(start - end) + 5
        while any(abs(height - other) < 18 for other in heights):
            height -= 18
        heights.append(height)
        points = " ".join(f"{number(x(t))},{number(y(p))}" for t, p in spots)
        fades.append(Fade(kind, points, label, number(max(height, 14.0))))
    return SealChart(
        view_box=f"0 0 {number(WIDTH)} {number(HEIGHT)}",
        left=number(LEFT),
        right=number(WIDTH - RIGHT),
        bottom=number(HEIGHT - BOTTOM),
        label_x=number(WIDTH - RIGHT + 8),
        limit_y="" if most is None else number(y(most)),
        fades=tuple(fades),
        x_ticks=tuple(Tick(number(x(t)), f"{shortest(t)} s") for t in nice_steps(span, 4)),
        y_ticks=tuple(Tick(number(y(p)), f"{shortest(p)} kPa") for p in nice_steps(top, 4)),
        title=title,
    )
