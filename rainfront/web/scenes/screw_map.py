"""The outline of a device with its numbered screw holes and connectors, over the layers that lie in it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.scenes.layers import COVERS, DEVICE, LayerShape
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
    connector: bool


@dataclass(frozen=True)
class Outline:
    """The whole drawing."""

    width: int
    height: int
    inner_width: int
    inner_height: int
    margin: int
    holes: tuple[Hole, ...]
    layers: tuple[LayerShape, ...]
    into: str
    title: str


def draw(
    kind: str,
    screws: Iterable[tuple[int, float, float, str, float | None, bool]],
    layers: Iterable[LayerShape] = (),
) -> Outline:
    """Draw the holes of a device of that kind.

    Parameters
    ----------
    kind : str
        phone or tablet.
    screws : iterable of (number, x, y, place, length, connector)
        x and y in shares of the outline, `place` as `Screw.Place`, length [mm], whether it is a connector.
    layers : iterable of LayerShape
        Layers of the device as `layers.draw` gives them; those that lie in their place are drawn under the holes.

    """
    width, height = SIZES[kind]
    holes = tuple(
        Hole(
            number=n,
            x=number(x * width),
            y=number(y * height),
            place=place,
            label=shortest(length) if length else "",
            label_y=27 if y < 0.9 else -17,
            connector=connector,
        )
        for n, x, y, place, length, connector in screws
    )
    plugs = [hole for hole in holes if hole.connector]
    empty = sum(hole.place != "in" for hole in holes if not hole.connector)
    title = f"Outline with {counted(len(holes) - len(plugs), 'screw hole')}, {empty} of them empty"
    if plugs:
        title += f", and {counted(len(plugs), 'connector')}, {sum(hole.place != 'in' for hole in plugs)} of them off"
    left, top, wide, high = DEVICE[kind]
    across, down = (width - 2 * MARGIN) / wide, (height - 2 * MARGIN) / high
    return Outline(
        width=width,
        height=height,
        inner_width=width - 2 * MARGIN,
        inner_height=height - 2 * MARGIN,
        margin=MARGIN,
        holes=holes,
        layers=tuple(shape for shape in layers if shape.where == "in" and shape.id not in COVERS),
        into=(
            f"translate({number(MARGIN - left * across)} {number(MARGIN - top * down)}) scale({across:.4f} {down:.4f})"
        ),
        title=title,
    )
