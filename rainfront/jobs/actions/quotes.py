"""Quotes: made in words, answered by the customer, noted with amount, who and when."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from django.db import transaction

from rainfront.jobs.actions.log import JobError, lock, refuse_unlock_code, require_open, write
from rainfront.jobs.adapters import knowledge
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.people.models import User


def make_quote(job: Job, route: str, amount: Decimal, words: str, *, user: User, now: datetime) -> Quote:
    """Keep a quote for a route.

    Raises
    ------
    JobError
        The job is closed, the route unknown, the amount impossible, or no words.

    """
    if route not in knowledge().routes:
        raise JobError(f"'{route}' is no repair", "route", "choose one on the page")
    if not 0 <= amount <= 100_000:
        raise JobError(f"{amount} cannot be quoted", "amount", "0 to 100,000")
    if not words.strip():
        raise JobError("the quote says nothing", "words", "say what is done and what the customer must know")
    refuse_unlock_code(words, "words")
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        quote = Quote.objects.create(job=job, route=route, amount=amount, words=words.strip()[:3000], by=user, at=now)
        label = knowledge().routes[route].label
        write(job, Entry.EntryKind.EVENT, f"quoted {amount:,.2f} for {label}", user=user, now=now, name="quote")
    return quote


def answer_quote(quote: Quote, answer: str, answered_by: str, *, user: User, now: datetime) -> Quote:
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
    with transaction.atomic():
        job = lock(quote.job)
        require_open(job)
        quote = Quote.objects.select_for_update().get(pk=quote.pk)
        if quote.answer != Quote.Answer.OPEN:
            raise JobError("this quote was answered already", "quote", "make a new one")
        quote.answer, quote.answered_by, quote.answered_at, quote.noted_by = answer, answered_by.strip()[:40], now, user
        quote.save()
        label = knowledge().routes[quote.route].label
        text = f"{quote.amount:,.2f} for {label} {quote.get_answer_display()} by {quote.answered_by}"
        write(job, Entry.EntryKind.EVENT, text, user=user, now=now, name="answer")
    return quote


def set_school(job: Job, school: str, *, user: User, now: datetime) -> Job:
    """Follow a habit on this job, or none ('none'), or the shop's own ('').

    Raises
    ------
    JobError
        There is no such habit.

    """
    if school not in ("", "none", *knowledge().schools):
        raise JobError(f"'{school}' is no habit", "habit", f"one of {', '.join(knowledge().schools)}")
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        job.school = school
        job.save(update_fields=["school"])
        label = knowledge().schools[school].label if school in knowledge().schools else "the advice"
        write(job, Entry.EntryKind.EVENT, f"follows: {label}", user=user, now=now, name="school")
    return job
