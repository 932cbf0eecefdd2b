"""The guide to all pages."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from rainfront.web.guides import guides


@require_GET
def guide_page(request: HttpRequest) -> HttpResponse:
    """What each page is for, one after the other."""
    return render(request, "web/guide.html", {"guides": guides()})
