"""Models that the shop has had, and the card of each."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rainfront.jobs.models import Job
from rainfront.jobs.presenters.models import model_card
from rainfront.workshop.context import shop_of


@require_GET
def models_page(request: HttpRequest) -> HttpResponse:
    """Every model, the most frequent first."""
    query = request.GET.get("q", "")[:80].strip()
    return render(request, "jobs/models.html", {"rows": Job.objects.by_model(query)[:200], "q": query})


@require_GET
def model_page(request: HttpRequest, name: str) -> HttpResponse:
    """Everything that the shop knows of one model."""
    card = model_card(name, shop_of(request), timezone.now())
    if card is None:
        raise Http404
    return render(request, "jobs/model.html", {"card": card})
