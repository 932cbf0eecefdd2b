"""Made-up boards as maps, and the files that a layout program would write of them.

The charge line lies in one corner as charge lines do: port, input protection, charging IC with its inductor and
capacitors, port IC, battery connector. The rest is drawn from a seed. Nothing of it is anybody's board.
"""

from __future__ import annotations

import math
import random
from collections.abc import Iterator, Sequence
from itertools import pairwise

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide

# The port: two rows of twelve contacts, and what each is on.
PORT = {
    "A": ("GND", "TX1P", "TX1M", "VBUS", "CC1", "USB_DP", "USB_DN", "SBU1", "VBUS", "RX2M", "RX2P", "GND"),
    "B": ("GND", "TX2P", "TX2M", "VBUS", "CC2", "USB_DP", "USB_DN", "SBU2", "VBUS", "RX1M", "RX1P", "GND"),
}
BATTERY = ("VBAT", "BAT_SDA", "BAT_SCL", "BAT_NTC", "BAT_ID", "GND")
# Chips of the charge line: nets around each from its upper left, down, right, up, left again.
GUARD = ("VBUS", "VBUS", "VBUS_SW", "VBUS_SW", "GND", "N_OVP", "GND", "VBUS")
CHARGER = (
    "VBUS_SW", "VBUS_SW", "PMID", "PMID", "GND", "SYS_SDA", "SW", "SW", "GND", "GND", "SYS_SCL", "CHG_INT",
    "VSYS", "VSYS", "VBAT", "VBAT", "BAT_SENSE", "BAT_NTC", "GND", "CC1_DET", "USB_DP_DET", "USB_DN_DET", "GND", "REGN",
)  # fmt: skip
TALKER = (
    "CC1", "CC2", "GND", "SBU1", "SBU2", "USB_DP", "USB_DN", "SYS_SDA", "SYS_SCL", "PD_INT", "VSYS", "GND",
    "CC1_DET", "USB_DP_DET", "USB_DN_DET", "GND",
)  # fmt: skip
# Small parts of the charge line: name, the nets of its ends, and where it lies from the middle of the port [mm].
SMALL = (
    ("D1", "VBUS", "GND", -4.0, 4.4), ("C1", "VBUS", "GND", -2.6, 4.4), ("C2", "VBUS", "GND", -1.2, 4.4),
    ("C3", "VBUS_SW", "GND", -4.6, 9.6), ("C4", "VBUS_SW", "GND", -3.2, 9.6), ("C5", "PMID", "GND", -1.8, 9.6),
    ("L1", "SW", "VSYS", 4.2, 12.2), ("C6", "VSYS", "GND", 4.2, 14.2), ("C7", "VSYS", "GND", 2.8, 16.4),
    ("C8", "VBAT", "GND", -0.2, 16.4), ("C9", "VBAT", "GND", 1.2, 16.4), ("R1", "VBAT", "BAT_SENSE", -1.8, 16.4),
    ("R2", "BAT_NTC", "REGN", -3.4, 16.4), ("R3", "CC1", "GND", 3.6, 4.4), ("R4", "CC2", "GND", 5.0, 4.4),
)  # fmt: skip
# Rails that the rest of the board is fed by.
RAILS = ("VSYS", "VBAT", "V1P8", "V3P3")
PITCH, CELL = 0.4, 3.2
# The corner of the board that the charge line takes [mm].
LINE_WIDE, LINE_HIGH = 16.0, 19.2


