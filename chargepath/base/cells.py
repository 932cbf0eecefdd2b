"""Cells of tables that a spreadsheet opens: a text that it would run as a formula is written so that it does not.

Source: OWASP, "CSV Injection": cells that begin with one of `= + - @`, tab or carriage return are run; an apostrophe in
front makes a text of them.
"""

from __future__ import annotations

import csv
from collections.abc import Iterator
from io import StringIO

from chargepath.base.errors import ReadingError

RUN = ("=", "+", "-", "@", "\t", "\r")


def written_cell(text: str) -> str:
    """The text as it goes into a table."""
    return f"'{text}" if text.startswith(RUN) else text


def read_cell(text: str) -> str:
    """The text as it was before `written_cell`."""
    return text[1:] if text.startswith("'") and text[1:].startswith(RUN) else text


def rows_of(text: str, delimiter: str) -> Iterator[list[str]]:
    """Rows of a delimited table.

    Raises
    ------
    ReadingError
        A cell is longer than any reading, as where a quotation mark is never closed.

    """
    rows = csv.reader(StringIO(text), delimiter=delimiter)
    while True:
        try:
            row = next(rows)
        except StopIteration:
            return
        except csv.Error as error:
            raise ReadingError(
                "a cell never ends", f"line {rows.line_num}", "is a quotation mark missing, or is it no table?"
            ) from error
        yield row
