"""A board as one compressed file that the server keeps and a browser draws from.

Places are whole nanometres, in columns, each as the difference to the pad before.
The same board always gives the same bytes, so that their digest names it.
"""

from __future__ import annotations

import gzip
import json
import zlib
from collections.abc import Iterable, Mapping, Sequence
from itertools import accumulate
from typing import Any

from chargepath.board.layout import MOST_BYTES, MOST_PADS, BoardLayout, BoardPad, BoardSide, LayoutError

FORMAT, VERSION = "rainfront-board", 1
RIGHT = "a board as this program writes it"
NM = 1_000_000
SIDES = (BoardSide.TOP, BoardSide.BOTTOM, BoardSide.BOTH)
ROUND, MASKED = 1, 2
# A number larger than this is no place on a board: a kilometre [nm].
FARTHEST = 10**12


def pack(board: BoardLayout) -> bytes:
    """The board as compressed JSON: names once, numbers in columns, places as differences to the pad before [nm]."""
    return gzip.compress(json.dumps(as_data(board), ensure_ascii=False, separators=(",", ":")).encode(), 9, mtime=0)


def as_data(board: BoardLayout) -> dict[str, Any]:
    """The board as plain data, as `from_data` reads it."""
    nets, parts = list(board.nets), list(board.parts)
    net_of, part_of = {name: n for n, name in enumerate(nets)}, {name: n for n, name in enumerate(parts)}
    pads = board.pads
    return {
        "format": FORMAT,
        "version": VERSION,
        "nets": nets,
        "parts": parts,
        "cut": list(board.cut),
        "part": [part_of.get(pad.part, -1) for pad in pads],
        "pin": [pad.pin for pad in pads],
        "net": [net_of.get(pad.net, -1) for pad in pads],
        "side": [SIDES.index(pad.side) for pad in pads],
        "x": _steps(pad.x_mm for pad in pads),
        "y": _steps(pad.y_mm for pad in pads),
        "wide": [_nm(pad.wide_mm) for pad in pads],
        "high": [_nm(pad.high_mm) for pad in pads],
        "turn": [round(pad.turn_deg, 3) for pad in pads],
        "flags": [ROUND * pad.round + MASKED * pad.masked for pad in pads],
        "outline": [[_nm(value) for point in line for value in point] for line in board.outline],
    }


def unpack(raw: bytes) -> BoardLayout:
    """The board of a file that `pack` wrote.

    Raises
    ------
    LayoutError
        It is none, or something in it does not fit together.

    """
    try:
        text = zlib.decompressobj(31).decompress(raw, MOST_BYTES)
        found = json.loads(text)
    except (zlib.error, ValueError, RecursionError) as error:
        raise LayoutError("it cannot be opened", right=RIGHT) from error
    return from_data(found)


def from_data(found: Any) -> BoardLayout:
    """The board of plain data.

    Raises
    ------
    LayoutError
        It is none, or something in it does not fit together.

    """
    if not isinstance(found, Mapping) or (found.get("format"), found.get("version")) != (FORMAT, VERSION):
        raise LayoutError("it holds no board", right=RIGHT)
    try:
        return _board(found)
    except (KeyError, IndexError, TypeError, ValueError, AttributeError) as error:
        raise LayoutError("something in it does not fit together", right=RIGHT) from error


def _board(found: Mapping[str, Any]) -> BoardLayout:
    names = {"nets": _names(found["nets"]), "parts": _names(found["parts"])}
    columns = [found[key] for key in ("part", "pin", "net", "side", "x", "y", "wide", "high", "turn", "flags")]
    if len({len(column) for column in columns}) != 1 or len(columns[0]) > MOST_PADS:
        raise ValueError("pads")
    columns[4], columns[5] = list(accumulate(columns[4])), list(accumulate(columns[5]))
    pads = tuple(_pad(names, *row) for row in zip(*columns, strict=True))
    outline = tuple(tuple(zip(_mms(line[::2]), _mms(line[1::2]), strict=True)) for line in found["outline"])
    return BoardLayout(pads=pads, outline=outline, cut=tuple(_names(found["cut"])))


def _pad(names: Mapping[str, Sequence[str]], part: int, pin: str, net: int, side: int, *rest: float) -> BoardPad:
    if not isinstance(pin, str) or min(part, net) < -1 or side < 0:
        raise ValueError("a pad")
    x, y, wide, high, turn, flags = rest
    x_mm, y_mm, wide_mm, high_mm = _mms((x, y, wide, high))
    return BoardPad(
        part=names["parts"][part] if part >= 0 else "",
        pin=pin,
        net=names["nets"][net] if net >= 0 else "",
        side=SIDES[side],
        x_mm=x_mm,
        y_mm=y_mm,
        wide_mm=wide_mm,
        high_mm=high_mm,
        turn_deg=float(turn),
        round=bool(int(flags) & ROUND),
        masked=bool(int(flags) & MASKED),
    )


def _names(found: Any) -> list[str]:
    if not isinstance(found, list) or not all(isinstance(name, str) for name in found):
        raise TypeError("names")
    return found


def _nm(mm: float) -> int:
    return round(mm * NM)


def _mms(values: Iterable[Any]) -> list[float]:
    if not all(isinstance(value, int) and abs(value) < FARTHEST for value in values):
        raise ValueError("a place")
    return [round(value / NM, 6) for value in values]


def _steps(values: Iterable[float]) -> list[int]:
    whole = [_nm(value) for value in values]
    return [one - before for one, before in zip(whole, [0, *whole], strict=False)]
