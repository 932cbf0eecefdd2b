"""Made-up boards as maps, and the files that a layout program would write of them.

A board is drawn from a seed: a port's connector, chips with pads along four sides, small parts with two pads, and nets
that join them. Nothing of it is anybody's board.
"""

from __future__ import annotations

import math
import random
from collections.abc import Iterator
from itertools import pairwise

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide

# Nets of the charge line and of power; everything else is called N1, N2, ...
RAILS = (
    "GND", "VBUS", "VBUS_SW", "VSYS", "VBAT", "CC1", "CC2", "USB_DP", "USB_DN", "SBU1", "SBU2", "BAT_NTC", "BAT_SDA",
)  # fmt: skip
PORT = (
    "GND", "VBUS", "CC1", "USB_DP", "USB_DN", "SBU1", "VBUS", "GND", "GND", "VBUS", "SBU2", "USB_DN", "USB_DP", "CC2",
)  # fmt: skip
BATTERY = ("VBAT", "GND", "BAT_NTC", "BAT_SDA")
PITCH, CELL = 0.4, 3.2


def made_board(pads: int, seed: int = 1) -> BoardLayout:
    """A board with about so many pads.

    Parameters
    ----------
    pads : int
    seed : int

    """
    draw = random.Random(seed)  # noqa: S311 (a board is drawn, nothing is kept secret)
    made: list[BoardPad] = []
    columns = math.ceil(math.sqrt(pads / 14.0 * 1.6))
    made += _row("J1", PORT, columns * CELL / 2, 1.2)
    made += _row("J2", BATTERY, 3.0, 1.2)
    cell, chips, smalls = columns, 0, 0
    while len(made) < pads:
        x, y = (cell % columns + 0.5) * CELL, (cell // columns + 0.5) * CELL
        side = BoardSide.TOP if draw.random() < 0.7 else BoardSide.BOTTOM
        if draw.random() < 0.35:
            chips += 1
            made += _chip(f"U{chips}", (x, y), side, draw)
        else:
            for shift in (-0.8, 0.8):
                smalls += 1
                made += _small(f"{draw.choice('CRL')}{smalls}", (x + shift, y), side, draw)
        cell += 1
    wide, high = columns * CELL, (cell // columns + 1) * CELL
    edge = ((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high), (0.0, 0.0))
    return BoardLayout(tuple(made), (edge,))


def _pad(
    part: str, pin: int, net: str, side: BoardSide, at: tuple[float, float], size: tuple[float, float]
) -> BoardPad:
    return BoardPad(
        part=part,
        pin=str(pin),
        net=net,
        side=side,
        x_mm=round(at[0], 3),
        y_mm=round(at[1], 3),
        wide_mm=size[0],
        high_mm=size[1],
    )


def _row(part: str, nets: tuple[str, ...], x: float, y: float) -> Iterator[BoardPad]:
    for number, net in enumerate(nets):
        yield _pad(part, number + 1, net, BoardSide.TOP, (x + (number - len(nets) / 2) * 0.5, y), (0.3, 0.9))


def _net(draw: random.Random) -> str:
    chance = draw.random()
    if chance < 0.35:
        return "GND"
    return draw.choice(RAILS[1:]) if chance < 0.6 else f"N{draw.randrange(1, 400)}"


def _chip(part: str, at: tuple[float, float], side: BoardSide, draw: random.Random) -> Iterator[BoardPad]:
    """Four rows of pads, pin one at the upper left."""
    row = draw.choice((4, 5, 6))
    half, edge = (row - 1) / 2 * PITCH, (row + 1) / 2 * PITCH
    for number in range(4 * row):
        quarter, along = divmod(number, row)
        step = along * PITCH - half
        dx, dy = ((-edge, step), (step, edge), (edge, -step), (-step, -edge))[quarter]
        size = (0.5, 0.22) if quarter % 2 == 0 else (0.22, 0.5)
        yield _pad(part, number + 1, _net(draw), side, (at[0] + dx, at[1] + dy), size)


def _small(part: str, at: tuple[float, float], side: BoardSide, draw: random.Random) -> Iterator[BoardPad]:
    lies = draw.random() < 0.5
    for number, shift in enumerate((-0.3, 0.3)):
        where = (at[0] + shift, at[1]) if lies else (at[0], at[1] + shift)
        yield _pad(part, number + 1, _net(draw), side, where, (0.3, 0.3))


def as_netlist(board: BoardLayout) -> str:
    """The board as an IPC-D-356A netlist in micrometres."""
    lines = ["C  A MADE-UP BOARD", "P  JOB   BRINHOLM", "P  UNITS CUST 1"]
    for line in board.outline:
        points = " ".join(f"X{round(x * 1000):+07d}Y{round(-y * 1000):+07d}" for x, y in line)
        lines.append(f"389BOARD_EDGE          {points}")
    for pad in board.pads:
        access = {BoardSide.TOP: "A01", BoardSide.BOTTOM: "A02", BoardSide.BOTH: "A00"}[pad.side]
        lines.append(
            f"327{pad.net or 'N/C':<14}   {pad.part:<6}-{pad.pin:<4}       {access}"
            f"X{round(pad.x_mm * 1000):+07d}Y{round(-pad.y_mm * 1000):+07d}"
            f"X{round(pad.wide_mm * 1000):04d}Y{round(pad.high_mm * 1000):04d}R000 S0"
        )
    return "\n".join([*lines, "999", ""])


def as_lists(board: BoardLayout) -> str:
    """The board as a KiCad board file, each part turned by a quarter more than the one before."""
    nets = {name: number for number, name in enumerate(board.nets, 1)}
    lines = ["(kicad_pcb (version 20221018) (generator made_up)", '  (net 0 "")']
    lines += [f'  (net {number} "{name}")' for name, number in nets.items()]
    for turn, (part, numbers) in enumerate(board.parts.items()):
        pads = [board.pads[number] for number in numbers]
        x, y, quarter = pads[0].x_mm, pads[0].y_mm, turn % 4
        layer = "F" if pads[0].side != BoardSide.BOTTOM else "B"
        lines.append(f'  (footprint "made:up" (layer "{layer}.Cu") (at {x:.6f} {y:.6f} {quarter * 90})')
        lines.append(f'    (property "Reference" "{part}" (at 0 0 0) (layer "{layer}.SilkS"))')
        cosine, sine = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter]
        for pad in pads:
            dx, dy = pad.x_mm - x, pad.y_mm - y
            at = f"{dx * cosine - dy * sine:.6f} {dx * sine + dy * cosine:.6f}"
            net = f'(net {nets[pad.net]} "{pad.net}")' if pad.net else ""
            lines.append(
                f'    (pad "{pad.pin}" smd rect (at {at} 0) (size {pad.wide_mm:.6f} {pad.high_mm:.6f}) '
                f'(layers "{layer}.Cu" "{layer}.Paste" "{layer}.Mask") {net})'
            )
        lines.append("  )")
    for line in board.outline:
        for (x1, y1), (x2, y2) in pairwise(line):
            lines.append(f'  (gr_line (start {x1:.6f} {y1:.6f}) (end {x2:.6f} {y2:.6f}) (layer "Edge.Cuts"))')
    return "\n".join([*lines, ")", ""])
