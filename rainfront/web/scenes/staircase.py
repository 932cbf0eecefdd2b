"""A staircase: one value after the other along the conductor, where each may lie, and the step that is guilty."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 640.0, 306.0
LEFT, RIGHT, TOP, BOTTOM = 10.0, 630.0, 40.0, 240.0
# What is added above and below, as a share of the range drawn.
AIR = 0.12
# About how wide a letter of a label is.
LETTER = 9.2


@dataclass(frozen=True)
class Step:
    """One value: what it is of, the number, its state mark, and where it may lie (None where nothing says).

    `guilty`: the fall that leads to it is the one to blame.
    """

    label: str
    value: float
    shown: str
    mark: str = "none"
    allowed: tuple[float, float] | None = None
    guilty: bool = False


@dataclass(frozen=True)
class Tread:
    """One step as drawn."""

    x: str
    x1: str
    x2: str
    y: str
    shown: str
    shown_y: str
    words: tuple[tuple[str, str], ...]
    band_y: str
    band_h: str


@dataclass(frozen=True)
class Fall:
    """What lies between two steps."""

    x: str
    y1: str
    y2: str
    middle: str
    mark: str
    guilty: bool


@dataclass(frozen=True)
class Scene:
    """The whole drawing."""

    title: str
    treads: tuple[Tread, ...]
    falls: tuple[Fall, ...]
    pitch: str
    view_box: str = f"0 0 {number(WIDTH)} {number(HEIGHT)}"


def draw(title: str, steps: Sequence[Step], *, from_zero: bool = False) -> Scene:
    """Lay a staircase out.

    Parameters
    ----------
    title : str
    steps : sequence of Step
        In the order in which they are taken; two or more.
    from_zero : bool
        Whether the foot of the drawing is nothing.

    """
    ends = [step.value for step in steps] + [edge for step in steps if step.allowed for edge in step.allowed]
    low, high = (0.0 if from_zero else min(ends)), max(ends)
    room = max(high - low, 1e-9)
    low, high = (low if from_zero else low - AIR * room), high + AIR * room
    pitch = (RIGHT - LEFT) / len(steps)

    def y(value: float) -> float:
        return TOP + (BOTTOM - TOP) * (high - value) / (high - low)

    treads, falls = [], []
    for place, step in enumerate(steps):
        x1 = LEFT + place * pitch
        words = textwrap.wrap(step.label, max(int(pitch / LETTER), 6))[:3]
        top, foot = (y(step.allowed[1]), y(step.allowed[0])) if step.allowed else (0.0, 0.0)
        treads.append(
            Tread(
                x=number(x1 + pitch / 2),
                x1=number(x1),
                x2=number(x1 + pitch),
                y=number(y(step.value)),
                shown=step.shown,
                shown_y=number(y(step.value) - 9),
                words=tuple((word, number(BOTTOM + 24 + 20 * line)) for line, word in enumerate(words)),
                band_y=number(top) if step.allowed else "",
                band_h=number(max(foot - top, 2.0)) if step.allowed else "",
            )
        )
        if place:
            before, here = y(steps[place - 1].value), y(step.value)
            falls.append(
                Fall(
                    x=number(x1),
                    y1=number(before),
                    y2=number(here),
                    middle=number((before + here) / 2),
                    mark=step.mark,
                    guilty=step.guilty,
                )
            )
    return Scene(title, tuple(treads), tuple(falls), number(pitch))
