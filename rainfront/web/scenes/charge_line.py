"""The charge line: ten stations on one conductor, a rain gauge at each, a state mark on each.

Each station is a drawing of its own, all of one size, so that the line can turn where the page is narrow. The level in
a gauge is the probability that a fault sits there; the mark says what was measured. All coordinates are formatted here,
so that no locale can turn 1.5 into 1,5.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

WIDTH, HEIGHT = 96.0, 108.0
MARK_X, LINE_Y = 48.0, 38.0
TUBE_X, GAUGE_TOP, GAUGE_HEIGHT, GAUGE_WIDTH = 14.0, 58.0, 46.0, 22.0
RAIN_TOP, RAIN_STEP = 1.0, 10.0
PERCENT_X, PERCENT_Y = 42.0, 89.0
MARK_WORDS = {
    "good": "measured good",
    "off": "off its band",
    "short": "shorted",
    "open": "open",
    "none": "not measured",
}


def number(value: float) -> str:
    """Format a coordinate."""
    return f"{value:.2f}".rstrip("0").rstrip(".")


def percent(chance: float) -> str:
    """Format a probability; nothing is ever shown as ruled out or certain."""
    if chance < 0.01:
        return "<1%"
    return ">99%" if chance > 0.99 else f"{chance:.0%}"


@dataclass(frozen=True)
class Drop:
    """One streak of rain."""

    x1: str
    y1: str
    x2: str
    y2: str


@dataclass(frozen=True)
class Gauge:
    """One station as drawn."""

    id: str
    label: str
    percent: str
    mark: str
    title: str
    level_y: str
    level_h: str
    drops: tuple[Drop, ...]
    selected: bool
    leading: bool
    absent: bool


@dataclass(frozen=True)
class Scene:
    """All stations in the order of the line, and what their drawings share."""

    gauges: tuple[Gauge, ...]
    title: str
    view_box: str = f"0 0 {number(WIDTH)} {number(HEIGHT)}"
    line_y: str = number(LINE_Y)
    mark_x: str = number(MARK_X)
    tube_x: str = number(TUBE_X)
    tube_y: str = number(GAUGE_TOP)
    tube_w: str = number(GAUGE_WIDTH)
    tube_h: str = number(GAUGE_HEIGHT)
    ghost_x1: str = number(TUBE_X - 6)
    ghost_x2: str = number(TUBE_X + GAUGE_WIDTH + 6)
    percent_x: str = number(PERCENT_X)
    percent_y: str = number(PERCENT_Y)


def _rain(chance: float) -> tuple[Drop, ...]:
    """Up to seven streaks above a station, more the likelier the fault."""
    count = 0 if chance < 0.08 else min(7, 1 + round(chance * 6))
    drops = []
    for k in range(count):
        dx = MARK_X + (k - (count - 1) / 2) * RAIN_STEP
        top = RAIN_TOP + (k * 13) % 10
        drops.append(Drop(number(dx + 4), number(top), number(dx), number(top + 11)))
    return tuple(drops)


def draw(
    stations: Mapping[str, str],
    chances: Mapping[str, float],
    marks: Mapping[str, str],
    selected: str,
    absent: frozenset[str],
) -> Scene:
    """Lay the line out.

    Parameters
    ----------
    stations : mapping of station id to label, in the order of the line
    chances : mapping of station id to probability in [0, 1]
    marks : mapping of station id to good, off, short or open; a missing one is not measured
    selected : str
        Station the page is narrowed to, or ''.
    absent : frozenset of str
        Stations this device does not have.

    """
    top = max(chances.values(), default=0.0)
    gauges = []
    for station, label in stations.items():
        chance, mark = chances.get(station, 0.0), marks.get(station, "none")
        level = GAUGE_HEIGHT * min(max(chance, 0.0), 1.0)
        gauges.append(
            Gauge(
                id=station,
                label=label,
                percent=percent(chance),
                mark=mark,
                title=f"{label}: {percent(chance)}, {MARK_WORDS[mark]}",
                level_y=number(GAUGE_TOP + GAUGE_HEIGHT - level),
                level_h=number(level),
                drops=_rain(chance),
                selected=station == selected,
                leading=chance == top and chance > 0.15,
                absent=station in absent,
            )
        )
    leading = max(chances, key=lambda name: chances[name], default="")
    words_for = stations.get(leading, "")
    title = f"Charge line, most rain at {words_for} ({percent(top)})" if words_for else "Charge line"
    return Scene(tuple(gauges), title)
