"""A charger-current record from text: any common shape of CSV, or a pasted column.

Two steps, so that a person can look between them. `look` says what was understood: the delimiter, the decimal mark,
the header, and a role for each column. `read` then reads the text with the roles as they stand. Every line that is
left out is counted and named with its number and the reason; no column is ever used for something that was not said.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from itertools import islice, pairwise

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError
from chargepath.trace.model import MAX_SAMPLES, Trace, make_trace

ROLES = ("time", "volts", "amps", "plus", "minus", "ignore")
MAX_COLUMNS = 60
DELIMITERS = (";", "\t", ",", "|", " ")
LIMITS = {"volts": (-0.5, 60.0), "amps": (-1.0, 20.0), "plus": (-1.0, 15.0), "minus": (-1.0, 15.0)}
CHUNK_CHARACTERS, HEAD_CHARACTERS = 2_000_000, 200_000
SHOWN_ROWS, KEPT_REJECTS = 8, 200
HALF_DAY = 43_200.0

FACTORS = {
    "us": 1e-6,
    "µs": 1e-6,
    "ms": 1e-3,
    "s": 1.0,
    "sec": 1.0,
    "min": 60.0,
    "h": 3600.0,
    "ma": 1e-3,
    "ua": 1e-6,
    "µa": 1e-6,
    "a": 1.0,
    "mv": 1e-3,
    "v": 1.0,
}
NAMES = {
    "plus": re.compile(r"(?i)d\s*\+|\bdp\b|data\s*(\+|plus|p\b)|usb.?d\+"),
    "minus": re.compile(r"(?i)d\s*[-\u2212](?!\w)|\bdm\b|\bdn\b|data\s*(-|minus|m\b)"),
    "other": re.compile(r"(?i)\bm?wh\b|\bm?ah\b|watt|power|energy|charge|capacity|temp|°|resist|ohm|\bw\b|percent|%"),
    "time": re.compile(r"(?i)\btime|timestamp|elapsed|seconds|\bsec\b|clock|date|\bt\b|^ms$|^s$|zeit|uhr|temps"),
    "volts": re.compile(r"(?i)volt|vbus|spannung|tension|\bu\b|\bv\b|\bmv\b"),
    "amps": re.compile(r"(?i)amp|curr|ibus|strom|courant|\bi\b|\ba\b|\bma\b"),
}
# Units spelt out, read before the patterns above: "milliamps" is one word of both.
SPELT = (
    (re.compile(r"(?i)\b(?:milli|m)[\s-]*amp(?:[eè]re)?s?\b"), "current (ma)"),
    (re.compile(r"(?i)\b(?:micro|µ|u)[\s-]*amp(?:[eè]re)?s?\b"), "current (ua)"),
    (re.compile(r"(?i)\b(?:milli|m)[\s-]*volts?\b"), "volts (mv)"),
    (re.compile(r"(?i)\bmilli[\s-]*sec(?:ond)?s?\b"), "time (ms)"),
    (re.compile(r"(?i)\bminutes\b"), "time (min)"),
)
# One number a line with a decimal comma, with or without its unit.
LONE_DECIMAL = re.compile(r"\s*[-+]?(\d{1,4}),(\d+)\s*(?:[µmu]?[AaVv])?\s*")
UNIT = re.compile(r"(?:[\[(/]\s*|[ _])(us|µs|ms|sec|s|min|h|µa|ua|ma|a|mv|v)[\s\])]*$", re.IGNORECASE)
CLOCK = re.compile(r"(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d*)?))?")


@dataclass(frozen=True)
class Column:
    """One column: its heading, role (one of `ROLES`), unit factor to s, V or A, and its first values."""

    name: str
    role: str
    factor: float
    sample: tuple[str, ...]


@dataclass(frozen=True)
class Layout:
    """How a text is to be read.

    Attributes
    ----------
    delimiter : str
        One of `DELIMITERS`.
    comma : bool
        Whether the decimal mark is a comma.
    header : int
        Number of lines before the first sample.
    columns : tuple of Column
    interval : float
        Seconds between samples where no column has the role `time`.

    """

    delimiter: str
    comma: bool
    header: int
    columns: tuple[Column, ...]
    interval: float = 1.0

    def with_roles(
        self, roles: Sequence[str], factors: Sequence[float] | None = None, interval: float | None = None
    ) -> Layout:
        """The same layout with other roles and unit factors.

        Parameters
        ----------
        roles : sequence of str
            One a column.
        factors : sequence of float
            What a column's numbers are multiplied by to be s, V or A.
        interval : float
            Between samples where no column is time [s].

        """
        factors = factors or [column.factor for column in self.columns]
        columns = tuple(
            replace(column, role=role, factor=factor)
            for column, role, factor in zip(self.columns, roles, factors, strict=True)
        )
        return replace(self, columns=columns, interval=interval or self.interval)

    def problem(self) -> str:
        """What keeps this layout from being read, or ''."""
        roles = [column.role for column in self.columns]
        for role in ROLES[:-1]:
            if roles.count(role) > 1:
                return f"two columns are {role}; one only"
        if "amps" not in roles:
            return "no column is amps; say which one holds the current"
        return ""


@dataclass(frozen=True)
class Reject:
    """A line that was left out: its number in the text (from 1) and why."""

    line: int
    reason: str


@dataclass(frozen=True, eq=False)
class TableReading:
    """A trace with what was left out: `rejected` counts all, `rejects` names the first ones."""

    trace: Trace
    rejected: int
    rejects: tuple[Reject, ...]


def decode(raw: bytes) -> str:
    """Text of an uploaded file: UTF-8 or UTF-16 with a mark, else UTF-8, else Latin-1."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        text = raw.decode("utf-16", errors="replace")
    else:
        try:
            text = raw.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = raw.decode("latin-1")
    return plain_lines(text)


