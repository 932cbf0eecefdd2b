"""Ids of the knowledge that the rows of an archive give, held against what ships: a page looks each of them up."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from functools import lru_cache
from typing import Any

from chargepath.knowledge import Knowledge
from rainfront.exchange.shape import ArchiveError
from rainfront.workshop.adapters import Shop

# The field, and which ids it may hold; an empty text names nothing.
NAMED: Mapping[str, Mapping[str, Callable[[Knowledge], Collection[str]]]] = {
    "jobs.entry": {"access": lambda known: known.access},
    "jobs.quote": {"route": lambda known: known.routes},
    "jobs.repair": {"route": lambda known: known.routes, "reached": lambda known: known.access},
    "stock.item": {"route": lambda known: known.routes},
    "workshop.partprice": {"route": lambda known: known.routes},
}
MAY_BE_EMPTY = frozenset({("workshop.partprice", "route"), ("jobs.entry", "access")})
# What the name of a log line is an id of, by the kind of line.
LINES: Mapping[str, Callable[[Knowledge], Collection[str]]] = {
    "check": lambda known: known.checks,
    "try": lambda known: known.routes,
    "repair": lambda known: known.routes,
    "hazard": lambda known: known.hazards,
}


# Fields that name a step of the work, whose id may have changed since the archive was written.
STEPS: Mapping[str, str] = {"work.steprun": "step", "work.timer": "step", "workshop.shopstep": "at"}


def with_names_now(table: str, row: dict[str, Any]) -> dict[str, Any]:
    """A row with the id that its step has now."""
    field = STEPS.get(table)
    if field is None or field not in row:
        return row
    return {**row, field: _known().procedures.renamed.get(str(row[field]), row[field])}


@lru_cache(maxsize=1)
def _known() -> Knowledge:
    return Shop.as_shipped().known


def refuse_unknown(table: str, row: Mapping[str, Any]) -> None:
    """Refuse a row that names what the knowledge does not hold.

    Raises
    ------
    ArchiveError
        With the field and what it names.

    """
    wanted = dict(NAMED.get(table, {}))
    if table == "jobs.entry" and row.get("kind") in LINES:
        wanted["name"] = LINES[row["kind"]]
    for field, ids in wanted.items():
        value = row.get(field)
        named = isinstance(value, str) and (value in ids(_known()) or (value == "" and (table, field) in MAY_BE_EMPTY))
        if field in row and not named:
            right = "an archive of this version or an earlier one, as the program writes it"
            raise ArchiveError(f"'{str(value)[:40]}' is not known here", f"{table}.{field}", right)
