"""The logbook's page."""

from __future__ import annotations

from contextlib import suppress

from django.contrib import messages
from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs.models import Job
from rainfront.logbook import actions, presenters
from rainfront.logbook.cards import model_card
from rainfront.logbook.forms import SearchForm
from rainfront.logbook.index import follow_jobs
from rainfront.logbook.models import SavedSearch
from rainfront.logbook.tasks import follow
from rainfront.people.context import signed_in
from rainfront.people.rights import own
from rainfront.web.later import left_lying
from rainfront.workshop.context import shop_of

# How many jobs the page follows itself where nobody else has; the rest is done meanwhile.
AT_ONCE = 5


def logbook(request: HttpRequest) -> HttpResponse:
    """Every job, the newest first; a number leads to its job."""
    shop, user = shop_of(request), signed_in(request)
    form = SearchForm(shop.known, request.GET or None)
    typed = request.GET.get("q", "").strip()
    number = Job.objects.numbered(typed) if typed.startswith("#") else None
    if number is not None:
        return redirect("jobs:record" if number.is_closed else "jobs:bench", number.pk)
    if left_lying(follow):
        # Looking goes on where nothing can be written: what is not followed yet is only not found yet.
        with suppress(DatabaseError):
            follow_jobs(shop, AT_ONCE)
    before = request.GET.get("before", "")
    start = int(before) if before.isdecimal() and len(before) < 12 else None
    asked = form.cleaned_data if form.is_bound and form.is_valid() else {}
    found = presenters.search(asked, shop.known, start) if not form.errors else None
    context = {
        "form": form,
        "found": found,
        "first": start is None,
        "asked": any(value for name, value in asked.items() if name != "q"),
        "saved": SavedSearch.objects.of(user),
        "query": request.GET.urlencode(),
        "waiting": Job.objects.log_is_due().exists(),
    }
    template = "logbook/_found.html" if request.htmx else "logbook/logbook.html"  # type: ignore[attr-defined]
    return render(request, template, context, status=422 if form.errors else 200)


@require_POST
@own
def save(request: HttpRequest) -> HttpResponse:
    """Keep a search under a name."""
    query = request.POST.get("query", "")[:2000]
    try:
        kept = actions.save_search(request.POST.get("name", ""), query, user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        messages.warning(request, str(error))
    else:
        messages.success(request, f"Kept as “{kept.name}”.")
    return redirect(f"{reverse('logbook:logbook')}?{query}")


@require_POST
@own
def forget(request: HttpRequest, pk: int) -> HttpResponse:
    """Remove a search that was kept."""
    actions.remove_search(pk, user=signed_in(request), now=timezone.now())
    return redirect("logbook:logbook")


@require_GET
def models_page(request: HttpRequest) -> HttpResponse:
    """Every model, the most frequent first."""
    query = request.GET.get("q", "")[:80].strip()
    return render(request, "logbook/models.html", {"rows": Job.objects.by_model(query)[:200], "q": query})


@require_GET
def model_page(request: HttpRequest, name: str) -> HttpResponse:
    """Everything that the shop knows of one model."""
    card = model_card(name, shop_of(request), timezone.now())
    if card is None:
        raise Http404
    return render(request, "logbook/model.html", {"card": card})