def plain_lines(text: str) -> str:
    """The text with one kind of line end and without null characters."""
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return text.replace("\x00", "") if "\x00" in text else text


def _rows(text: str, delimiter: str) -> Iterator[list[str]]:
    lines = io.StringIO(text)
    if delimiter == " ":
        return (line.split() for line in lines)
    return csv.reader(lines, delimiter=delimiter, skipinitialspace=True)


def _number(cell: str, comma: bool) -> float | None:
    cell = cell.strip()
    if comma:
        cell = cell.replace(".", "").replace(",", ".") if cell.count(",") == 1 else cell
    try:
        return float(cell) if cell and "_" not in cell else None
    except ValueError:
        return None


def _clock(cell: str) -> float | None:
    """Seconds of a clock time or an ISO date and time."""
    cell = cell.strip()
    found = CLOCK.fullmatch(cell)
    if found:
        hours, minutes, seconds = found.groups(default="0")
        if int(hours) > 23 or int(minutes) > 59:
            return None
        return int(hours) * 3600 + int(minutes) * 60 + float(seconds.replace(",", "."))
    try:
        return datetime.fromisoformat(cell.replace(",", ".")).timestamp() if len(cell) > 9 else None
    except (ValueError, OverflowError, OSError):
        return None


def _shape(rows: list[list[str]], comma: bool) -> tuple[int, int, int]:
    """How many of the rows are samples, how many of their cells can be read, and their usual width."""
    data = [row for row in rows if _is_data(row, comma)]
    if not data:
        return 0, 0, 0
    widths = [len(row) for row in data]
    usual = max(set(widths), key=widths.count)
    data = [row for row in data if len(row) == usual]
    return len(data), sum(_readable(cell, comma) for row in data for cell in row), usual


def _readable(cell: str, comma: bool) -> bool:
    return _number(cell, comma) is not None or _clock(cell) is not None


