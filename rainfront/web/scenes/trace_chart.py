"""A charger-current record as a still drawing: phases shaded and named, expected band, limit, dropouts marked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 1000.0, 360.0
LEFT, RIGHT, TOP, BOTTOM = 56.0, 14.0, 40.0, 36.0
NAMED_FROM = 62.0
# Phases that are tinted to the bottom; the others are a ribbon along the top.
WRONG = ("dropout", "over_limit")


@dataclass(frozen=True)
class Shade:
    """One phase: where it is shaded, its kind, and its name where there is room."""

    x: str
    width: str
    kind: str
    label_x: str
    label: str
    wrong: bool


@dataclass(frozen=True)
class Tick:
    """One tick of an axis."""

    at: str
    text: str


@dataclass(frozen=True)
class Chart:
    """The whole drawing; `drops` are x coordinates of dropouts."""

    view_box: str
    left: str
    right: str
    top: str
    bottom: str
    plot_width: str
    plot_height: str
    path: str
    ribbon_y: str
    band_y: str
    band_h: str
    limit_y: str
    shades: tuple[Shade, ...]
    drops: tuple[str, ...]
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    title: str


def nice_steps(top: float, count: int) -> list[float]:
    """Round tick values from 0 to `top`."""
    if top <= 0:
        return [0.0]
    raw = top / count
    size = 10.0 ** np.floor(np.log10(raw))
    step = next(size * factor for factor in (1, 2, 5, 10) if size * factor >= raw)
    return [float(value) for value in np.arange(0, top + step / 1000, step)]


def along(seconds: float, span: float) -> str:
    """A tick of time [s] on an axis as long as `span` [s]: in minutes on a long one."""
    return f"{shortest(seconds)} s" if span < 600 else f"{shortest(seconds / 60)} min"


def draw(
    seconds: np.ndarray,
    amps: np.ndarray,
    phases: Sequence[tuple[str, str, float, float]],
    band: tuple[float, float],
    limit: float,
    title: str,
) -> Chart:
    """Lay a record out.

    Parameters
    ----------
    seconds, amps : array, shape (n,)
        Thinned samples [s], [A].
    phases : sequence of (kind, label, start, stop)
    band : (low, high)
        Expected current [A].
    limit : float
        What the source has to give [A].
    title : str

    """
    span = float(seconds[-1]) if seconds.size and seconds[-1] > 0 else 1.0
    most = max(float(amps.max()) if amps.size else 0.0, min(limit, band[1] * 1.3), band[1], 0.1) * 1.08
    wide, high = WIDTH - LEFT - RIGHT, HEIGHT - TOP - BOTTOM

    def x(value: float) -> float:
        return LEFT + wide * value / span

    def y(value: float) -> float:
        return TOP + high * (1 - min(value, most) / most)

    points = " ".join(f"{number(x(t))},{number(y(a))}" for t, a in zip(seconds.tolist(), amps.tolist(), strict=True))
    shades = []
    for kind, label, start, stop in phases:
        width = x(stop) - x(start)
        shades.append(
            Shade(
                x=number(x(start)),
                width=number(max(width, 0.5)),
                kind=kind,
                label_x=number(x(start) + width / 2),
                label=label if width >= NAMED_FROM else "",
                wrong=kind in WRONG,
            )
        )
    drops = tuple(number((x(start) + x(stop)) / 2) for kind, _, start, stop in phases if kind == "dropout")
    return Chart(
        view_box=f"0 0 {number(WIDTH)} {number(HEIGHT)}",
        left=number(LEFT),
        right=number(WIDTH - RIGHT),
        top=number(TOP),
        bottom=number(HEIGHT - BOTTOM),
        plot_width=number(wide),
        plot_height=number(high),
        path=points,
        ribbon_y=number(TOP - 10),
        band_y=number(y(band[1])),
        band_h=number(max(y(band[0]) - y(band[1]), 1)),
        limit_y=number(y(limit)) if limit <= most else "",
        shades=tuple(shades),
        drops=drops,
        x_ticks=tuple(Tick(number(x(t)), along(t, span)) for t in nice_steps(span, 8)),
        y_ticks=tuple(Tick(number(y(a)), f"{shortest(a)} A") for a in nice_steps(most, 5)),
        title=title,
    )
