"""Who is signed in, for how long, and where somebody goes on who no longer is."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any
from urllib.parse import urlencode, urlsplit

from django.conf import settings
from django.contrib.auth import logout
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, HttpResponseBase, HttpResponseNotAllowed
from django.shortcuts import redirect, resolve_url
from django.utils.http import url_has_allowed_host_and_scheme

from rainfront.people.context import signed_in
from rainfront.people.rights import require

SEEN, SINCE, IDLE_S = "seen", "since", "idle_s"
# The moment of the last request is stored again only when it is older than this [s]: not every look is a write.
COARSE_S = 60.0
# A sign-in that lies further ahead than this [s] was made before the clock was set back: nobody knows how old it is.
AHEAD_S = 600.0
# What a page that asks again by itself says (`hx-headers`): nobody did anything.
BY_ITSELF = "X-By-Itself"
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


class IdleMiddleware:
    """A session ends when nothing was done for as long as the owner allows, and after a working day in any case."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """End it, or note that somebody is there."""
        if request.user.is_authenticated:
            now, session = time.time(), request.session
            seen, since = session.get(SEEN, 0.0), session.get(SINCE, 0.0)
            idle = now - seen > session.get(IDLE_S, 0.0)
            if idle or not now - settings.SESSION_COOKIE_AGE <= since <= now + AHEAD_S:
                logout(request)
            elif now - seen > COARSE_S and BY_ITSELF not in request.headers:
                session[SEEN] = now
        return self.get_response(request)


def _page_of(request: HttpRequest) -> str:
    """The page that a person was on when a request was made: what is asked for, or where it was posted from."""
    htmx: Any = request.htmx  # type: ignore[attr-defined]
    came = (htmx.current_url or "") if htmx else request.headers.get("Referer", "")
    if (htmx or request.method != "GET") and came:
        if url_has_allowed_host_and_scheme(came, {request.get_host()}, request.is_secure()):
            parts = urlsplit(came)
            return parts.path + (f"?{parts.query}" if parts.query else "")
        return ""
    return request.get_full_path() if request.method == "GET" else ""


class SignedInMiddleware(LoginRequiredMiddleware):
    """Whoever is signed out goes to the sign-in page, as a whole page, and back to the page where they were.

    What had been typed there is kept by the browser (`kept.js`) and put back.
    """

    def process_view(
        self, request: HttpRequest, view_func: Any, view_args: Any, view_kwargs: Any
    ) -> HttpResponseBase | None:
        """Nothing is read of what somebody sends who may not send it there."""
        answer: HttpResponseBase | None = super().process_view(request, view_func, view_args, view_kwargs)
        if answer is None and request.method not in SAFE and getattr(view_func, "login_required", True):
            right = getattr(view_func, "posts_right", None)
            if right is not None:
                require(signed_in(request), right)
            elif not getattr(view_func, "posts_own", False):
                return HttpResponseNotAllowed(sorted(SAFE))
        return answer

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponseBase:  # type: ignore[override]
        """To the sign-in page."""
        page = _page_of(request)
        where = resolve_url(settings.LOGIN_URL) + (f"?{urlencode({'next': page})}" if page else "")
        if request.htmx:  # type: ignore[attr-defined]
            return HttpResponse(status=401, headers={"HX-Redirect": where})
        return redirect(where)
