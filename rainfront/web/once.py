"""A form that is sent twice is stored once.

Every form carries a key of its own (the tag `csrf_token` writes it). The first write of the request stores that key in
the write's own transaction: either both are there or neither is. Whoever sends the same form with the same key again is
told since when it is stored and is asked whether it is to be stored a second time. Where a kill, a refusal or a full
disk left no key, nothing was stored, and the form is taken as if it came for the first time.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import ExitStack
from contextvars import ContextVar
from datetime import timedelta
from hashlib import sha256
from typing import Any, cast
from urllib.parse import urlsplit

from django.db import IntegrityError, connection, transaction
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import render
from django.utils import timezone
from django.utils.http import url_has_allowed_host_and_scheme

from rainfront.web.models import Sent

FIELD, TOKEN, KEY = "once", "csrfmiddlewaretoken", re.compile(r"[A-Za-z0-9_-]{16,40}")
KEPT = timedelta(days=2)
WRITES = re.compile(r'\s*(?:INSERT(?: OR \w+)? INTO|UPDATE|DELETE FROM|REPLACE INTO)\s+"?(\w+)"?', re.I)
# Tables that say who is signed in and who guessed, not what a person stored.
BESIDE = ("web_sent", "django_session", "axes_")
# What is never written back into a page.
SECRET = re.compile(r"password|code|token", re.I)

_now: ContextVar[_Key | None] = ContextVar("once_key", default=None)


class SentBefore(Exception):  # noqa: N818  (no fault of anybody's: the answer to a form that came twice)
    """The same form with the same key is stored already; whatever this transaction wrote is undone."""


def _digest(request: HttpRequest) -> str:
    """What was sent, but for the tokens: the fields, and each file by its content."""
    fields = sorted(
        (name, value) for name, values in request.POST.lists() if name not in (FIELD, TOKEN) for value in values
    )
    files = []
    for name, found in sorted(cast("dict[str, Any]", request.FILES).lists()):  # type: ignore[attr-defined]
        for file in found:
            content = sha256()
            for chunk in file.chunks():
                content.update(chunk)
            file.seek(0)
            files.append((name, str(file.name), content.hexdigest()))
    return sha256(repr((request.path, fields, files)).encode("utf-8", "replace")).hexdigest()


class _Key:
    """The key of the form that this request brought; it is stored with the first thing that the request writes."""

    def __init__(self, key: str, digest: str, leads: str) -> None:
        self.key, self.digest, self.leads = key, digest, leads
        self.row: Sent | None = None
        self._holds = False

    def __call__(self, execute: Callable[..., Any], sql: str, params: Any, many: bool, context: Any) -> Any:
        """Around each statement of the view: before the first that stores something, store the key."""
        found = WRITES.match(sql)
        if found is None or found[1].startswith(BESIDE) or self._stands():
            return execute(sql, params, many, context)
        # A write outside a transaction gets one: the key is never there without what it speaks of.
        with transaction.atomic(savepoint=False):
            self._store()
            return execute(sql, params, many, context)

    def _stands(self) -> bool:
        """Whether the key is stored: committed, or written in the transaction that is open now."""
        return self._holds or any(row[1] == self._commit for row in connection.run_on_commit)

    def _commit(self) -> None:
        self._holds = True

    def _store(self) -> None:
        try:
            self.row = Sent.objects.create(key=self.key, digest=self.digest, answer=self.leads[:300])
        except IntegrityError as error:
            raise SentBefore from error
        transaction.on_commit(self._commit)


def leads_to(address: str) -> None:
    """Say inside a write's transaction where its answer leads, if that is not the page that the form stood on."""
    held = _now.get()
    if held is not None and held.row is not None:
        Sent.objects.filter(pk=held.row.pk).update(answer=address[:300])


class OnceMiddleware:
    """Lets the first of several equal forms through, and asks whoever sends another whether it is meant."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer; what was refused leaves no key, so that it may be sent again as it is."""
        token = _now.set(None)
        try:
            with ExitStack() as stack:
                request.once = stack  # type: ignore[attr-defined]
                response = self.get_response(request)
            held = _now.get()
            if held is not None and held.row is not None and 400 <= response.status_code < 500:
                Sent.objects.filter(pk=held.row.pk).delete()
            return response
        finally:
            _now.reset(token)

    def process_view(self, request: HttpRequest, view: Any, args: Any, kwargs: Any) -> HttpResponseBase | None:
        """Ask where the form is stored already; else keep its key ready for the first write."""
        if request.method != "POST" or not request.user.is_authenticated:
            return None
        key = request.POST.get(FIELD, "")
        if not KEY.fullmatch(key):
            return None
        held = _Key(f"{request.user.pk}:{key}", _digest(request), _came_from(request))
        if _stored(held):
            return _ask(request, held)
        _now.set(held)
        request.once.enter_context(connection.execute_wrapper(held))  # type: ignore[attr-defined]
        return None

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """Two came at the same moment, and the other one was stored first."""
        held = _now.get()
        return _ask(request, held) if isinstance(exception, SentBefore) and held is not None else None


def _stored(held: _Key) -> bool:
    return Sent.objects.filter(key=held.key, digest=held.digest).exists()


def _came_from(request: HttpRequest) -> str:
    """The page that the form stood on; the first page where the browser does not say."""
    came = request.headers.get("Referer", "")
    if not url_has_allowed_host_and_scheme(came, {request.get_host()}, request.is_secure()):
        return "/"
    parts = urlsplit(came)
    return f"{parts.path}?{parts.query}" if parts.query else parts.path or "/"


def _ask(request: HttpRequest, held: _Key) -> HttpResponse:
    """Say since when it is stored, and offer to store it a second time under a key of its own."""
    sent = Sent.objects.get(key=held.key, digest=held.digest)
    names = [name for name in request.POST if name not in (FIELD, TOKEN)]
    context = {
        "sent": sent,
        "fields": [(name, value) for name in names for value in request.POST.getlist(name)],
        "files": sorted(request.FILES),
        "secret": any(SECRET.search(name) for name in names),
    }
    return render(request, "web/sent_before.html", context, status=409)


def forget_sent() -> None:
    """Forget the keys of old forms."""
    Sent.objects.filter(at__lt=timezone.now() - KEPT).delete()
