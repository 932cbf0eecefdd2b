"""The counter's page of a job: contact, bill, payments, told, handed over, where it comes back from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions
from rainfront.counter.billing import BillRow, lines_for, suggested
from rainfront.counter.forms import (
    BillForm,
    BillLines,
    ContactForm,
    ExtraForm,
    JoinForm,
    PaymentForm,
    ReturnForm,
    bound,
)
from rainfront.counter.messages import ready_words
from rainfront.counter.models import Extra, Order, Payment
from rainfront.counter.presenters import order_page as page_of
from rainfront.counter.presenters import owed, totals_of
from rainfront.jobs.actions import link_return
from rainfront.jobs.fetching import get_job
from rainfront.jobs.views.common import hand, show_job
from rainfront.people.rights import Right, posts
from rainfront.web.forms import refused
from rainfront.workshop.context import shop_of


@posts(Right.TAKE_IN)
def order_page(request: HttpRequest, job: int) -> HttpResponse:
    """Everything that the counter does with a job, each with its own button."""
    owner, shop = get_job(job), shop_of(request)
    page = page_of(owner, shop, timezone.now())
    order = page.order or Order(job=owner)
    trouble = {True: "same", False: "new", None: ""}[owner.same_trouble]
    stored = [(row.label, row.amount) for row in order.lines.all()] if order.pk else []
    billed = lines_for(owner, shop, page.order)
    lines = _lines(request, billed, stored)
    words = suggested(owner, shop, page.order)
    bill = "collect" if request.POST.get("act") == "collect" else "bill"
    forms: dict[str, Any] = {
        "contact": bound(ContactForm, request, "contact", instance=page.visit),
        bill: bound(BillForm, request, bill, instance=order, initial=words),
        "pay": bound(PaymentForm, request, "pay", initial={"amount": page.order.left if page.order else None}),
        "join": bound(JoinForm, request, "join"),
        "extra": bound(ExtraForm, request, "extra"),
        "back": bound(ReturnForm, request, "back", initial={"first": owner.came_from_id, "trouble": trouble}),
    }
    error = ""
    if request.method == "POST":
        act = request.POST.get("act", "")
        form = forms.get(act)
        if (form is None or form.is_valid()) and (act != bill or lines.is_valid()):
            try:
                _acts(request, job, form, lines)[act]()
                return redirect("counter:order", job)
            except ChargepathError as problem:
                if form is None:
                    error = str(problem)
                else:
                    refused(form, problem)
            except KeyError:
                error = "That is nothing that can be done here."
    wrong = lines.is_bound and not lines.is_valid()
    status = 422 if error or wrong or any(form.errors for form in forms.values()) else 200
    context = {
        "page": page,
        "forms": {**forms, "bill": forms[bill]},
        "lines": lines,
        "billed": billed,
        "totals": totals_of(_amounts(lines), shop),
        "ways": Payment.How.choices,
        "ready": ready_words(page.order, shop.region) if page.order and owner.is_closed else "",
        "error": error,
        "back": request.POST.getlist("back"),
        "stays": request.POST.get("stays"),
    }
    return show_job(request, "counter/order.html", owner, context, status)


def _lines(request: HttpRequest, shown: Sequence[BillRow], stored: Sequence[tuple[str, Decimal]]) -> Any:
    """The lines of the bill: as they were sent, else as they are or begin."""
    sent = request.method == "POST" and request.POST.get("act") in ("bill", "collect")
    initial = [{"label": row.label, "amount": row.amount} for row in shown]
    made: Any = BillLines
    return made(request.POST, stored=stored) if sent else made(initial=initial, stored=stored)


def _amounts(lines: Any) -> list[Decimal]:
    """What stands in the lines, as far as it can be read."""
    if not lines.is_bound:
        return [row["amount"] for row in lines.initial]
    return [row.cleaned_data["amount"] for row in lines.forms if row.is_valid() and row.cleaned_data.get("amount")]


@require_GET
def total(request: HttpRequest, job: int) -> HttpResponse:
    """What the lines of a bill come to while they are typed, as a fragment."""
    lines = BillLines(request.GET)
    return render(request, "counter/_total.html", {"totals": totals_of(_amounts(lines), shop_of(request))})


@require_GET
def owed_page(request: HttpRequest) -> HttpResponse:
    """What is left to be paid on closed jobs, the oldest first."""
    return render(request, "counter/owed.html", {"page": owed(shop_of(request), timezone.now())})


def _extra(request: HttpRequest, **of: Any) -> Extra:
    """The other order that a button belongs to."""
    asked = request.POST.get("extra", "")
    found: Extra = get_object_or_404(Extra, pk=int(asked) if asked.isascii() and asked.isdigit() else 0, **of)
    return found


def _again(request: HttpRequest, job: int) -> Extra:
    """An order of another device, added to this one with its minutes and its part."""
    before = _extra(request)
    return actions.add_extra(job, before.label, before.minutes, before.part, **hand(request))


def _acts(request: HttpRequest, job: int, form: Any, lines: Any) -> dict[str, Callable[[], Any]]:
    """What each button does."""
    by, data = hand(request), form.cleaned_data if form is not None else {}
    how = request.POST.get("how", "")
    going: dict[str, Any] = {"back": request.POST.getlist("back"), "stays": request.POST.get("stays") == "yes"}
    return {
        "contact": lambda: actions.set_contact(job, data["name"], data["phone"], data["mail"], **by),
        "bill": lambda: actions.set_bill(job, lines.rows, data, **by),
        "collect": lambda: actions.collect(job, lines.rows, data, how, **going, **by),
        "pay": lambda: actions.pay(job, data["amount"], data["how"], **by),
        "join": lambda: actions.join_visit(job, data["other"], **by),
        "back": lambda: link_return(job, data["first"], data["trouble"], **by),
        "extra": lambda: actions.add_extra(job, data["label"], int(data["minutes"]), data["part"] or Decimal(0), **by),
        "extra_again": lambda: _again(request, job),
        "extra_state": lambda: actions.set_extra(_extra(request, job_id=job), how, **by),
        "told": lambda: actions.tell_ready(job, how, **by),
        "hand": lambda: actions.hand_over(job, pays_later=how == actions.LATER, **going, **by),
    }