def made_board(pads: int, seed: int = 1) -> BoardLayout:
    """A board with about so many pads: the charge line in its upper left corner, the rest drawn from the seed.

    Parameters
    ----------
    pads : int
        At least some 120, which the charge line takes.
    seed : int

    """
    draw = random.Random(seed)  # noqa: S311 (a board is drawn, nothing is kept secret)
    made = list(_charge_line())
    columns = max(math.ceil(math.sqrt(pads / 14.0 * 1.6)), 8)
    cell, chips, smalls = 0, 10, 20
    while len(made) < pads:
        x, y = (cell % columns + 0.5) * CELL, (cell // columns + 0.5) * CELL
        cell += 1
        if x < LINE_WIDE and y < LINE_HIGH:
            continue
        side = BoardSide.TOP if draw.random() < 0.7 else BoardSide.BOTTOM
        if draw.random() < 0.35:
            chips += 1
            row = draw.choice((4, 5, 6))
            made += _chip(f"U{chips}", (x, y), side, [_net(draw) for _ in range(4 * row)])
        else:
            for shift in (-0.8, 0.8):
                smalls += 1
                lies = draw.random() < 0.5
                made += _small(f"{draw.choice('CRL')}{smalls}", (x + shift, y), side, (_net(draw), _net(draw)), lies)
    wide, high = columns * CELL, max((cell // columns + 1) * CELL, LINE_HIGH)
    edge = ((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high), (0.0, 0.0))
    return BoardLayout(tuple(made), (edge,))


def _charge_line() -> Iterator[BoardPad]:
    """Port, protection, charging IC with the parts around it, port IC, battery connector."""
    middle = LINE_WIDE / 2
    for down, (row, nets) in zip((1.0, 2.4), PORT.items(), strict=True):
        for place, net in enumerate(nets):
            across = place if row == "A" else 11 - place
            yield _pad("J1", f"{row}{place + 1}", net, BoardSide.TOP, (middle + (across - 5.5) * 0.5, down), (0.3, 0.9))
    yield from _chip("U1", (middle - 2.6, 7.0), BoardSide.TOP, GUARD)
    yield from _chip("U2", (middle, 12.6), BoardSide.TOP, CHARGER)
    yield from _chip("U3", (middle + 4.2, 7.6), BoardSide.TOP, TALKER)
    for name, one, other, x, y in SMALL:
        yield from _small(name, (middle + x, y), BoardSide.TOP, (one, other), lies=name != "L1")
    for place, net in enumerate(BATTERY):
        yield _pad("J2", str(place + 1), net, BoardSide.TOP, (1.2, 11.0 + place * 0.8), (1.0, 0.4))
    for number, (net, x, y) in enumerate((("VBUS", 13.6, 1.2), ("VBUS_SW", 13.6, 10.0), ("CC1", 14.8, 5.6)), 1):
        yield _pad(f"TP{number}", "1", net, BoardSide.TOP, (x, y), (0.8, 0.8))


def _pad(
    part: str, pin: str, net: str, side: BoardSide, at: tuple[float, float], size: tuple[float, float]
) -> BoardPad:
    return BoardPad(
        part=part,
        pin=pin,
        net=net,
        side=side,
        x_mm=round(at[0], 3),
        y_mm=round(at[1], 3),
        wide_mm=size[0],
        high_mm=size[1],
    )


def _net(draw: random.Random) -> str:
    chance = draw.random()
    if chance < 0.35:
        return "GND"
    return draw.choice(RAILS) if chance < 0.5 else f"N{draw.randrange(1, 400)}"


def _chip(part: str, at: tuple[float, float], side: BoardSide, nets: Sequence[str]) -> Iterator[BoardPad]:
    """Four rows of pads, pin one at the upper left."""
    row = len(nets) // 4
    half, edge = (row - 1) / 2 * PITCH, (row + 1) / 2 * PITCH
    for number, net in enumerate(nets):
        quarter, along = divmod(number, row)
        step = along * PITCH - half
        dx, dy = ((-edge, step), (step, edge), (edge, -step), (-step, -edge))[quarter]
        size = (0.5, 0.22) if quarter % 2 == 0 else (0.22, 0.5)
        yield _pad(part, str(number + 1), net, side, (at[0] + dx, at[1] + dy), size)


def _small(
    part: str, at: tuple[float, float], side: BoardSide, nets: tuple[str, str], lies: bool
) -> Iterator[BoardPad]:
    off, size = (0.9, (0.9, 1.6)) if part == "L1" else (0.3, (0.3, 0.3))
    for number, shift in enumerate((-off, off)):
        where = (at[0] + shift, at[1]) if lies else (at[0], at[1] + shift)
        yield _pad(part, str(number + 1), nets[number], side, where, size)


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
