"""A cell that is charged: volts, amps and percent over time, each in its own lane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.scenes.trace_chart import Tick, nice_steps

WIDTH, LANE, GAP = 760.0, 96.0, 18.0
LEFT, RIGHT, TOP, BOTTOM = 76.0, 92.0, 12.0, 34.0
MOST = 400


@dataclass(frozen=True)
class Lane:
    """One quantity: its kind, what it is called, its line, ticks, and its last value."""

    kind: str
    label: str
    top: str
    bottom: str
    points: str
    ticks: tuple[Tick, ...]
    now: str
    now_y: str


@dataclass(frozen=True)
class ChargeChart:
    """The whole drawing."""

    view_box: str
    left: str
    right: str
    bottom: str
    name_x: str
    lanes: tuple[Lane, ...]
    x_ticks: tuple[Tick, ...]
    boots_x: str
    top: str
    title: str


def draw(
    seconds: Sequence[float],
    volts: Sequence[float],
    amps: Sequence[float],
    percent: Sequence[float] | None,
    boots_s: float | None,
    title: str,
) -> ChargeChart:
    """Lay it out; without a percentage there are two lanes."""
    step = max(len(seconds) // MOST, 1)
    picked = sorted({*range(0, len(seconds), step), len(seconds) - 1})
    span = max(seconds[-1], 1.0)
    lanes: list[Lane] = []

    def x(at: float) -> float:
        return LEFT + (WIDTH - LEFT - RIGHT) * at / span

    rows = [
        ("volts", "V", volts, min(volts) - 0.1, max(volts) + 0.1),
        ("amps", "A", amps, 0.0, max(max(amps), 0.1) * 1.15),
    ]
    if percent is not None:
        rows.append(("percent", "%", percent, 0.0, 105.0))
    for index, (kind, unit, values, low, high) in enumerate(rows):
        top = TOP + index * (LANE + GAP)

        def y(value: float, top: float = top, low: float = low, high: float = high) -> float:
            return top + LANE * (1 - (value - low) / (high - low))

        size = nice_steps(high - low, 3)[1] if kind == "volts" else 0.0
        wanted = [k * size for k in range(int(low / size), int(high / size) + 1)] if size else nice_steps(high, 3)
        ticks = [value for value in wanted if low <= value <= high]
        lanes.append(
            Lane(
                kind=kind,
                label={"V": "volts", "A": "amps", "%": "percent"}[unit],
                top=number(top),
                bottom=number(top + LANE),
                points=" ".join(f"{number(x(seconds[k]))},{number(y(values[k]))}" for k in picked),
                ticks=tuple(Tick(number(y(value)), f"{shortest(value)} {unit}") for value in ticks),
                now=f"{values[-1]:.2f} {unit}" if unit != "%" else f"{values[-1]:.0f} %",
                now_y=number(min(max(y(values[-1]) + 5, top + 12), top + LANE)),
            )
        )
    height = TOP + len(rows) * (LANE + GAP) - GAP + BOTTOM
    unit_s, unit = (3600.0, "h") if span > 5400 else (60.0, "min") if span > 180 else (1.0, "s")
    return ChargeChart(
        view_box=f"0 0 {number(WIDTH)} {number(height)}",
        left=number(LEFT),
        right=number(WIDTH - RIGHT),
        bottom=number(height - BOTTOM),
        name_x=number(WIDTH - RIGHT + 8),
        lanes=tuple(lanes),
        x_ticks=tuple(Tick(number(x(t * unit_s)), f"{shortest(t)} {unit}") for t in nice_steps(span / unit_s, 6)),
        boots_x="" if boots_s is None or boots_s <= 0 else number(x(boots_s)),
        top=number(TOP),
        title=title,
    )
