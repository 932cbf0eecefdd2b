"""Errors of the core as pages that say what would be right; how numbers are written in a request."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import decimals_with
from rainfront.web.errors import page


class DecimalMarkMiddleware:
    """What a shop's region says of decimals holds until its request is over (`people.context`, `practice.context`)."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Begin with a point."""
        with decimals_with("."):
            return self.get_response(request)


class ClearErrorsMiddleware:
    """Any `ChargepathError` that a view lets through becomes a 400 page with its message."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass through."""
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """Answer typed errors, leave the rest alone."""
        if isinstance(exception, ChargepathError):
            return page(request, 400, "That cannot be", str(exception))
        return None
