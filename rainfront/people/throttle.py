"""Signing in is slowed down per account and per address; what somebody is told who guessed too often."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


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
