"""The shelf as CSV: out, and in again with corrected counts, prices and minima."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from datetime import datetime
from decimal import Decimal
from typing import Any

from django.db import transaction

from chargepath.base.cells import read_cell, rows_of, written_cell
from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.base.quantities import parse_quantity
from chargepath.knowledge import Knowledge
from rainfront.people.models import User
from rainfront.stock.actions import correct_item, item_for, names_of
from rainfront.stock.models import Item
from rainfront.stock.presenters import price_of
from rainfront.workshop.adapters import Shop

COLUMNS = ("part", "fits", "connector", "there", "at least", "price", "days to come", "supplier")
# What a heading may also say.
ALSO = {"part for": "part"}
MOST_ROWS = 5000


def write_table(items: Iterable[Item], shop: Shop) -> str:
    """Every kind of part, one a row."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow(COLUMNS)
    for item in items:
        if item.route in shop.known.routes:
            price, days = price_of(item, shop)
            label = shop.known.routes[item.route].part_called
            table.writerow(
                [
                    label,
                    written_cell(", ".join(item.fits)),
                    item.connector,
                    item.count,
                    item.minimum,
                    f"{price:.2f}",
                    f"{days:g}",
                    written_cell(item.supplier),
                ]
            )
    return out.getvalue()


def _names(known: Knowledge) -> dict[str, str]:
    """Every name by which a file may mean a part: that of the part, or of its repair, on any device."""
    routes = [row for name in ("", *known.carriers) for row in known.worded(name).routes.values() if row.part > 0]
    return {said.lower(): route.id for route in routes for said in (route.label, route.part_called)}


def read_table(text: str, shop: Shop, *, user: User, now: datetime) -> tuple[int, list[str]]:
    """Take a shelf in: counts, minima, prices, days and suppliers as the file says, kinds that are new are made.

    Returns
    -------
    int, list of str
        How many rows were taken, and what was wrong with each of the others.

    Raises
    ------
    ReadingError
        It has no heading that names the part and the count, or too many rows.

    """
    dialect = ";" if text.split("\n", 1)[0].count(";") > text.split("\n", 1)[0].count(",") else ","
    rows = rows_of(text.lstrip("\ufeff"), dialect)
    names = [ALSO.get(name.strip().lower(), name.strip().lower()) for name in next(rows, [])]
    if "part" not in names or "there" not in names:
        raise ReadingError("the first row names no part and no count", "columns", ", ".join(COLUMNS))
    labels = _names(shop.known)
    taken, wrong = 0, []
    for number, row in enumerate(rows, 2):
        if not row:
            continue
        if number > MOST_ROWS:
            raise ReadingError(f"more than {MOST_ROWS} rows", "file", "a shelf in parts")
        try:
            with transaction.atomic():
                _take(dict(zip(names, row, strict=False)), labels, shop, user, now)
            taken += 1
        except ChargepathError as error:
            wrong.append(f"row {number}: {error}")
    return taken, wrong


def _take(row: dict[str, Any], labels: dict[str, str], shop: Shop, user: User, now: datetime) -> None:
    def text(name: str) -> str:
        return read_cell(str(row.get(name) or "").strip())

    route = labels.get(text("part").lower())
    if route is None:
        raise ReadingError(f"'{text('part')}' is no part of a repair", "part", f"as in {next(iter(labels))}")
    if text("connector") and text("connector") not in shop.known.connectors:
        known = ", ".join(shop.known.connectors)
        raise ReadingError(f"'{text('connector')}' is no connector", "connector", f"{known}, or empty for any")
    item = item_for(route, names_of(text("fits")), text("connector"))
    there = parse_quantity(text("there"), "", "there")
    minimum = parse_quantity(text("at least"), "", "at least") if text("at least") else item.minimum
    if there != int(there) or minimum != int(minimum):
        raise ReadingError("parts are counted in whole numbers", "there", "0 or more")
    price, days = price_of(item, shop)
    told = Decimal(str(round(parse_quantity(text("price"), "", "price"), 2))) if text("price") else Decimal(str(price))
    lead = parse_quantity(text("days to come"), "", "days to come") if text("days to come") else days
    correct_item(
        shop.known,
        item,
        there=None if there == item.count else int(there),
        price=None if (told, lead) == (Decimal(str(price)), days) else told,
        days=lead,
        minimum=int(minimum),
        supplier=text("supplier") or item.supplier,
        fits=", ".join(item.fits),
        connector=item.connector,
        breaks=[(count, Decimal(cost)) for count, cost in item.breaks],
        user=user,
        now=now,
    )
