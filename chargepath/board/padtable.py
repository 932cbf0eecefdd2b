"""Reads a table of pads: a line of headings, then a line a pad: part, pin, net, side, x, y, and its size if known.

A table has no end mark: one that was cut between two lines looks whole, and only the number of its pads tells.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
from io import StringIO

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide, LayoutError, Reading, finish, lines_of

WHAT = "a table with the headings part, pin, net, side, x_mm, y_mm"
COLUMNS = ("part", "pin", "net", "side", "x", "y")
SIZES = ("width", "height")
# Millimetres of one of each unit, as it may stand in a heading.
UNITS: Mapping[str, float] = {"mm": 1.0, "mil": 0.0254, "inch": 25.4, "in": 25.4, "um": 0.001}
HEADING = re.compile(r"(?P<name>[a-z]+)(?:[ _]?[(\[]?(?P<unit>mm|mil|inch|in|um)[)\]]?)?")
NUMBER = re.compile(r"[+-]?\d{1,7}(?:[.,]\d{1,9})?")
SIDES: Mapping[str, BoardSide] = {
    "top": BoardSide.TOP,
    "t": BoardSide.TOP,
    "bottom": BoardSide.BOTTOM,
    "b": BoardSide.BOTTOM,
    "both": BoardSide.BOTH,
    "": BoardSide.TOP,
}


def read_table(text: str) -> BoardLayout:
    """Read a table whose cells are parted by commas, semicolons or tabs.

    Raises
    ------
    LayoutError
        The headings are not there, no pad can be read, or there are too many.

    """
    first, _, _ = text.partition("\n")
    parted = max(";\t,", key=first.count)
    rows = csv.reader(lines_of(text), delimiter=parted)
    reading = Reading()
    places: dict[str, int] = {}
    scale: dict[str, float] = {}
    width = 0
    try:
        for row in rows:
            if not places:
                places, scale = _headings(row)
                width = len(row)
            elif any(cell.strip() for cell in row):
                if len(row) != width:
                    reading.leave_out(rows.line_num, "columns", ";".join(row))
                    continue
                _row(reading, rows.line_num, row, places, scale)
    except csv.Error as problem:
        raise LayoutError(f"it is no table: {problem}", f"line {rows.line_num}", WHAT) from problem
    if reading.pads and not text.endswith("\n"):
        # The file may have been cut within its last number, which nobody sees.
        reading.pads.pop()
        reading.leave_out(rows.line_num, "cut", text.rpartition("\n")[2])
    return finish(reading, WHAT)


def _headings(row: list[str]) -> tuple[dict[str, int], dict[str, float]]:
    places, scale = {}, {}
    for place, cell in enumerate(row):
        found = HEADING.fullmatch(cell.strip().lower().lstrip("\ufeff"))
        if found and found["name"] in (*COLUMNS, *SIZES):
            places[found["name"]] = place
            scale[found["name"]] = UNITS[found["unit"] or "mm"]
    missing = [name for name in COLUMNS if name not in places]
    if missing:
        raise LayoutError(f"its first line lacks {', '.join(missing)}", "line 1", WHAT)
    return places, scale


def _row(reading: Reading, line: int, row: list[str], places: Mapping[str, int], scale: Mapping[str, float]) -> None:
    text = ";".join(row)
    cells = {name: row[place].strip() for name, place in places.items()}
    if not text.isprintable():
        reading.leave_out(line, "columns", text)
        return
    numbers = {}
    for name in ("x", "y", *SIZES):
        cell = cells.get(name, "")
        if name in SIZES and not cell:
            numbers[name] = 0.0
        elif not NUMBER.fullmatch(cell):
            reading.leave_out(line, "number", text)
            return
        else:
            numbers[name] = round(float(cell.replace(",", ".")) * scale[name], 6)
    side = SIDES.get(cells["side"].lower())
    if side is None:
        reading.leave_out(line, "side", text)
        return
    net = cells["net"]
    reading.add(
        BoardPad(
            part=cells["part"],
            pin=cells["pin"],
            net="" if net.upper() in ("NC", "N/C") else net,
            side=side,
            x_mm=numbers["x"],
            y_mm=numbers["y"],
            wide_mm=numbers["width"],
            high_mm=numbers["height"] or numbers["width"],
        )
    )


def write_table(board: BoardLayout) -> str:
    """The pads as a table that `read_table` reads, in millimetres."""
    out = StringIO(newline="")
    table = csv.writer(out, lineterminator="\n")
    table.writerow(["part", "pin", "net", "side", "x_mm", "y_mm", "width_mm", "height_mm"])
    for pad in board.pads:
        numbers = (f"{value:.6f}" for value in (pad.x_mm, pad.y_mm, pad.wide_mm, pad.high_mm))
        table.writerow([pad.part, pad.pin, pad.net, pad.side.value, *numbers])
    return out.getvalue()
