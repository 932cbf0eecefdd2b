"""Who asks, whose workshop it is, and what every template is given."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from chargepath.base.quantities import set_decimal_mark
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Rights


def signed_in(request: HttpRequest) -> User:
    """The user of a request that has passed the login middleware."""
    assert isinstance(request.user, User)
    return request.user


def workshop_of(request: HttpRequest) -> Workshop:
    """The workshop, fetched once a request."""
    found: Workshop | None = getattr(request, "workshop", None)
    if found is None:
        found = Workshop.current()
        request.workshop = found  # type: ignore[attr-defined]
        set_decimal_mark(found.region.decimal)
    return found


def rights(request: HttpRequest) -> dict[str, Any]:
    """`can`: what the person who asks may do, as in `can.repair`."""
    return {"can": Rights(signed_in(request)) if request.user.is_authenticated else {}}


def workshop(request: HttpRequest) -> dict[str, Any]:
    """`workshop`, fetched only where a template asks, and whether this is the demo."""
    return {"workshop": SimpleLazyObject(lambda: workshop_of(request)), "demo": settings.DEMO}
