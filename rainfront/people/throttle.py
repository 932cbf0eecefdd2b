"""Guessing passwords is slowed down; what somebody is told who guessed too often.

Wrong ones are counted by name and address together. A name alone is held only after ten times as many, so that nobody
can lock a colleague out from another machine by a few wrong guesses; an address alone after five times as many, so that
the typing errors of a shop behind one address hold nobody. Who signs in gets the count of that name from there back, no
other.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from axes.attempts import get_cool_off_threshold
from axes.handlers.database import AxesDatabaseHandler
from axes.handlers.proxy import AxesProxyHandler
from axes.helpers import get_client_username
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth.signals import user_login_failed
from django.db.models import QuerySet, Sum
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone

from rainfront.people.models import User

NAME_ALONE, ADDRESS_ALONE = 10, 5
AHEAD = timedelta(minutes=1)


class Counts(AxesDatabaseHandler):  # type: ignore[misc]
    """Counts wrong passwords by name and address, by name alone and by address alone, each with a limit of its own."""

    def get_failures(self, request: Any, credentials: dict[str, Any] | None = None) -> int:
        """The count that is nearest to its limit, as a number to be held against the limit of name and address."""
        name, address = get_client_username(request, credentials), request.axes_ip_address
        # What lies ahead was counted before the clock was set back, and would hold people until it has caught up.
        span = (get_cool_off_threshold(request), timezone.now() + AHEAD)
        lately = AccessAttempt.objects.filter(attempt_time__range=span)
        by_address, by_name = lately.filter(ip_address=address), lately.filter(username=name)
        return max(
            _sum(by_name.filter(ip_address=address)), _sum(by_name) // NAME_ALONE, _sum(by_address) // ADDRESS_ALONE
        )


def _sum(attempts: QuerySet[AccessAttempt]) -> int:
    return int(attempts.aggregate(all=Sum("failures_since_start"))["all"] or 0)


def held(request: HttpRequest, user: User) -> HttpResponse | None:
    """What a person is told who has typed their own password wrongly too often; None where they may try."""
    allowed = AxesProxyHandler.is_allowed(request, {"username": user.username})
    return None if allowed else locked_out(request)


def count_wrong(request: HttpRequest, user: User) -> None:
    """Count a wrong own password as a wrong sign-in."""
    user_login_failed.send(__name__, credentials={"username": user.username}, request=request)


def address_of(request: HttpRequest) -> str:
    """Where a request comes from: as the proxy in front says where there is one, else the connection's other end."""
    named = request.META.get("HTTP_X_REAL_IP", "") if settings.BEHIND_PROXY else ""
    return str(named or request.META.get("REMOTE_ADDR", ""))


def locked_out(request: HttpRequest, response: HttpResponse | None = None, credentials: Any = None) -> HttpResponse:
    """429, with when it goes on."""
    minutes = int(settings.AXES_COOLOFF_TIME.total_seconds() // 60)
    text = (
        f"Too many wrong names or passwords came from here, or for this name. It goes on in {minutes} minutes. "
        "An owner can make a one-time link for who has lost a password."
    )
    page = {"title": "Wait a little", "text": text}
    answer = render(request, "web/error.html", page, status=429)
    answer["Retry-After"] = str(minutes * 60)
    return answer
