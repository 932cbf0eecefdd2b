"""Template context on every page."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from rainfront.people.models import Workshop


def workshop_of(request: HttpRequest) -> Workshop:
    """The workshop, fetched once a request."""
    found: Workshop | None = getattr(request, "workshop", None)
    if found is None:
        found = Workshop.current()
        request.workshop = found  # type: ignore[attr-defined]
    return found


def workshop(request: HttpRequest) -> dict[str, Any]:
    """`workshop`, fetched only where a template asks, and whether this is the demo."""
    return {"workshop": SimpleLazyObject(lambda: workshop_of(request)), "demo": settings.DEMO}
