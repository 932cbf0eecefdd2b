"""Temperatures over time with what melts and what each thing bears drawn on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.quantities import shortest
from rainfront.web.scenes.charge_line import number
from rainfront.web.scenes.trace_chart import Tick, nice_steps

WIDTH, HEIGHT = 860.0, 370.0
LEFT, RIGHT, TOP, BOTTOM = 62.0, 166.0, 14.0, 36.0
LINE = 20.0


@dataclass(frozen=True)
class Curve:
    """One thing's temperature: its kind, points, and its name with the peak at the right."""

    kind: str
    points: str
    name: str
    name_y: str
    peak: str


@dataclass(frozen=True)
class LimitLine:
    """What a thing bears: kind, height, words, and whether it was passed."""

    kind: str
    y: str
    words: str
    passed: bool
    x: str


@dataclass(frozen=True)
class Band:
    """Melting: from the solidus to the liquidus."""

    y: str
    height: str
    words: str
    words_y: str


@dataclass(frozen=True)
class HeatChart:
    """The whole drawing."""

    view_box: str
    left: str
    right: str
    top: str
    bottom: str
    name_x: str
    curves: tuple[Curve, ...]
    limits: tuple[LimitLine, ...]
    band: Band | None
    heat_x: str
    heat_width: str
    plot_height: str
    plot_width: str
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    title: str


def draw(
    seconds: Sequence[float],
    curves: Sequence[tuple[str, str, Sequence[float], float | None]],
    melting: tuple[float, float, str] | None,
    heated: tuple[float, float] | None,
    title: str,
    unit_s: float = 1.0,
) -> HeatChart:
    """Lay it out.

    Parameters
    ----------
    seconds : sequence of float
    curves : sequence of (kind, name, temperatures [°C], limit [°C] or None)
    melting : (solidus, liquidus, words) or None
    heated : (from, to) or None
        While the heat is on [s].
    title : str
    unit_s : float
        1 for an axis in seconds, 60 for one in minutes.

    """
    span = max(seconds[-1] if seconds else 0.0, 1.0)
    limits = [limit for *_, limit in curves if limit is not None]
    highest = max([max(values, default=0.0) for _, _, values, _ in curves], default=0.0)
    top = max([highest, *limits, melting[1] if melting else 0.0]) + 25
    wide, high = WIDTH - LEFT - RIGHT, HEIGHT - TOP - BOTTOM

    def x(at: float) -> float:
        return LEFT + wide * at / span

    def y(temp: float) -> float:
        return TOP + high * (1 - max(temp, 0.0) / top)

    names = _apart([(y(max(values, default=0.0)), index) for index, (_, _, values, _) in enumerate(curves)])
    drawn = tuple(
        Curve(
            kind,
            " ".join(f"{number(x(t))},{number(y(v))}" for t, v in zip(seconds, values, strict=True)),
            name,
            number(names[index]),
            f"{max(values, default=0.0):.0f} °C",
        )
        for index, (kind, name, values, _) in enumerate(curves)
    )
    lines: list[LimitLine] = []
    places = [LEFT + 8.0, LEFT + 150.0, LEFT + 292.0]
    for kind, name, values, limit in curves:
        if limit is not None:
            near = [row for row in lines if abs(float(row.y) - y(limit)) < LINE]
            at = places[min(len(near), 2)]
            passed = max(values, default=0.0) > limit
            lines.append(LimitLine(kind, number(y(limit)), f"{name}: limit {shortest(limit)}", passed, number(at)))
    band = None
    if melting:
        low, upper, words = melting
        height = max(y(low) - y(upper), 4.0)
        band = Band(number(y(upper)), number(height), words, number(y(upper) + height + 17))
    begin, end = heated or (0.0, 0.0)
    return HeatChart(
        view_box=f"0 0 {number(WIDTH)} {number(HEIGHT)}",
        left=number(LEFT),
        right=number(WIDTH - RIGHT),
        top=number(TOP),
        bottom=number(HEIGHT - BOTTOM),
        name_x=number(WIDTH - RIGHT + 10),
        curves=drawn,
        limits=tuple(lines),
        band=band,
        heat_x=number(x(begin)),
        heat_width=number(x(end) - x(begin)),
        plot_height=number(high),
        plot_width=number(wide),
        x_ticks=tuple(
            Tick(number(x(t * unit_s)), f"{shortest(t)} {'s' if unit_s == 1 else 'min'}")
            for t in nice_steps(span / unit_s, 6)
        ),
        y_ticks=tuple(Tick(number(y(t)), f"{shortest(t)}°") for t in nice_steps(top, 5)),
        title=title,
    )


def _apart(wanted: Sequence[tuple[float, int]]) -> dict[int, float]:
    """Heights of names, a line apart, each as near to its own as that allows."""
    out: dict[int, float] = {}
    last = -LINE
    for at, index in sorted(wanted):
        last = max(at + 5, last + LINE, TOP + 10)
        out[index] = last
    over = last - (HEIGHT - BOTTOM)
    if over > 0:
        bound = HEIGHT - BOTTOM
        for index in sorted(out, key=lambda key: -out[key]):
            out[index] = min(out[index], bound)
            bound = out[index] - LINE
    return out
