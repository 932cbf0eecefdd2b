"""Deciding: routes side by side, the working, quotes, habits."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.fetching import get_job
from rainfront.jobs.forms import AnswerForm, QuoteForm
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.presenters.decide import decide_of
from rainfront.jobs.presenters.quotes import amount_for, follow_amount, quote_rows, quote_words
from rainfront.jobs.presenters.why import why_of
from rainfront.jobs.views.common import basis_of, hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused


@require_GET
def decide_page(request: HttpRequest, pk: int) -> HttpResponse:
    """Routes side by side."""
    return _decide(request, get_job(pk))


def _decide(request: HttpRequest, job: Job, answers: dict[int, Any] | None = None, status: int = 200) -> HttpResponse:
    basis = basis_of(request, job)
    quotes = quote_rows(basis)
    for row in quotes:
        if row.quote.answer == Quote.Answer.OPEN:
            row.form = (answers or {}).get(row.quote.pk) or AnswerForm(prefix=f"q{row.quote.pk}")
    return show_job(request, "jobs/decide.html", job, {"page": decide_of(basis), "quotes": quotes}, status)


@require_GET
def why_page(request: HttpRequest, pk: int) -> HttpResponse:
    """The working behind the suspects and the next step."""
    job = get_job(pk)
    return show_job(request, "jobs/why.html", job, {"page": why_of(basis_of(request, job))})


@posts(Right.PROMISE)
def quote_page(request: HttpRequest, pk: int, route: str) -> HttpResponse:
    """A quote for a route: worked out, in words that may be changed, then kept."""
    job = get_job(pk)
    basis = basis_of(request, job)
    term = basis.core.term(route)
    if term is None:
        raise Http404
    initial: dict[str, Any] = {"amount": amount_for(basis, term), "words": quote_words(basis, term)}
    form = QuoteForm(request.POST if request.method == "POST" else None, initial=initial)
    if form.is_bound and form.is_valid():
        data = form.cleaned_data
        try:
            words = follow_amount(basis, data["words"], initial["amount"], data["amount"])
            actions.make_quote(job, route, data["amount"], words, **hand(request))
            return redirect("jobs:decide", pk)
        except ChargepathError as error:
            refused(form, error)
    context = {"form": form, "route": basis.known.routes[route]}
    return show_job(request, "jobs/quote.html", job, context, 422 if form.errors else 200)


@require_POST
@posts(Right.PROMISE)
def answer(request: HttpRequest, pk: int, quote: int) -> HttpResponse:
    """What the customer said."""
    found = get_object_or_404(Quote, pk=quote, job_id=pk)
    form = AnswerForm(request.POST, prefix=f"q{quote}")
    if form.is_valid():
        try:
            actions.answer_quote(found, request.POST.get("answer", ""), form.cleaned_data["who"], **hand(request))
            return redirect("jobs:decide", pk)
        except ChargepathError as error:
            messages.warning(request, str(error))
            refused(form, error, "who")
    return _decide(request, get_job(pk), {quote: form}, 422)


@require_POST
@posts(Right.MEASURE)
def school(request: HttpRequest, pk: int) -> HttpResponse:
    """Follow a habit on this job."""
    try:
        actions.set_school(pk, request.POST.get("school", ""), **hand(request))
    except ChargepathError as error:
        messages.warning(request, str(error))
    return redirect("jobs:decide", pk)
