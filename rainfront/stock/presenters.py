"""What the shelf's pages show."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from chargepath.decision.shelf import what_to_do
from rainfront.stock.models import Item, Move
from rainfront.web.words import counted, money
from rainfront.workshop.adapters import Shop, days_to_come


@dataclass(frozen=True)
class ShelfRow:
    """One kind of part."""

    pk: int
    label: str
    fits: str
    there: int
    reserved: int
    used: int
    price: str
    days: str
    minimum: int
    state: str


@dataclass(frozen=True)
class OrderRow:
    """One line of what to order."""

    label: str
    fits: str
    supplier: str
    count: int
    each: str
    sum: str
    days: str


def price_of(item: Item, shop: Shop) -> tuple[Decimal | float, float]:
    """What one costs here and how many days it takes to come."""
    route = shop.known.routes[item.route]
    families = [name.lower() for name in item.fits] or [""]
    own = next((part for name in families if (part := shop.parts.get(name, {}).get(item.route))), None)
    return (own.price if own else route.part), days_to_come(own, route)


def fits_words(item: Item, shop: Shop) -> str:
    """What it fits, in words."""
    names = ", ".join(item.fits) or "all"
    return f"{names}, {shop.known.connectors[item.connector].label}" if item.connector else names


def state_of(item: Item, shop: Shop) -> str:
    """What to do about it, '' for nothing."""
    _, days = price_of(item, shop)
    said = what_to_do(item.count, -item.used, days)  # type: ignore[attr-defined]
    if not said and item.count < item.minimum:
        return f"order: fewer than {item.minimum} are here"
    return said or ("the last one" if item.count == 1 else "")


def shelf_rows(items: Iterable[Item], shop: Shop) -> list[ShelfRow]:
    """Every kind of part that is kept: how many, how many are used, and whether to order; what is urgent first."""
    out = []
    for item in items:
        if item.route not in shop.known.routes:
            continue
        price, days = price_of(item, shop)
        out.append(
            ShelfRow(
                pk=item.pk,
                label=shop.known.routes[item.route].part_called,
                fits=fits_words(item, shop),
                there=item.count,
                reserved=item.held,
                used=-item.used,  # type: ignore[attr-defined]
                price=money(price, shop.region, cents=True),
                days=f"{days:g}",
                minimum=item.minimum,
                state=state_of(item, shop),
            )
        )
    return sorted(out, key=lambda row: (not row.state.startswith(("order", "none", "count")), row.label, row.fits))


def orders_of(items: Iterable[Item], shop: Shop) -> list[OrderRow]:
    """What to order, and how many: what is used until new ones come twice over, the minimum at least."""
    out = []
    for item in items:
        if item.route not in shop.known.routes or not state_of(item, shop).startswith(("order", "none")):
            continue
        price, days = price_of(item, shop)
        lasts = round(-item.used / 30 * days * 2)  # type: ignore[attr-defined]
        wanted = max(lasts, item.minimum, 1) - item.count
        count = max(wanted, 1)
        each = Decimal(str(price))
        for least, cost in item.breaks:
            each = Decimal(cost) if count >= least else each
        out.append(
            OrderRow(
                label=shop.known.routes[item.route].part_called,
                fits=fits_words(item, shop),
                supplier=item.supplier or "no supplier named",
                count=count,
                each=money(each, shop.region, cents=True),
                sum=money(each * count, shop.region, cents=True),
                days=counted(days, "day"),
            )
        )
    return sorted(out, key=lambda row: (row.supplier, row.label))


def move_rows(moves: Iterable[Move], shop: Shop) -> list[tuple[Move, str]]:
    """Moves with the part's name."""
    routes = shop.known.routes
    return [(move, routes[move.item.route].part_called if move.item.route in routes else "a part") for move in moves]
