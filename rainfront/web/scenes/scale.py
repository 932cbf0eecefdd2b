"""A reading on its scale: zones that mean something, and marks where the readings lie."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 560.0, 96.0
LEFT, RIGHT, BAR_Y, BAR_HEIGHT = 16.0, 544.0, 44.0, 20.0
WORDS_Y = 88.0


@dataclass(frozen=True)
class Zone:
    """A stretch of the scale with a meaning; `kind` is a state mark's name, and decides how it is filled."""

    label: str
    start: float
    stop: float
    kind: str


@dataclass(frozen=True)
class Reading:
    """Where a reading lies, in words, with its state mark."""

    value: float
    shown: str
    mark: str


@dataclass(frozen=True)
class Stretch:
    """A zone as drawn."""

    x: str
    width: str
    kind: str
    words_x: str
    anchor: str
    label: str


@dataclass(frozen=True)
class Spot:
    """A reading as drawn."""

    x: str
    mark: str
    shown: str
    anchor: str


@dataclass(frozen=True)
class Scene:
    """The whole drawing."""

    title: str
    stretches: tuple[Stretch, ...]
    spots: tuple[Spot, ...]
    view_box: str
    bar_y: str = number(BAR_Y)
    bar_height: str = number(BAR_HEIGHT)
    mark_y: str = number(BAR_Y + BAR_HEIGHT / 2)
    shown_y: str = number(BAR_Y - 14)
    words_y: str = number(WORDS_Y)


def draw(title: str, zones: Sequence[Zone], readings: Sequence[Reading], *, logarithmic: bool = False) -> Scene:
    """Lay a scale out from the first zone's start to the last one's stop.

    Parameters
    ----------
    title : str
    zones : sequence of Zone
        One after the other; on a logarithmic scale the first starts above nothing.
    readings : sequence of Reading
        One beyond the ends is drawn at the end.
    logarithmic : bool

    """

    def along(value: float) -> float:
        return math.log(value) if logarithmic else value

    first, last = along(zones[0].start), along(zones[-1].stop)

    def x(value: float) -> float:
        inside = min(max(value, zones[0].start), zones[-1].stop)
        return LEFT + (RIGHT - LEFT) * (along(inside) - first) / (last - first)

    def middle(zone: Zone) -> float:
        return (x(zone.start) + x(zone.stop)) / 2

    end = len(zones) - 1
    stretches = tuple(
        Stretch(
            x=number(x(zone.start)),
            width=number(x(zone.stop) - x(zone.start)),
            kind=zone.kind,
            words_x=number(x(zone.start) if not place else x(zone.stop) if place == end else middle(zone)),
            anchor="start" if not place else "end" if place == end else "middle",
            label=zone.label,
        )
        for place, zone in enumerate(zones)
    )
    spots = []
    for reading in readings:
        at = x(reading.value)
        anchor = "start" if at < LEFT + 60 else "end" if at > RIGHT - 60 else "middle"
        spots.append(Spot(number(at), reading.mark, reading.shown, anchor))
    top = 0.0 if spots else BAR_Y - 6
    view_box = f"0 {number(top)} {number(WIDTH)} {number(HEIGHT - top)}"
    return Scene(title, stretches, tuple(spots), view_box)
