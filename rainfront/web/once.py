"""A form that is sent twice is stored once: every form carries a key of its own (the tag `csrf_token` writes it)."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from datetime import timedelta
from hashlib import sha256
from typing import Any, cast

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect
from django.utils import timezone
from django.utils.http import url_has_allowed_host_and_scheme

from rainfront.web.models import Sent

FIELD, KEY = "once", re.compile(r"[A-Za-z0-9_-]{16,40}")
DONE, WAIT_S, KEPT = "done", 10.0, timedelta(days=2)


def _digest(request: HttpRequest) -> str:
    """What was sent, but for the tokens."""
    fields = sorted(
        (name, value)
        for name, values in request.POST.lists()
        if name not in (FIELD, "csrfmiddlewaretoken")
        for value in values
    )
    files = [(name, str(file.name), file.size) for name, file in cast("dict[str, Any]", request.FILES).items()]
    return sha256(repr((request.path, fields, files)).encode("utf-8", "replace")).hexdigest()


class OnceMiddleware:
    """Lets the first of several equal forms through, and answers the others with where the first one led."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Note how it ended: what was refused may be sent again."""
        response = self.get_response(request)
        sent: Sent | None = getattr(request, "sent_once", None)
        if sent is not None:
            if response.status_code < 400:
                Sent.objects.filter(pk=sent.pk).update(answer=response.headers.get("Location", DONE)[:300])
            else:
                Sent.objects.filter(pk=sent.pk).delete()
        return response

    def process_view(self, request: HttpRequest, view: Any, args: Any, kwargs: Any) -> HttpResponseBase | None:
        """Take the key, or answer for who took it."""
        if request.method != "POST" or not request.user.is_authenticated:
            return None
        key = request.POST.get(FIELD, "")
        if not KEY.fullmatch(key):
            return None
        digest = _digest(request)
        sent, made = Sent.objects.get_or_create(key=f"{request.user.pk}:{key}", defaults={"digest": digest})
        if made:
            request.sent_once = sent  # type: ignore[attr-defined]
            return None
        return self._again(request, sent) if sent.digest == digest else None

    def _again(self, request: HttpRequest, sent: Sent) -> HttpResponseBase | None:
        """Wait for the first one's answer and lead there; where the first one failed, this one is the first."""
        end = time.monotonic() + WAIT_S
        while not sent.answer and time.monotonic() < end:
            time.sleep(0.05)
            found = Sent.objects.filter(pk=sent.pk).first()
            if found is None:
                return None
            sent = found
        if request.htmx:  # type: ignore[attr-defined]
            return HttpResponse(headers={"HX-Refresh": "true"})
        messages.info(request, "That was sent twice; it is stored once.")
        came = request.headers.get("Referer", "")
        here = url_has_allowed_host_and_scheme(came, {request.get_host()}, request.is_secure())
        return redirect(sent.answer if sent.answer not in ("", DONE) else came if here else "/")


def forget_sent() -> None:
    """Forget the keys of old forms."""
    Sent.objects.filter(at__lt=timezone.now() - KEPT).delete()
