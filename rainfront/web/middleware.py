"""Around every request: the journal, headers, errors as pages that say what would be right, how numbers are written."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable

from django.core.exceptions import BadRequest, PermissionDenied, SuspiciousOperation
from django.db import DatabaseError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import decimals_with
from rainfront.web.errors import page

LOG = logging.getLogger("rainfront.web")
SLOW_S = 2.0
REFUSED = (403, 413, 429)
# Ways in which a request is answered "not there", "not allowed" or "not understood": life, not defects.
FORESEEN = (ChargepathError, Http404, PermissionDenied, SuspiciousOperation, BadRequest)
PERMISSIONS = "camera=(self), microphone=(), geolocation=(), payment=(), usb=(), display-capture=()"
Next = Callable[[HttpRequest], HttpResponse]


class JournalMiddleware:
    """Every write, refusal, error and slow answer is a line in the log: who, what page, how it went."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, then note it."""
        begun = time.perf_counter()
        response = self.get_response(request)
        took, status = time.perf_counter() - begun, response.status_code
        told = request.method not in ("GET", "HEAD", "OPTIONS") or status in REFUSED or status >= 500
        if told or took > SLOW_S:
            match, user = request.resolver_match, getattr(request, "user", None)
            named = match.kwargs if match else {}
            data = {
                "method": request.method,
                "page": match.view_name if match else "",
                "of": {name: number for name, number in named.items() if isinstance(number, int)},
                "status": status,
                "ms": round(took * 1000),
                "person": user.pk if user is not None and user.is_authenticated else None,
            }
            level = logging.ERROR if status >= 500 else logging.WARNING if status in REFUSED else logging.INFO
            LOG.log(level, "request", extra={"data": data})
        return response

    def process_exception(self, request: HttpRequest, exception: Exception) -> None:
        """Log a defect, by its type and the code it passed; an address that is not there and a refusal are none."""
        if not isinstance(exception, FORESEEN):
            LOG.error("unforeseen", exc_info=exception)


class HeadersMiddleware:
    """What a browser may do with the program's pages; nobody's page stays in a cache."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Set what is not set."""
        response = self.get_response(request)
        response.headers.setdefault("Permissions-Policy", PERMISSIONS)
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if getattr(request, "user", None) is not None and request.user.is_authenticated:
            response.headers.setdefault("Cache-Control", "no-store")
        return response


class DecimalMarkMiddleware:
    """What a shop's region says of decimals holds until its request is over (`people.context`, `workshop.context`)."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Begin with a point."""
        with decimals_with("."):
            return self.get_response(request)


def _of_disk(exception: Exception) -> str:
    """What is wrong with the disk, '' where it is something else."""
    text = str(exception).lower()
    if isinstance(exception, OperationalError) and ("readonly" in text or "read-only" in text):
        return "the database cannot be written to"
    if isinstance(exception, DatabaseError) and ("full" in text or "disk i/o" in text):
        return "the disk is full or failing"
    if isinstance(exception, OSError) and exception.errno in (5, 28, 30, 122):
        return "the disk is full or read-only"
    return ""


class ClearErrorsMiddleware:
    """Errors with a meaning become pages that say it: of the core, of a full disk, of a file that is gone."""

    def __init__(self, get_response: Next) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass through."""
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """Answer typed errors, leave the rest alone."""
        if isinstance(exception, ChargepathError):
            return page(request, 400, "That cannot be", str(exception))
        if isinstance(exception, FileNotFoundError):
            return page(
                request,
                404,
                "A file is missing",
                "Its row is there, the file is not on the disk. It may be in a backup.",
            )
        if isinstance(exception, OverflowError) and "SQLite" in str(exception):
            return page(request, 404, "There is nothing here", "No row has a number as large as that.")
        trouble = _of_disk(exception)
        if trouble:
            text = f"Nothing was stored: {trouble}. Looking goes on. Whoever looks after the machine has to make room."
            return page(request, 503, "Nothing can be stored now", text)
        return None
