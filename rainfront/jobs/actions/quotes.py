"""Quotes: made in words, answered by the customer, noted with amount, who and when."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from rainfront.jobs.models import Job, Quote
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop


def make_quote(
    job: Job | int,
    route: str,
    amount: Decimal,
    words: str,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Quote:
    """Keep a quote for a route.

    Raises
    ------
    JobError
        The job is closed, the route unknown, the amount impossible, or no words.

    """
    if not 0 <= amount <= 100_000:
        raise JobError(f"{amount} cannot be quoted", "amount", "0 to 100,000")
    if not words.strip():
        raise JobError("the quote says nothing", "words", "say what is done and what the customer must know")
    refuse_unlock_code(words, "words")
    with open_job(job, user, now, shop, right=Right.PROMISE) as log:
        found = log.shop.known.routes.get(route)
        if found is None:
            raise JobError(f"'{route}' is no repair", "route", "choose one on the page")
        quote = Quote.objects.create(
            job=log.job, route=route, amount=amount, words=words.strip()[:3000], by=user, at=now
        )
        log.event(f"quoted {log.shop.region.money(amount, cents=True)} for {found.label}", "quote")
    return quote


def answer_quote(
    quote: Quote, answer: str, answered_by: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Quote:
    """Note what the customer said to a quote.

    Raises
    ------
    JobError
        It was answered already, the answer is none, or nobody is named.

    """
    if answer not in (Quote.Answer.APPROVED, Quote.Answer.DECLINED):
        raise JobError(f"'{answer}' is no answer", "answer", "approved or declined")
    if not answered_by.strip():
        raise JobError("say who answered", "who", "initials or role")
    refuse_unlock_code(answered_by, "who")
    with open_job(quote.job_id, user, now, shop, right=Right.PROMISE) as log:
        quote = Quote.objects.select_for_update().get(pk=quote.pk)
        if quote.answer != Quote.Answer.OPEN:
            raise JobError("this quote was answered already", "quote", "make a new one")
        quote.answer, quote.answered_by, quote.answered_at, quote.noted_by = answer, answered_by.strip()[:40], now, user
        quote.save()
        others = [route for route in log.job.refused if route != quote.route]
        log.change(refused=[*others, quote.route] if answer == Quote.Answer.DECLINED else others)
        log.settle()
        label = log.known.routes[quote.route].label
        amount = log.shop.region.money(quote.amount, cents=True)
        log.event(f"{amount} for {label} {quote.get_answer_display()} by {quote.answered_by}", "answer")
    return quote


def set_school(job: Job | int, school: str, *, user: User, now: datetime, shop: Shop | None = None) -> Job:
    """Follow a habit on this job, or none ('none'), or the shop's own ('').

    Raises
    ------
    JobError
        There is no such habit.

    """
    with open_job(job, user, now, shop) as log:
        schools = log.shop.known.schools
        if school not in ("", "none", *schools):
            raise JobError(f"'{school}' is no habit", "habit", f"one of {', '.join(schools)}")
        log.change(school=school)
        log.event(f"follows: {schools[school].label if school in schools else 'the advice'}", "school")
    return log.job
