"""Reads a board file of any format that is known: its first signs say which."""

from __future__ import annotations

from itertools import islice

from chargepath.board.layout import MOST_BYTES, BoardLayout, LayoutError, lines_of
from chargepath.board.lists import read_lists
from chargepath.board.netlist import PADS, read_netlist
from chargepath.board.padtable import read_table

WHAT = "an IPC-D-356A netlist, a KiCad board file, or a table of pads"


def read_board(raw: bytes) -> BoardLayout:
    """Read a board from the bytes of a file.

    Raises
    ------
    LayoutError
        It is too large, no text, or holds no board.

    """
    if len(raw) > MOST_BYTES:
        raise LayoutError("the file is too large", right=f"{MOST_BYTES // 1_000_000} MB at most")
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    if text.lstrip().startswith("("):
        return read_lists(text)
    if any(line[:3] in PADS or line.startswith(("P  UNITS", "P UNITS")) for line in islice(lines_of(text), 500)):
        return read_netlist(text)
    return read_table(text)
