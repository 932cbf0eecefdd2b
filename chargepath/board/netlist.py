"""Reads an IPC-D-356A netlist: one line a pad, each field in its own columns.

The columns are from memory. A field that is not exactly where it belongs makes the line unreadable: a file that was
shifted by a column would else be read with other coordinates.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide, LayoutError, Reading, finish, lines_of

WHAT = "an IPC-D-356A netlist: lines that begin with 317 or 327"
# Millimetres of one step of a coordinate, by the unit of the file.
STEPS: Mapping[str, float] = {"CUST 0": 0.00254, "CUST 1": 0.001, "CUST 2": 0.00254, "SI": 0.001}
# Lines that hold a pad that can be touched; 367 is a hole without copper, 337 and 347 are tooling.
PADS, OTHERS = ("317", "327"), ("337", "347", "367", "378", "379")
LONGEST_NET = 14
NO_NET = ("N/C", "NC")
# Line 1 to 31: code, net, two blanks after it, part, dash, pin. 32 M, 33 D with the hole, 39 A with the access, then
# coordinates, size, turn and mask.
PAD = re.compile(
    r"(?P<code>[3]\d7)(?P<net>.{14})(?P<gap>.{3})(?P<part>.{6})(?P<dash>[- ])(?P<pin>.{4})(?P<mid>[M ])"
    r"(?P<hole>D\d{4}[PU ]| {6})(?P<access>A\d{2})"
    r"X(?P<x>[+-]\d{6})Y(?P<y>[+-]\d{6})"
    r"(?P<wide>X\d{4}|X {4}| {5})(?P<high>Y\d{4}|Y {4}| {5})"
    r"(?P<turn>R\d{3}| {4})(?: (?P<mask>S\d| {2})?)?\s*"
)
UNITS = re.compile(r"P {1,2}UNITS (?P<unit>CUST [0-2]|SI)\s*")
ALIAS = re.compile(r"P {1,2}(?P<alias>NNAME\w+)\s+(?P<name>\S+)\s*")
POINT = re.compile(r"X(?P<x>[+-]?\d{1,7})Y(?P<y>[+-]?\d{1,7})")
EDGE = re.compile(r"389\S*\s+(?P<points>(?:X[+-]?\d{1,7}Y[+-]?\d{1,7}\s*)+)")


def read_netlist(text: str) -> BoardLayout:
    """Read a netlist.

    Parameters
    ----------
    text : str

    Raises
    ------
    LayoutError
        No pad can be read, there are too many, or the unit is not named.

    """
    reading, step, names, ended = Reading(), 0.0, {}, False
    number, line = 0, ""
    for number, ended_line in enumerate(lines_of(text), 1):
        line = ended_line.rstrip("\r\n")
        unit = UNITS.fullmatch(line)
        if unit:
            if step and STEPS[unit["unit"]] != step:
                raise LayoutError("it names two units", f"line {number}", "one line of P UNITS")
            step = STEPS[unit["unit"]]
            continue
        alias = ALIAS.fullmatch(line)
        if alias:
            names[alias["alias"]] = alias["name"]
        elif line[:3] in PADS:
            if not step:
                raise LayoutError("it holds a pad before its unit", f"line {number}", "a line of P UNITS first")
            _pad(reading, number, line, step, names)
        elif line[:3] == "389":
            _edge(reading, number, line, step)
        elif line[:3] == "999":
            ended = True
            break
        elif line.strip() and line[0] not in "CP0" and line[:3] not in OTHERS:
            reading.leave_out(number, "unknown", line)
    if not ended and reading.pads:
        reading.leave_out(number, "cut", line)
    return finish(reading, WHAT)


def _pad(reading: Reading, number: int, line: str, step: float, names: Mapping[str, str]) -> None:
    found = PAD.fullmatch(line)
    if found is None or not line.isprintable():
        reading.leave_out(number, "columns", line)
        return
    net, part, pin = found["net"].strip(), found["part"].strip(), found["pin"].strip()
    if " " in f"{net}{part}{pin}" or not net:
        reading.leave_out(number, "names", line)
        return
    if len(net) == LONGEST_NET and net not in names:
        reading.cut.add(net)
    access = found["access"][1:]
    reading.add(
        BoardPad(
            part=part,
            pin=pin,
            net="" if net in NO_NET else names.get(net, net),
            side=BoardSide.BOTH if access == "00" else BoardSide.TOP if access == "01" else BoardSide.BOTTOM,
            x_mm=round(int(found["x"]) * step, 6),
            y_mm=round(-int(found["y"]) * step, 6),
            wide_mm=_size(found["wide"], step),
            high_mm=_size(found["high"], step) or _size(found["wide"], step),
            turn_deg=float(found["turn"][1:]) if found["turn"].strip() else 0.0,
            round=not found["high"].strip(" Y0") and bool(found["wide"].strip(" X")),
            masked=(found["mask"] or "").strip() in _masks(access),
        )
    )


def _size(text: str, step: float) -> float:
    digits = text[1:].strip()
    return round(int(digits) * step, 6) if digits else 0.0


def _masks(access: str) -> tuple[str, ...]:
    """The values of the mask field that cover the side where the pad can be touched: 1 top, 2 bottom, 3 both."""
    return ("S3",) if access == "00" else ("S1", "S3") if access == "01" else ("S2", "S3")


def _edge(reading: Reading, number: int, line: str, step: float) -> None:
    found = EDGE.fullmatch(line)
    if found is None or not step:
        reading.leave_out(number, "outline", line)
        return
    points = POINT.findall(found["points"])
    reading.outline.append(tuple((round(int(x) * step, 6), round(-int(y) * step, 6)) for x, y in points))
