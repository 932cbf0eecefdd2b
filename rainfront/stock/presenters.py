"""What the shelf's page shows."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from chargepath.decision.shelf import what_to_do
from rainfront.practice.adapters import Practice, days_to_come
from rainfront.stock.models import Move
from rainfront.web.words import money


@dataclass(frozen=True)
class ShelfRow:
    """One kind of part."""

    route: str
    family: str
    label: str
    there: int
    used: int
    price: str
    days: str
    state: str


def shelf_rows(counts: Iterable[tuple[str, str, int, int]], practice: Practice) -> list[ShelfRow]:
    """Every kind of part that is kept: how many, how many are used, and whether to order."""
    routes, out = practice.known.routes, []
    for name, family, there, used in counts:
        own = practice.parts.get(family.lower(), {}).get(name)
        price = own.price if own else routes[name].part
        days = days_to_come(own, routes[name])
        out.append(
            ShelfRow(
                name,
                family,
                routes[name].label,
                there,
                -used,
                money(price, practice.currency, cents=True),
                f"{days:g}",
                what_to_do(there, -used, days),
            )
        )
    return sorted(out, key=lambda row: (not row.state, row.label, row.family))


def move_rows(moves: Iterable[Move], practice: Practice) -> list[tuple[Move, str]]:
    """Moves with the part's name."""
    routes = practice.known.routes
    return [(move, routes[move.route].label if move.route in routes else move.route) for move in moves]
