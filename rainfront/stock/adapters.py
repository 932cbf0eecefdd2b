"""What lies on the shelf for one device."""

from __future__ import annotations

from collections.abc import Iterable

from rainfront.stock.models import Move


def family_of(route: str, kind: str, model_name: str, counts: Iterable[tuple[str, str, int]]) -> str | None:
    """The family under which a device's part is kept: its model, its kind, or all; None where it is not kept at all."""
    kept = {family.lower(): family for name, family, _ in counts if name == route}
    return next((kept[family] for family in (model_name.lower(), kind.lower(), "") if family in kept), None)


def shelf(kind: str, model_name: str) -> dict[str, int]:
    """How many parts lie there for each repair of a device, where they are kept; one query."""
    counts = list(Move.objects.counts())
    out = {}
    for route in {name for name, _, _ in counts}:
        family = family_of(route, kind, model_name, counts)
        if family is not None:
            out[route] = next(there for name, where, there in counts if (name, where) == (route, family))
    return out
