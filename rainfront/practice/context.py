"""The practice of a request, fetched once."""

from __future__ import annotations

from django.http import HttpRequest

from chargepath.base.quantities import set_decimal_mark
from rainfront.practice.adapters import Practice


def practice_of(request: HttpRequest) -> Practice:
    """The practice, fetched once a request; the workshop comes with it."""
    found: Practice | None = getattr(request, "practice", None)
    if found is None:
        found = Practice.current()
        request.practice = found  # type: ignore[attr-defined]
        request.workshop = found.shop  # type: ignore[attr-defined]
        set_decimal_mark(found.region.decimal)
    return found
