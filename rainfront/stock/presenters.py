"""What the shelf's page shows."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from chargepath.knowledge import shipped
from rainfront.practice.adapters import InForce
from rainfront.stock.models import Move

USE_DAYS = 30


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


def shelf_rows(counts: Iterable[tuple[str, str, int, int]], force: InForce, currency: str) -> list[ShelfRow]:
    """Every kind of part that is kept: how many, how many are used, and whether to order."""
    routes, out = shipped().routes, []
    for name, family, there, used in counts:
        own = force.parts.get(family.lower(), {}).get(name)
        price = own.price if own else routes[name].part
        days = own.days if own and own.days else routes[name].days
        out.append(
            ShelfRow(
                name, family, routes[name].label, there, -used, f"{currency}{price:,.2f}", f"{days:g}",
                shelf_state(there, -used, days),
            )
        )  # fmt: skip
    return sorted(out, key=lambda row: (not row.state, row.label, row.family))


def shelf_state(there: int, used: int, days: float) -> str:
    """What to do about it: count where it is below nothing, order where it will not last until new ones are here."""
    if there < 0:
        return "count again: more were used than came in"
    if there == 0:
        return "none left, order"
    lasting = math.ceil(used / USE_DAYS * days)
    return f"order: {lasting} will be used before new ones are here" if 0 < there <= lasting else ""


def move_rows(moves: Iterable[Move]) -> list[tuple[Move, str]]:
    """Moves with the part's name."""
    routes = shipped().routes
    return [(move, routes[move.route].label if move.route in routes else move.route) for move in moves]
