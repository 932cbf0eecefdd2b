"""The outline of a device with its numbered screw holes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.words import counted

SIZES = {"phone": (280, 540), "tablet": (340, 460)}
MARGIN = 10


@dataclass(frozen=True)
class Hole:
    """One hole; coordinates are formatted already."""

    number: int
    x: str
    y: str
    place: str
    label: str
    label_y: int


@dataclass(frozen=True)
class Outline:
    """The whole drawing."""

    width: int
    height: int
    inner_width: int
    inner_height: int
    margin: int
    holes: tuple[Hole, ...]
    title: str


def draw(kind: str, screws: Iterable[tuple[int, float, float, str, float | None]]) -> Outline:
    """Draw the holes of a device of that kind: number, place on the outline in shares, where the screw is, length."""
    width, height = SIZES[kind]
    holes = tuple(
        Hole(
            number=n,
            x=number(x * width),
            y=number(y * height),
            place=place,
            label=shortest(length) if length else "",
            label_y=27 if y < 0.9 else -17,
        )
        for n, x, y, place, length in screws
    )
    out = sum(hole.place != "in" for hole in holes)
    title = f"Outline with {counted(len(holes), 'screw hole')}, {out} of them empty"
    return Outline(
        width=width,
        height=height,
        inner_width=width - 2 * MARGIN,
        inner_height=height - 2 * MARGIN,
        margin=MARGIN,
        holes=holes,
        title=title,
    )
