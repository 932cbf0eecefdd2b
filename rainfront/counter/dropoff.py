"""How a device was received: the marks on its outline, what came along, what was agreed; drawn and in words."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from chargepath.base.errors import ReadingError
from rainfront.counter.models import DropOff
from rainfront.jobs.models import Job
from rainfront.web.scenes.outline import THIRDS, Outline, draw

MOST_MARKS, MOST_STROKES, MOST_POINTS = 40, 60, 400


@dataclass(frozen=True)
class Signature:
    """What was drawn as a signature, and the words below it."""

    strokes: Sequence[Sequence[Sequence[float]]]
    words: str

    @property
    def path(self) -> str:
        """The lines as an SVG path in a box of 1 by 0.3."""
        lines = (" L".join(f"{x:.4f} {0.3 * y:.4f}" for x, y in line) for line in self.strokes)
        return " ".join(f"M{line}" for line in lines)


def outline_of(job: Job, marks: Sequence[dict[str, Any]]) -> Outline:
    """The drawing of a job's device with its marks."""
    kinds = dict(DropOff.Kind.choices)
    rows = [(row["side"], row["x"], row["y"], str(kinds[row["kind"]])) for row in marks]
    return draw(job.kind, rows, {side.value: str(side.label) for side in DropOff.Side})


def read_marks(text: str) -> list[dict[str, Any]]:
    """The marks that a page has sent, checked.

    Raises
    ------
    ReadingError
        They are no marks; says what would be right.

    """
    found = []
    for row in _rows(text, "marks", MOST_MARKS):
        if not isinstance(row, dict) or row.get("side") not in DropOff.Side.values:
            raise ReadingError("a mark has no side", "marks", f"one of {', '.join(DropOff.Side.values)}")
        if row.get("kind") not in DropOff.Kind.values:
            raise ReadingError("a mark has no kind", "marks", f"one of {', '.join(DropOff.Kind.values)}")
        x, y = _share(row.get("x"), "marks"), _share(row.get("y"), "marks")
        found.append({"side": row["side"], "x": x, "y": y, "kind": row["kind"]})
    return found


def read_strokes(text: str) -> list[list[list[float]]]:
    """The lines of a signature that a page has sent, checked.

    Raises
    ------
    ReadingError
        They are no lines, or too many.

    """
    found = []
    for row in _rows(text, "signature", MOST_STROKES):
        if not isinstance(row, list) or len(row) > MOST_POINTS:
            raise ReadingError("a signature is made of lines", "signature", f"{MOST_POINTS} points each at most")
        line = []
        for point in row:
            if not isinstance(point, list) or len(point) != 2:
                raise ReadingError("a point has two numbers", "signature", "x and y from 0 to 1")
            line.append([_share(point[0], "signature"), _share(point[1], "signature")])
        if len(line) > 1:
            found.append(line)
    return found


def place_at(place: str, kind: str) -> dict[str, Any]:
    """A mark in the middle of a named place: side, then top to bottom, then left to right."""
    side, down, across = place.split(" ")
    y, x = (THIRDS[0].index(down) + 0.5) / 3, (THIRDS[1].index(across) + 0.5) / 3
    return {"side": side, "x": round(x, 4), "y": round(y, 4), "kind": kind}


def _rows(text: str, where: str, most: int) -> list[Any]:
    try:
        rows = json.loads(text or "[]")
    except ValueError as error:
        raise ReadingError("it cannot be read", where, "load the page again") from error
    if not isinstance(rows, list) or len(rows) > most:
        raise ReadingError("it cannot be read", where, f"{most} at most")
    return rows


def _share(value: Any, where: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1:
        raise ReadingError("a place lies outside the drawing", where, "numbers from 0 to 1")
    return round(float(value), 4)


def agreed_words(job: Job, money: str) -> str:
    """What is agreed as a rule, for the form to begin with."""
    limit = f"Up to {money} it is repaired without asking." if money else "We ask before anything is charged."
    return f"The device is looked at. {limit}"
