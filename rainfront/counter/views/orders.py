"""The counter's page of a job: contact, bill, payments, told, handed over, where it comes back from."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions
from rainfront.counter.billing import suggested
from rainfront.counter.forms import BillForm, ContactForm, JoinForm, PaymentForm, ReturnForm, bound
from rainfront.counter.models import Order
from rainfront.counter.presenters import order_page as page_of
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
    forms: dict[str, Any] = {
        "contact": bound(ContactForm, request, "contact", instance=page.visit),
        "bill": bound(BillForm, request, "bill", instance=order, initial=suggested(owner, shop, page.order)),
        "pay": bound(PaymentForm, request, "pay"),
        "join": bound(JoinForm, request, "join"),
        "back": bound(ReturnForm, request, "back", initial={"first": owner.came_from_id, "trouble": trouble}),
    }
    error = ""
    if request.method == "POST":
        form = forms.get(request.POST.get("act", ""))
        if form is None or form.is_valid():
            try:
                _acts(request, job, form)[request.POST.get("act", "")]()
                return redirect("counter:order", job)
            except ChargepathError as problem:
                if form is None:
                    error = str(problem)
                else:
                    refused(form, problem)
            except KeyError:
                error = "That is nothing that can be done here."
    status = 422 if error or any(form.errors for form in forms.values()) else 200
    context = {"page": page, "forms": forms, "error": error}
    return show_job(request, "counter/order.html", owner, context, status)


def _acts(request: HttpRequest, job: int, form: Any) -> dict[str, Callable[[], Any]]:
    """What each button does."""
    by, data = hand(request), form.cleaned_data if form is not None else {}
    how = request.POST.get("how", "")
    return {
        "contact": lambda: actions.set_contact(job, data["name"], data["phone"], data["mail"], **by),
        "bill": lambda: actions.set_bill(job, data, **by),
        "pay": lambda: actions.pay(job, data["amount"], data["how"], **by),
        "join": lambda: actions.join_visit(job, data["other"], **by),
        "back": lambda: actions.link_return(job, data["first"], form.same(), **by),
        "told": lambda: actions.tell_ready(job, how, **by),
        "hand": lambda: actions.hand_over(job, **by),
    }
