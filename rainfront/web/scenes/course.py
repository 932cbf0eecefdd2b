"""How the work goes: steps that rise to the right, the chance that it is solved against what is spent until then.

One line is the plan; others on the same axes are habits; the customer's limit is a wall.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 480.0, 250.0
LEFT, RIGHT, TOP, BOTTOM = 62.0, 470.0, 24.0, 202.0
# Round steps that an axis may have.
ROUND = (1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000)
MOST_TICKS = 5


@dataclass(frozen=True)
class Tick:
    """A mark on an axis."""

    at: str
    label: str


@dataclass(frozen=True)
class Dot:
    """Where an act is done: its number in the plan."""

    x: str
    y: str
    text_y: str
    label: str


@dataclass(frozen=True)
class Line:
    """One way of going on; `points` is the stepped line."""

    label: str
    points: str
    style: str
    dots: tuple[Dot, ...]


@dataclass(frozen=True)
class Scene:
    """One panel."""

    title: str
    axis: str
    lines: tuple[Line, ...]
    across: tuple[Tick, ...]
    up: tuple[Tick, ...]
    wall_x: str
    wall_label: str
    wall_at_right: bool
    view_box: str = f"0 0 {number(WIDTH)} {number(HEIGHT)}"
    left: str = number(LEFT)
    right: str = number(RIGHT)
    top: str = number(TOP)
    bottom: str = number(BOTTOM)
    across_y: str = number(BOTTOM + 22)
    axis_y: str = number(HEIGHT - 4)
    up_x: str = number(LEFT - 6)


def ticks(most: float) -> list[float]:
    """Round values from nothing to `most`."""
    step = next((step for step in ROUND if most / step <= MOST_TICKS), ROUND[-1])
    return [step * k for k in range(int(most / step) + 1)]


def draw(
    title: str,
    axis: str,
    lines: Sequence[tuple[str, Sequence[tuple[float, float]], Sequence[str]]],
    start: float,
    wall: tuple[float, str] | None = None,
) -> Scene:
    """Lay one panel out.

    Parameters
    ----------
    title, axis : str
        What is drawn, and what is spent along it, with its unit.
    lines : sequence of (label, points, numbers)
        The plan first. Points are (spent, chance in [0, 1]) after each act; `numbers` are the acts' numbers in the
        list beside the drawing, '' for none.
    start : float
        What is spent before the first act.
    wall : (float, str), optional
        Where the customer's limit stands, and its words.

    """
    spent = [x for _, points, _ in lines for x, _ in points]
    most = max([*spent, wall[0] if wall else 0.0, start, 1.0]) * 1.04

    def across(value: float) -> float:
        return LEFT + (RIGHT - LEFT) * value / most

    def up(chance: float) -> float:
        return BOTTOM - (BOTTOM - TOP) * chance

    drawn = []
    for place, (label, points, numbers) in enumerate(lines):
        corners, height = [(across(start), up(0.0))], 0.0
        for x, chance in points:
            corners += [(across(x), up(height)), (across(x), up(chance))]
            height = chance
        dots = tuple(
            Dot(number(across(x)), number(up(chance)), number(up(chance) - 9), text)
            for (x, chance), text in zip(points, numbers, strict=True)
            if text
        )
        corners.append((max(across(most), corners[-1][0]), corners[-1][1]))
        text = " ".join(f"{number(x)},{number(y)}" for x, y in corners)
        style = "plan" if place == 0 else f"habit-{min(place, 4)}"
        drawn.append(Line(label, text, style, dots))
    return Scene(
        title=title,
        axis=axis,
        lines=tuple(drawn),
        across=tuple(Tick(number(across(value)), shortest(value)) for value in ticks(most)),
        up=tuple(Tick(number(up(chance)), f"{chance:.0%}") for chance in (0.0, 0.5, 1.0)),
        wall_x=number(across(wall[0])) if wall else "",
        wall_label=wall[1] if wall else "",
        wall_at_right=bool(wall and across(wall[0]) > (LEFT + RIGHT) / 2),
    )
