"""What the shop goes by, fetched once a request."""

from __future__ import annotations

from django.http import HttpRequest

from chargepath.base.quantities import set_decimal_mark
from rainfront.workshop.adapters import Shop


def shop_of(request: HttpRequest) -> Shop:
    """What the shop goes by, fetched once a request together with the workshop's row."""
    found: Shop | None = getattr(request, "shop", None)
    if found is None:
        found = Shop.current()
        request.shop = found  # type: ignore[attr-defined]
        request.workshop = found.settings  # type: ignore[attr-defined]
        set_decimal_mark(found.region.decimal)
    return found