def _is_data(row: list[str], comma: bool) -> bool:
    cells = [cell for cell in row if cell.strip()]
    if not cells:
        return False
    return sum(_readable(cell, comma) for cell in cells) >= max(1, (len(cells) + 1) // 2)


def _lone_decimals(head: str) -> bool:
    """Whether the text is one column of numbers with decimal commas, and no pair of whole numbers a line.

    Pairs count up on the left, as samples do; a column stays where it is, or has noughts behind its comma.
    """
    lines = [line for line in head.splitlines() if line.strip()]
    found = [LONE_DECIMAL.fullmatch(line) for line in lines]
    first = next((index for index, hit in enumerate(found) if hit), len(lines))
    if any("," in line for line, hit in zip(lines, found, strict=True) if not hit):
        return False
    pairs = [(int(hit[1]), hit[2]) for hit in found if hit]
    counts_up = len(pairs) > 2 and all(after > before for (before, _), (after, _) in pairwise(pairs))
    return bool(pairs) and len(pairs) >= 0.8 * len(lines[first:]) and not counts_up


def look(text: str, decimal_comma: bool | None = None) -> Layout:
    """Say how a text seems to be laid out.

    Parameters
    ----------
    text : str
    decimal_comma : bool or None
        What a comma is: True the decimal mark, False what parts columns; None: as it seems.

    Raises
    ------
    ReadingError
        Nothing in it looks like samples.

    """
    head = text[:HEAD_CHARACTERS]
    if decimal_comma is None and _lone_decimals(head):
        decimal_comma = True
    best: tuple[tuple[int, int, int], str, bool, list[list[str]]] | None = None
    for rank, delimiter in enumerate(DELIMITERS):
        try:
            rows = list(islice(_rows(head, delimiter), 400))
        except csv.Error:
            continue
        for comma in (False, True):
            if (comma and delimiter == ",") or decimal_comma not in (None, comma):
                continue
            count, cells, width = _shape(rows, comma)
            score = (count if width > 1 else count // 4, cells, -rank - (1 if comma else 0))
            if count and (best is None or score > best[0]):
                best = (score, delimiter, comma, rows)
    if best is None:
        raise ReadingError(
            "nothing here looks like samples", "trace", "lines with a time, volts and amps, or one column of amps"
        )
    _, delimiter, comma, rows = best
    _, _, width = _shape(rows, comma)
    if width > MAX_COLUMNS:
        raise ReadingError(f"{width:,} columns are too many", "columns", f"up to {MAX_COLUMNS}: time, volts, amps")
    start = next(index for index, row in enumerate(rows) if _is_data(row, comma) and len(row) == width)
    titles = next((row for row in reversed(rows[:start]) if len(row) == width), [])
    body = [row for row in rows[start : start + 200] if len(row) == width]
    columns = _columns(titles, body, width, comma)
    return Layout(delimiter, comma, start, columns)


def _columns(titles: list[str], body: list[list[str]], width: int, comma: bool) -> tuple[Column, ...]:
    """A role for each column: by its heading where there is one, else by what it holds."""
    columns, taken = [], set()
    for index in range(width):
        title = titles[index].strip() if index < len(titles) else ""
        name = _plain_name(title)
        role = next((role for role, pattern in NAMES.items() if name and pattern.search(name)), "")
        role = "ignore" if role == "other" or (role and role in taken) else role
        unit = UNIT.search(" " + name)
        factor = FACTORS.get(unit[1].lower(), 1.0) if unit else 1.0
        if role in ROLES[:-1]:
            taken.add(role)
        columns.append(
            Column(title or f"column {index + 1}", role, factor, tuple(row[index] for row in body[:SHOWN_ROWS]))
        )
    if not titles:
        _take_units(columns, taken)
    for index, column in enumerate(columns):
        if not column.role:
            guess = "" if titles else _guess([row[index] for row in body], comma, taken)
            role = guess or "ignore"
            taken.add(role)
            columns[index] = replace(column, role=role)
    if "amps" not in taken and width == 1 and not titles:
        columns[0] = replace(columns[0], role="amps")
    return tuple(columns)


def _plain_name(title: str) -> str:
    """A heading as the patterns know it: units spelt out shortened, underlines as spaces."""
    name = title.replace("_", " ")
    for pattern, short in SPELT:
        name = pattern.sub(short, name)
    return name


def _take_units(columns: list[Column], taken: set[str]) -> None:
    """Where a column holds nothing but a unit, as in `70 mA`, the one before it is in that unit."""
    for index in range(1, len(columns)):
        words = {cell.strip().lower() for cell in columns[index].sample}
        unit = words.pop() if len(words) == 1 else ""
        role = {"a": "amps", "v": "volts"}.get(unit[-1:], "")
        if unit in FACTORS and role and role not in taken:
            taken.add(role)
            columns[index - 1] = replace(columns[index - 1], role=role, factor=FACTORS[unit])
            columns[index] = replace(columns[index], role="ignore")


def _guess(cells: list[str], comma: bool, taken: set[str]) -> str:
    """Role of a column without a heading: time rises, volts stay between 3 and 25, amps are small."""
    numbers = [_number(cell, comma) for cell in cells]
    known = [number for number in numbers if number is not None]
    if len(known) < len(cells) / 2:
        clocks = sum(_clock(cell) is not None for cell in cells)
        return "time" if "time" not in taken and clocks > len(cells) / 2 else ""
    values = np.array(known)
    if "time" not in taken and values.size > 2 and np.all(np.diff(values) > 0):
        return "time"
    if "volts" not in taken and np.all((values > 3) & (values < 25)):
        return "volts"
    return "amps" if "amps" not in taken and np.all((values > -1) & (values < 7)) else ""


def read(text: str, layout: Layout) -> TableReading:
    """Read a text by a layout.

    Raises
    ------
    ReadingError
        The layout names no amps or a role twice, no line can be read, or there are too many samples.

    """
    if layout.problem():
        raise ReadingError(layout.problem(), "columns", "one column for each role")
    roles = {
        column.role: (index, column.factor) for index, column in enumerate(layout.columns) if column.role != "ignore"
    }
    parts: dict[str, list[Array]] = {role: [] for role in roles}
    rejects: list[Reject] = []
    rejected, total = 0, 0
    for lines in _chunks(text, layout.header):
        number = lines.first
        good, values, bad = _read_chunk(lines.text, roles, layout)
        rejected += len(bad)
        rejects += [Reject(number + index, reason) for index, reason in bad[: KEPT_REJECTS - len(rejects)]]
        for role in roles:
            parts[role].append(values[role])
        total += good
        if total > MAX_SAMPLES:
            raise ReadingError(f"more than {MAX_SAMPLES} samples", f"line {number}", "cut the record in two")
    if not total:
        reason = f"; line {rejects[0].line}: {rejects[0].reason}" if rejects else ""
        raise ReadingError(f"no line could be read{reason}", "trace", "check the roles of the columns")
    columns = {role: np.concatenate(arrays) for role, arrays in parts.items()}
    counted: Array = np.arange(total, dtype=float) * layout.interval
    seconds = columns.get("time", counted)
    trace = make_trace(
        _unwrap(seconds), columns["amps"], columns.get("volts"), columns.get("plus"), columns.get("minus")
    )
    return TableReading(trace, rejected, tuple(rejects))


def _unwrap(seconds: Array) -> Array:
    """Carry clock times over midnight."""
    drops = np.diff(seconds) < -HALF_DAY
    if not drops.any() or seconds.max() > 2 * HALF_DAY or seconds.min() < 0:
        return seconds
    return seconds + 2 * HALF_DAY * np.concatenate([[0], np.cumsum(drops)])


@dataclass(frozen=True)
class _Lines:
    """Some whole lines of the text; `first` is the number of the first one."""

    first: int
    text: str


def _chunks(text: str, header: int) -> Iterator[_Lines]:
    """Cut the text after its header into stretches of whole lines."""
    start, number = 0, 1
    for _ in range(header):
        end = text.find("\n", start)
        start, number = (len(text) if end < 0 else end + 1), number + 1
    while start < len(text):
        end = text.find("\n", min(start + CHUNK_CHARACTERS, len(text)))
        end = len(text) if end < 0 else end + 1
        piece = text[start:end]
        yield _Lines(number, piece)
        number += piece.count("\n")
        start = end


def _read_chunk(
    piece: str, roles: dict[str, tuple[int, float]], layout: Layout
) -> tuple[int, dict[str, Array], list[tuple[int, str]]]:
    """Read some lines: how many are good, their values, and (line, reason) of the others."""
    fast = _fast(piece, roles, layout)
    if fast is not None:
        return fast["amps"].size, fast, []
    values: dict[str, list[float]] = {role: [] for role in roles}
    bad = []
    for index, line in enumerate(piece.splitlines()):
        if not line.strip():
            continue
        try:
            row = next(_rows(line, layout.delimiter), [])
            read_row = {role: _cell(row, place, factor, role, layout.comma) for role, (place, factor) in roles.items()}
        except ReadingError as error:
            bad.append((index, error.what))
            continue
        except csv.Error as error:
            bad.append((index, f"cannot be read as a row ({error})"))
            continue
        for role, value in read_row.items():
            values[role].append(value)
    good = len(values["amps"])
    return good, {role: np.array(column, dtype=float) for role, column in values.items()}, bad


def _fast(piece: str, roles: dict[str, tuple[int, float]], layout: Layout) -> dict[str, Array] | None:
    """All lines at once where every one is as expected, else None."""
    if layout.comma:
        if "." in piece:
            return None
        piece = piece.replace(",", ".")
    if piece.count(layout.delimiter) < len(layout.columns) - 1 or "#" in piece:
        return None
    places = [place for place, _ in roles.values()]
    delimiter = None if layout.delimiter == " " else layout.delimiter
    try:
        table = np.loadtxt(
            io.StringIO(piece), delimiter=delimiter, usecols=places, ndmin=2, comments=None, quotechar='"'
        )
    except (ValueError, UserWarning):
        return None
    if table.size == 0 or not np.isfinite(table).all():
        return None
    out = {}
    for column, (role, (_, factor)) in zip(table.T, roles.items(), strict=True):
        low, high = LIMITS.get(role, (-np.inf, np.inf))
        values = column * factor
        if values.min() < low or values.max() > high:
            return None
        out[role] = values
    return out


def _cell(row: list[str], place: int, factor: float, role: str, comma: bool) -> float:
    if place >= len(row):
        raise ReadingError(f"has {len(row)} columns, no {role}")
    value = _number(row[place], comma)
    if value is None and role == "time":
        value = _clock(row[place])
    if value is None or not np.isfinite(value):
        shown = row[place].strip()[:20]
        raise ReadingError(f"{role} '{shown}' is not a number" if shown else f"{role} is empty")
    value *= factor
    low, high = LIMITS.get(role, (-np.inf, np.inf))
    if not low <= value <= high:
        raise ReadingError(f"{role} {value:g} is not possible")
    return value
