"""Reads a KiCad board file: nested lists of words, numbers and quoted texts, of which the pads are kept.

Lengths are millimetres, y counts downwards, angles counter-clockwise as seen from the top, and a part on the bottom is
written as it is seen through the board: from memory. Polygons of filled areas are dropped before anything else: they
are nine tenths of a large file and hold no pad.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide, LayoutError, Reading, finish

WHAT = "a KiCad board file: it begins with (kicad_pcb"
DEEPEST, LONGEST_TEXT, MOST_LISTS = 32, 4000, 100_000
# Points of polygons, outside quoted texts. Possessive, so that hostile input costs no more than its length.
POINTS = re.compile(
    r'"(?:[^"\\]|\\(?s:.|\Z))*+(?:"|\Z)|\(pts(?:\s*+\((?:xy|arc)[^()]*+(?:\([^()]*+\)[^()]*+)*+\))*+\s*+\)'
)
TOKEN = re.compile(r'\s*+(?:(?P<open>\()|(?P<close>\))|"(?P<text>(?:[^"\\]|\\(?s:.))*+)"|(?P<word>[^\s()"]++))')
# Within a list that is not kept only its brackets count.
BRACKET = re.compile(r'(?:[^()"]|"(?:[^"\\]|\\(?s:.))*+")*+(?:(?P<open>\()|(?P<close>\)))')
ESCAPED = re.compile(r"\\(.)")
# Lengths are written to a millionth of a millimetre: more digits are two numbers that have lost the blank between them.
NUMBER = re.compile(r"[+-]?\d{1,6}(?:\.\d{1,6})?")
NAME = re.compile(r'[^\s()"]*')
KEPT = ("net", "footprint", "module", "gr_line", "gr_rect")
FRONT, BACK, EDGE = "F.Cu", "B.Cu", "Edge.Cuts"
List = list[Any]


class _Bad(Exception):  # noqa: N818 (a signal within this module, never seen outside)
    """A list whose content is not what it should be: the code of why."""


def read_lists(text: str) -> BoardLayout:
    """Read a board file.

    Raises
    ------
    LayoutError
        It is no such file, is cut or nested too deep, no pad can be read, or there are too many.

    """
    if not text.lstrip().startswith("(kicad_pcb"):
        raise LayoutError("it is no board file", right=WHAT)
    if "\0" in text:
        raise LayoutError("it holds signs that no text holds", right=WHAT)
    reading, names = Reading(), {}
    for count, (line, item) in enumerate(_top(_without_points(text))):
        if count > MOST_LISTS:
            raise LayoutError("it holds more lists than a board does", f"line {line}", f"{MOST_LISTS:,} at most")
        try:
            if item[0] == "net" and len(item) == 3:
                names[item[1]] = str(item[2])
            elif item[0] in ("footprint", "module"):
                _part(reading, line, item, names)
            elif item[0] in ("gr_line", "gr_rect") and EDGE in _of(item, "layer")[1:2]:
                start, end = _point(_of(item, "start")), _point(_of(item, "end"))
                corners = ((start[0], end[1]), (end[0], start[1]))
                whole = (start, corners[1], end, corners[0], start) if item[0] == "gr_rect" else (start, end)
                reading.outline.append(whole)
        except _Bad as problem:
            reading.leave_out(line, str(problem), " ".join(str(one) for one in item if not isinstance(one, list)))
    return finish(reading, WHAT)


def _without_points(text: str) -> str:
    """The text with the points of polygons dropped, and as many lines as before."""
    kept, at = [], 0
    for found in POINTS.finditer(text):
        if text[found.start()] == "(":
            kept += [text[at : found.start()], "(pts)", "\n" * text.count("\n", *found.span())]
            at = found.end()
    return "".join([*kept, text[at:]]) if kept else text


def _top(text: str) -> Iterator[tuple[int, List]]:
    """Each list that is kept, with the line on which it begins, as soon as its last bracket is read."""
    stack: list[List] = []
    at, length, begun, skipped = 0, len(text), 0, 0
    line, counted = 1, 0

    def line_at(place: int) -> int:
        nonlocal line, counted
        line, counted = line + text.count("\n", counted, place), place
        return line

    while at < length:
        found = (BRACKET if skipped else TOKEN).match(text, at)
        if found is None:
            if text[at:].strip() and not skipped:
                raise LayoutError("a quoted text does not end", f"line {line_at(at)}", WHAT)
            break
        kind, at = found.lastgroup, found.end()
        if kind == "open":
            if skipped:
                skipped += 1
            elif len(stack) == 1 and NAME.match(text, at)[0] not in KEPT:  # type: ignore[index]
                skipped = 1
            else:
                begun = at if len(stack) == 1 else begun
                stack.append([])
            if len(stack) + skipped > DEEPEST:
                raise LayoutError("its lists are nested too deep", f"line {line_at(at)}", f"{DEEPEST} levels at most")
        elif kind == "close":
            if skipped:
                skipped -= 1
                continue
            if not stack:
                raise LayoutError("it closes a list that was not opened", f"line {line_at(at)}", WHAT)
            whole = stack.pop()
            if len(stack) == 1:
                if whole and isinstance(whole[0], str):
                    yield line_at(begun), whole
            elif stack:
                stack[-1].append(whole)
            elif text[at:].strip():
                raise LayoutError("something follows its end", f"line {line_at(at)}", WHAT)
        elif len(stack) > 1 and not skipped:
            word = found[kind]  # type: ignore[index]
            if kind == "text":
                if len(word) > LONGEST_TEXT:
                    raise LayoutError(
                        "a text in it is too long", f"line {line_at(at)}", f"{LONGEST_TEXT} signs at most"
                    )
                word = ESCAPED.sub(r"\1", word)
            stack[-1].append(word)
    if stack or skipped:
        raise LayoutError("it is cut: its lists are not closed", f"line {line_at(length)}", WHAT)


def _of(item: List, name: str) -> List:
    """The first list within `item` that begins with the word `name`; [] where there is none."""
    return next((one for one in item if isinstance(one, list) and one and one[0] == name), [])


def _number(word: Any) -> float:
    if not isinstance(word, str) or not NUMBER.fullmatch(word):
        raise _Bad("number")
    return float(word)


def _point(item: List, most: int = 3) -> tuple[float, float]:
    """The two numbers of a list; more than `most` words mean that a number was torn in two."""
    if not 3 <= len(item) <= most:
        raise _Bad("number")
    return _number(item[1]), _number(item[2])


def _turn(item: List) -> float:
    """The angle of an `at`: its third number where there is one."""
    return _number(item[3]) if len(item) > 3 and item[3] != "unlocked" else 0.0


def _part(reading: Reading, line: int, item: List, names: dict[str, str]) -> None:
    """Keep the pads of a footprint; one that cannot be read is left out alone."""
    at = _of(item, "at")
    x, y = _point(at, 4)
    turn, part = _turn(at), _reference(item)
    if _pads_within(item) > sum(isinstance(one, list) and one[:1] == ["pad"] for one in item):
        # Which part a pad belongs to that comes after it cannot be known: all of it is left out.
        reading.leave_out(line, "nested", f"{part}: a bracket is in the wrong place")
        return
    for one in item:
        if not (isinstance(one, list) and one and one[0] == "pad"):
            continue
        try:
            reading.add(_pad(one, part, (x, y), turn, names))
        except _Bad as problem:
            reading.leave_out(line, str(problem), f"{part} pad {one[1] if len(one) > 1 else ''}")


def _pads_within(item: List) -> int:
    """How many pads are written anywhere within a list, those of lists within it too."""
    lists = [one for one in item if isinstance(one, list)]
    return sum(_pads_within(one) + (one[:1] == ["pad"]) for one in lists)


def _reference(item: List) -> str:
    for one in item:
        named = isinstance(one, list) and len(one) > 2 and one[0] in ("property", "fp_text")
        if named and one[1] in ("Reference", "reference"):
            return str(one[2])
    return ""


def _pad(item: List, part: str, where: tuple[float, float], turn: float, names: dict[str, str]) -> BoardPad:
    if len(item) < 4:
        raise _Bad("columns")
    dx, dy = _point(_of(item, "at"), 4)
    wide, high = _point(_of(item, "size"))
    layers = [str(layer) for layer in _of(item, "layers")[1:]]
    if wide <= 0 or high <= 0 or not layers:
        raise _Bad("columns")
    copper = [layer for layer in layers if layer.endswith(".Cu")]
    top, bottom = (
        any(one in (FRONT, "*.Cu", "F&B.Cu") for one in copper),
        any(one in (BACK, "*.Cu", "F&B.Cu") for one in copper),
    )
    if not (top or bottom):
        raise _Bad("layer")
    net = _of(item, "net")
    if net and (len(net) < 2 or (len(net) > 2 and names.get(net[1], net[2]) != net[2])):
        raise _Bad("net")
    angle = math.radians(turn)
    return BoardPad(
        part=part,
        pin=str(item[1]),
        net="" if not net else str(net[2]) if len(net) > 2 else names.get(net[1], str(net[1])),
        side=BoardSide.BOTH if top and bottom else BoardSide.TOP if top else BoardSide.BOTTOM,
        x_mm=round(where[0] + dx * math.cos(angle) + dy * math.sin(angle), 6),
        y_mm=round(where[1] - dx * math.sin(angle) + dy * math.cos(angle), 6),
        wide_mm=wide,
        high_mm=high,
        turn_deg=_turn(_of(item, "at")) % 360,
        round=item[3] in ("circle", "oval"),
        masked=not any(layer.endswith(".Mask") for layer in layers),
    )
