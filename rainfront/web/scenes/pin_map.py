"""A connector as drawn: its contacts as they lie, what was read on each, the one to probe next."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.knowledge.pinmaps import GROUP_LABELS, PinMap
from rainfront.web.scenes.charge_line import MARK_WORDS, number

WIDTH = 1000.0
EDGE, GAP, ROW_GAP = 26.0, 6.0, 40.0
PAD_HEIGHT, MIN_PITCH, MAX_PITCH = 92.0, 66.0, 184.0


@dataclass(frozen=True)
class Pad:
    """One contact."""

    pin: str
    name: str
    net: str
    value: str
    mark: str
    group: str
    title: str
    x: str
    y: str
    w: str
    h: str
    middle: str
    name_y: str
    net_y: str
    value_y: str
    mark_y: str
    bar_y: str
    bar_from: str
    bar_to: str
    current: bool
    way: bool


@dataclass(frozen=True)
class Scene:
    """The whole drawing; `scale` is how far it is wider than the page's column (1 where it fits)."""

    view_box: str
    wide: bool
    min_width: str
    shell: tuple[str, str, str, str, str] | None
    tongue: tuple[str, str, str, str] | None
    pads: tuple[Pad, ...]
    title: str
    groups: tuple[tuple[str, str], ...]


def draw(
    pins: PinMap,
    *,
    values: Mapping[str, str] | None = None,
    marks: Mapping[str, str] | None = None,
    current: str = "",
    mirrored: bool = False,
    way: str = "",
) -> Scene:
    """Lay a pin map out.

    Parameters
    ----------
    pins : PinMap
    values : mapping of pin to what was read, as shown
    marks : mapping of pin to good, off, open or short
    current : str
        The pin to probe now, or ''.
    mirrored : bool
        As seen from the solder side: left and right change places.
    way : str
        A label of `pins.directions`; its contacts are marked.

    """
    values, marks = values or {}, marks or {}
    rows = pins.mirrored() if mirrored else pins.rows
    most = max(len(row) for row in rows)
    pitch = max(min((WIDTH - 2 * EDGE) / most, MAX_PITCH), MIN_PITCH)
    width = max(pitch * most + 2 * EDGE, WIDTH if most * pitch + 2 * EDGE > WIDTH * 0.98 else 0)
    height = len(rows) * PAD_HEIGHT + (len(rows) - 1) * ROW_GAP + 2 * EDGE
    only = set(pins.directions.get(way, ()))
    pads = []
    for line, row in enumerate(rows):
        start = (width - pitch * len(row)) / 2
        top = EDGE + line * (PAD_HEIGHT + ROW_GAP)
        for column, pin in enumerate(row):
            net, x = pins.net(pin), start + column * pitch
            mark = marks.get(pin, "none")
            value = values.get(pin, "")
            words = f"{pins.named(pin)}, {GROUP_LABELS[net.group]}: {value or 'not measured'}"
            if value and mark != "none":
                words += f", {MARK_WORDS[mark]}"
            pads.append(
                Pad(
                    pin=pin,
                    name="" if net.id == pin else pin,
                    net=net.label,
                    value=value,
                    mark=mark,
                    group=net.group,
                    title=words,
                    x=number(x + GAP / 2),
                    y=number(top),
                    w=number(pitch - GAP),
                    h=number(PAD_HEIGHT),
                    middle=number(x + pitch / 2),
                    name_y=number(top + 24),
                    net_y=number(top + 44),
                    value_y=number(top + 80),
                    mark_y=number(top - 13 if line == 0 else top + PAD_HEIGHT + 13),
                    bar_y=number(top + PAD_HEIGHT - 38),
                    bar_from=number(x + GAP / 2 + 9),
                    bar_to=number(x + pitch - GAP / 2 - 9),
                    current=pin == current,
                    way=pin in only,
                )
            )
    shell = tongue = None
    if pins.directions:
        radius = 46.0 if len(rows) == 2 else 22.0
        shell = (number(1), number(1), number(width - 2), number(height - 2), number(radius))
        if len(rows) == 2:
            tongue = (number(EDGE + 10), number(EDGE + PAD_HEIGHT + 16), number(width - 2 * EDGE - 20), number(8))
    used = dict.fromkeys(pins.nets[net].group for net in pins.pin.values())
    return Scene(
        view_box=f"0 0 {number(width)} {number(height)}",
        wide=width > WIDTH * 1.02,
        min_width=number(width),
        shell=shell,
        tongue=tongue,
        pads=tuple(pads),
        title=f"{pins.label}, {'solder side, mirrored' if mirrored else pins.seen}",
        groups=tuple((group, GROUP_LABELS[group]) for group in used),
    )
