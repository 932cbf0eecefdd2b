"""The charge line: ten stations on one conductor, a rain gauge at each, a state mark on each.

The level in a gauge is the probability that a fault sits there; the mark says what was measured. All coordinates are
formatted here, so that no locale can turn 1.5 into 1,5.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

PITCH, MARGIN = 100.0, 50.0
WIDTH, HEIGHT = 1000.0, 176.0
LINE_Y = 50.0
GAUGE_TOP, GAUGE_HEIGHT, GAUGE_WIDTH = 70.0, 44.0, 24.0
RAIN_TOP = 2.0
PERCENT_Y, LABEL_Y, LABEL_STEP = 131.0, 150.0, 19.0
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
    lines: tuple[tuple[str, str], ...]
    x: str
    percent: str
    mark: str
    title: str
    tube_x: str
    tube_y: str
    tube_w: str
    tube_h: str
    level_y: str
    level_h: str
    drops: tuple[Drop, ...]
    selected: bool
    leading: bool
    absent: bool
    points: str


@dataclass(frozen=True)
class Scene:
    """The whole drawing."""

    view_box: str
    line_y: str
    percent_y: str
    start_x: str
    end_x: str
    gauges: tuple[Gauge, ...]
    title: str


def _points(mark: str, x: float) -> str:
    """Polygon points of a triangle or diamond mark around the conductor."""
    if mark == "off":
        corners = [(x, LINE_Y - 14), (x + 14, LINE_Y + 11), (x - 14, LINE_Y + 11)]
    elif mark == "open":
        corners = [(x, LINE_Y - 14), (x + 14, LINE_Y), (x, LINE_Y + 14), (x - 14, LINE_Y)]
    else:
        return ""
    return " ".join(f"{number(a)},{number(b)}" for a, b in corners)


def _rain(x: float, chance: float) -> tuple[Drop, ...]:
    """Up to seven streaks above a station, more the likelier the fault."""
    count = 0 if chance < 0.08 else min(7, 1 + round(chance * 6))
    drops = []
    for k in range(count):
        dx = (k - (count - 1) / 2) * 11
        top = RAIN_TOP + (k * 13) % 18
        drops.append(Drop(number(x + dx + 4), number(top), number(x + dx), number(top + 13)))
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
    for index, (station, label) in enumerate(stations.items()):
        x = MARGIN + index * PITCH
        chance = chances.get(station, 0.0)
        mark = marks.get(station, "none")
        level = GAUGE_HEIGHT * min(max(chance, 0.0), 1.0)
        words = label.split(" ", 1)
        gauges.append(
            Gauge(
                id=station,
                lines=tuple((word, number(LABEL_Y + LABEL_STEP * k)) for k, word in enumerate(words)),
                x=number(x),
                percent=percent(chance),
                mark=mark,
                title=f"{label}: {percent(chance)}, {MARK_WORDS[mark]}",
                tube_x=number(x - GAUGE_WIDTH / 2),
                tube_y=number(GAUGE_TOP),
                tube_w=number(GAUGE_WIDTH),
                tube_h=number(GAUGE_HEIGHT),
                level_y=number(GAUGE_TOP + GAUGE_HEIGHT - level),
                level_h=number(level),
                drops=_rain(x, chance),
                selected=station == selected,
                leading=chance == top and chance > 0.15,
                absent=station in absent,
                points=_points(mark, x),
            )
        )
    leading = max(chances, key=lambda name: chances[name], default="")
    words_for = stations.get(leading, "")
    return Scene(
        view_box=f"0 0 {number(WIDTH)} {number(HEIGHT)}",
        line_y=number(LINE_Y),
        percent_y=number(PERCENT_Y),
        start_x=number(12),
        end_x=number(WIDTH - 12),
        gauges=tuple(gauges),
        title=f"Charge line, most rain at {words_for} ({percent(top)})" if words_for else "Charge line",
    )
