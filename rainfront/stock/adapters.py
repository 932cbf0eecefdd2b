"""What lies on the shelf for one device."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from rainfront.stock.models import Item, Move


def fitting(item: Item, kind: str, model_name: str, connector: str) -> int:
    """How closely a part fits: 3 its model, 2 its kind, 1 all, 0 not at all."""
    if item.connector and item.connector != connector:
        return 0
    names = {name.lower() for name in item.fits}
    if not names:
        return 1
    return 3 if model_name.lower() in names else 2 if kind.lower() in names else 0


def best_of(
    items: Iterable[Item], kind: str, model_name: str, connector: str, held: Mapping[int, int] | None = None
) -> Item | None:
    """The part that a device takes: one that lies there before one that does not, the closest fit first."""
    held = held or {}
    rows = [(fitting(item, kind, model_name, connector), item) for item in items]
    rows = [(closeness, item) for closeness, item in rows if closeness]
    rows.sort(key=lambda row: (item_there(row[1], held) > 0, row[0], -row[1].pk), reverse=True)
    return rows[0][1] if rows else None


def item_there(item: Item, held: Mapping[int, int]) -> int:
    """How many a job can have of it: those that lie free, and those that it has reserved."""
    return item.count + held.get(item.pk, 0)


def shelf(kind: str, model_name: str, connector: str = "", job_pk: int | None = None) -> dict[str, int]:
    """How many parts lie there for each repair of a device, where they are kept; one query, two with a job."""
    items = list(Item.objects.all())
    held = Move.objects.reserved_by(job_pk) if job_pk and items else {}
    out = {}
    for route in {item.route for item in items}:
        found = best_of([item for item in items if item.route == route], kind, model_name, connector, held)
        if found is not None:
            out[route] = item_there(found, held)
    return out
