"""Deciding: routes side by side, the working, quotes, habits."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions, adapters
from rainfront.jobs.deciding import DecidePresenter, open_quotes
from rainfront.jobs.forms import AnswerForm, QuoteForm
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.presenters import steps_of
from rainfront.jobs.views.common import evidence_of, get_job, school_of
from rainfront.people.context import signed_in, workshop_of


def presenter(request: HttpRequest, job: Job) -> DecidePresenter:
    """The presenter of a job, with the workshop's rate and the habit that is followed."""
    shop = workshop_of(request)
    judged = adapters.judge(job, evidence_of(job), rate=float(shop.hourly_rate) / 60, who=signed_in(request))
    return DecidePresenter(job, judged, shop.currency, shop.hourly_rate, school_of(job, shop))


@require_GET
def decide_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Routes side by side."""
    return _decide(request, get_job(pk))


def _decide(request: HttpRequest, job: Job, answers: dict[int, Any] | None = None, status: int = 200) -> HttpResponse:
    made = presenter(request, job)
    quotes = open_quotes(list(Quote.objects.for_job(job.pk)), dict(made.known.routes), made.currency)
    for row in quotes:
        if row["quote"].answer == Quote.Answer.OPEN:
            row["form"] = (answers or {}).get(row["quote"].pk) or AnswerForm(prefix=f"q{row['quote'].pk}")
    context = {"job": job, "stages": steps_of(job), "page": made.build(), "quotes": quotes}
    return render(request, "jobs/decide.html", context, status=status)


@require_GET
def why_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The working behind the suspects and the next step."""
    job = get_job(pk)
    return render(request, "jobs/why.html", {"job": job, "stages": steps_of(job), **presenter(request, job).why()})


def quote_page(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """A quote for a route: worked out, in words that may be changed, then kept."""
    job = get_job(pk)
    made = presenter(request, job)
    term = next((term for term in made.advice.routes if term.id == route), None)
    if term is None:
        raise Http404
    initial = {"amount": made.amount(term), "words": made.quote_words(term)}
    form = QuoteForm(request.POST if request.method == "POST" else None, initial=initial)
    if form.is_bound and form.is_valid():
        amount: Decimal = form.cleaned_data["amount"]
        try:
            actions.make_quote(
                job, route, amount, form.cleaned_data["words"], user=signed_in(request), now=timezone.now()
            )
            return redirect("jobs:decide", pk)
        except ChargepathError as error:
            form.add_error(None, str(error))
    context = {"job": job, "stages": steps_of(job), "form": form, "route": made.known.routes[route]}
    return render(request, "jobs/quote.html", context, status=422 if form.errors else 200)


@require_POST
def answer(request: HttpRequest, pk: int, quote: int) -> HttpResponse:
    """What the customer said."""
    found = get_object_or_404(Quote.objects.select_related("job"), pk=quote, job_id=pk)
    form = AnswerForm(request.POST, prefix=f"q{quote}")
    if form.is_valid():
        try:
            actions.answer_quote(
                found,
                request.POST.get("answer", ""),
                form.cleaned_data["who"],
                user=signed_in(request),
                now=timezone.now(),
            )
            return redirect("jobs:decide", pk)
        except ChargepathError as error:
            messages.warning(request, str(error))
            form.add_error("who", str(error))
    return _decide(request, get_job(pk), {quote: form}, 422)


@require_POST
def school(request: HttpRequest, pk: int) -> HttpResponse:
    """Follow a habit on this job."""
    try:
        actions.set_school(get_job(pk), request.POST.get("school", ""), user=signed_in(request), now=timezone.now())
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("jobs:decide", pk)
