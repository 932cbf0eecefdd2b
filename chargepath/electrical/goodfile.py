"""Known-good readings as CSV: what a shop brings along from its own tables, and takes home again."""

from __future__ import annotations

import csv
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from io import StringIO

from chargepath.base.cells import read_cell, rows_of, written_cell
from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.base.quantities import MeterStyle, parse_diode
from chargepath.knowledge.pinmaps import PinMap

COLUMNS = ("model", "revision", "connector", "place", "pin", "meter", "reading", "date")
NEEDED = ("model", "connector", "pin", "meter", "reading")
MAX_ROWS = 500_000


@dataclass(frozen=True)
class GoodRow:
    """One known-good reading; `mv` is ``inf`` where the line reads open."""

    model: str
    revision: str
    map_id: str
    place: str
    pin: str
    meter: str
    mv: float
    taken: date | None


@dataclass(frozen=True)
class BadRow:
    """A line that was left out: its number, what was wrong and what would be right."""

    line: int
    what: str


def read_good(
    text: str,
    maps: Callable[[str], PinMap | None],
    places: Iterable[str],
    meters: Mapping[str, MeterStyle],
) -> tuple[list[GoodRow], list[BadRow]]:
    """Read a table of known-good readings.

    Parameters
    ----------
    text : str
        Comma, semicolon or tab separated, the first line naming its columns (`COLUMNS`, any order, case and extra
        ones).
    maps : callable
        Pin map of a connector's id, None where there is none.
    places : iterable of str
        Place ids; a table without a place means the contacts.
    meters : mapping of name to Meter
        Known meters, by their name in small letters; how each shows things decides how its readings are read.

    Returns
    -------
    tuple of list
        Rows, and every line that was left out with the reason.

    Raises
    ------
    ReadingError
        The heading misses a column, or there is nothing below it.

    """
    head, _, _ = text.partition("\n")
    delimiter = max(",;\t", key=head.count)
    rows = rows_of(text, delimiter)
    names = [name.strip().lower().lstrip("\ufeff") for name in next(rows, [])]
    missing = [name for name in NEEDED if name not in names]
    if missing:
        raise ReadingError(
            f"the heading misses {', '.join(missing)}",
            "line 1",
            f"columns: {', '.join(COLUMNS)}; needed: {', '.join(NEEDED)}",
        )
    at = {name: names.index(name) for name in COLUMNS if name in names}
    known_places = set(places)
    good: list[GoodRow] = []
    bad: list[BadRow] = []
    for number, cells in enumerate(rows, 2):
        if not any(cell.strip() for cell in cells):
            continue
        if len(good) + len(bad) >= MAX_ROWS:
            raise ReadingError(f"more than {MAX_ROWS:,} readings", f"line {number}", "split the file")
        try:
            good.append(_row(cells, at, maps, known_places, meters))
        except ChargepathError as error:
            bad.append(BadRow(number, str(error)))
        except IndexError:
            bad.append(BadRow(number, f"{len(cells)} cells; expected {len(names)}"))
    if not good and not bad:
        raise ReadingError(
            "there is no reading below the heading", "file", f"one reading a line under {', '.join(COLUMNS)}"
        )
    return good, bad


def _row(
    cells: list[str],
    at: Mapping[str, int],
    maps: Callable[[str], PinMap | None],
    places: set[str],
    meters: Mapping[str, MeterStyle],
) -> GoodRow:
    def cell(name: str) -> str:
        return read_cell(cells[at[name]].strip()) if name in at else ""

    model = cell("model")
    if not model or len(model) > 80:
        raise ReadingError("no model", "model", "the model's name, up to 80 characters")
    found = maps(cell("connector"))
    if found is None:
        raise ReadingError(f"'{cell('connector')}' is no connector", "connector", "the id shown on the references page")
    pin = cell("pin")
    if pin not in found.pin:
        pins = found.pins
        raise ReadingError(f"{found.label} has no pin {pin}", "pin", f"{pins[0]} to {pins[-1]}, {len(pins)} pins")
    place = cell("place") or "contact"
    if place not in places:
        raise ReadingError(f"'{place}' is no place", "place", f"one of {', '.join(sorted(places))}")
    meter = meters.get(cell("meter").lower())
    if meter is None:
        raise ReadingError(f"no meter is called '{cell('meter')}'", "meter", "add it on the references page first")
    mv = parse_diode(cell("reading"), meter, "reading")
    taken = None
    if cell("date"):
        try:
            taken = date.fromisoformat(cell("date")[:10])
        except ValueError as error:
            raise ReadingError(f"'{cell('date')}' is no date", "date", "as in 2026-03-02") from error
    revision = cell("revision")
    if len(revision) > 20:
        raise ReadingError("the revision is too long", "revision", "up to 20 characters")
    return GoodRow(
        model=model,
        revision=revision,
        map_id=found.id,
        place=place,
        pin=pin,
        meter=cell("meter").lower(),
        mv=mv,
        taken=taken,
    )


def write_good(rows: Iterable[tuple[str, str, str, str, str, str, float | None, date]]) -> Iterator[str]:
    """Lines of a table that `read_good` reads back; readings in millivolts with their unit, OL where open."""
    yield ",".join(COLUMNS) + "\r\n"
    for *texts, mv, taken in rows:
        buffer = StringIO()
        shown = "OL" if mv is None or math.isinf(mv) else f"{mv:g}mV"
        csv.writer(buffer).writerow([*map(written_cell, texts), shown, taken.isoformat()])
        yield buffer.getvalue()
