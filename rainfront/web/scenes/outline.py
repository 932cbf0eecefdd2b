"""A device in outline, front, back and the edge with the port, with numbered marks where it was damaged before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 420.0, 300.0
# Left, top, width and height of each side, by the kind of device.
SIDES: Mapping[str, Mapping[str, tuple[float, float, float, float]]] = {
    "phone": {
        "front": (10.0, 24.0, 124.0, 246.0),
        "back": (148.0, 24.0, 124.0, 246.0),
        "edge": (288.0, 120.0, 124.0, 44.0),
    },
    "tablet": {
        "front": (6.0, 24.0, 158.0, 230.0),
        "back": (174.0, 24.0, 158.0, 230.0),
        "edge": (340.0, 120.0, 76.0, 36.0),
    },
}
THIRDS = (("top", "middle", "bottom"), ("left", "centre", "right"))


@dataclass(frozen=True)
class Side:
    """One side as drawn: left, top, width and height of its rectangle."""

    id: str
    label: str
    box: tuple[float, float, float, float]

    @property
    def x(self) -> str:
        """Left edge."""
        return number(self.box[0])

    @property
    def y(self) -> str:
        """Upper edge."""
        return number(self.box[1])

    @property
    def width(self) -> str:
        """Width of the rectangle."""
        return number(self.box[2])

    @property
    def height(self) -> str:
        """Height of the rectangle."""
        return number(self.box[3])

    @property
    def label_y(self) -> str:
        """Where its name stands, above it."""
        return number(self.box[1] - 7)


@dataclass(frozen=True)
class OutlineMark:
    """One mark: its number, where, and what it says."""

    number: int
    x: float
    y: float
    words: str

    @property
    def at(self) -> str:
        """Its place for an SVG transform."""
        return f"{number(self.x)} {number(self.y)}"


@dataclass(frozen=True)
class Outline:
    """The whole drawing."""

    sides: tuple[Side, ...]
    spots: tuple[OutlineMark, ...]
    kind: str
    view_box: str = f"0 0 {number(WIDTH)} {number(HEIGHT)}"

    @property
    def title(self) -> str:
        """What is marked, in words."""
        return "; ".join(f"{mark.number} {mark.words}" for mark in self.spots) or "nothing is marked"


def place_words(x: float, y: float) -> str:
    """Where a mark sits on its side: top left, centre, ..."""
    down, across = THIRDS[0][min(int(y * 3), 2)], THIRDS[1][min(int(x * 3), 2)]
    return "in the centre" if (down, across) == ("middle", "centre") else f"{down} {across}"


def draw(kind: str, marks: Sequence[tuple[str, float, float, str]], labels: Mapping[str, str]) -> Outline:
    """Lay the outline out.

    Parameters
    ----------
    kind : str
        phone or tablet.
    marks : sequence of (side, x, y, words)
        x and y from 0 to 1 on the side, from its upper left corner.
    labels : mapping of side to its name

    """
    boxes = SIDES[kind]
    sides = tuple(Side(name, labels[name], box) for name, box in boxes.items())
    placed = []
    for count, (side, x, y, words) in enumerate(marks, 1):
        left, top, width, height = boxes[side]
        where = f"{words}, {labels[side]}" + ("" if side == "edge" else f", {place_words(x, y)}")
        placed.append(OutlineMark(count, left + x * width, top + y * height, where))
    return Outline(sides, tuple(placed), kind)
