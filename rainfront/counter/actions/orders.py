"""Contacts, bills, payments, told when ready, handed over."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Any

from rainfront.counter.models import Order, Payment, Visit
from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop


def order_for(log: Log) -> Order:
    """The order of a job that is open for writing, made with a visit of its own where there is none yet."""
    found: Order | None = Order.objects.of_job(log.job.pk)
    if found is None:
        shop = Workshop.current()
        visit = Visit.objects.create(opened_at=log.now)
        found = Order.objects.create(
            job=log.job, visit=visit, warranty_months=shop.warranty_months, terms=shop.warranty_terms
        )
    return found


def set_contact(
    job: Job | int, name: str, phone: str, mail: str, *, user: User, now: datetime, shop: Shop | None = None
) -> Visit:
    """Keep how a customer can be reached; the log says that it was, not what it is.

    Raises
    ------
    UnlockCodeError
        A text seems to hold an unlock code.

    """
    for field, text in (("name", name), ("mail", mail)):
        refuse_unlock_code(text, field)
    with open_job(job, user, now, shop, closed_too=True, right=Right.TAKE_IN) as log:
        visit = order_for(log).visit
        visit.name, visit.phone, visit.mail, visit.erased_at = name.strip(), phone.strip(), mail.strip(), None
        visit.save()
        log.event("contact noted", "contact")
    return visit


def join_visit(job: Job | int, other: int, *, user: User, now: datetime, shop: Shop | None = None) -> Order:
    """Put a job into the visit of another one: one contact, one receipt.

    Raises
    ------
    JobError
        There is no such job, or it is this one.

    """
    with open_job(job, user, now, shop, closed_too=True, right=Right.TAKE_IN) as log:
        if other == log.job.pk or not Job.objects.filter(pk=other).exists():
            raise JobError(f"there is no other job {other}", "visit", "the number of a job of the same visit")
        with open_job(other, user, now, shop, closed_too=True, right=Right.TAKE_IN) as theirs:
            visit = order_for(theirs).visit
        order = order_for(log)
        left = order.visit
        order.visit = visit
        order.save(update_fields=["visit"])
        if left != visit and not left.orders.exists():
            left.delete()
        log.event(f"same visit as job {other}", "visit")
    return order


def set_bill(job: Job | int, values: dict[str, Any], *, user: User, now: datetime, shop: Shop | None = None) -> Order:
    """Say what is charged, how long it is warranted, what else was seen, what to avoid.

    Parameters
    ----------
    values : dict
        Of `charged`, `warranty_months`, `terms`, `noted`, `avoid`.

    Raises
    ------
    JobError
        It was handed over already.

    """
    for name in ("terms", "noted", "avoid"):
        refuse_unlock_code(str(values.get(name, "")), name)
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = order_for(log)
        if order.handed_at:
            raise JobError("it was handed over already", "bill", "what it cost then stays; note a payment or a refund")
        before = order.charged
        for name, value in values.items():
            setattr(order, name, value)
        order.save()
        if order.charged != before:
            money = log.shop.region.money
            said = "nothing charged yet" if order.charged is None else f"charged {money(order.charged, cents=True)}"
            log.event(said, "bill")
    return order


def pay(job: Job | int, amount: Decimal, how: str, *, user: User, now: datetime, shop: Shop | None = None) -> Payment:
    """Note a payment; a negative one was given back.

    Raises
    ------
    JobError
        Nothing was paid, more was given back than paid, or nobody pays that way.

    """
    if how not in Payment.How.values:
        raise JobError(f"'{how}' is no way to pay", "how", ", ".join(Payment.How.values))
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = order_for(log)
        if not amount or order.paid + amount < 0:
            raise JobError(f"{amount} cannot be paid", "amount", "what was paid, or less than that given back")
        made: Payment = Payment.objects.create(order=order, amount=amount, how=how, by=user, at=now)
        sum_paid = log.shop.region.money(abs(amount), cents=True)
        log.event(f"{'paid' if amount > 0 else 'given back'} {sum_paid} {made.get_how_display()}", "pay")
    return made


def tell_ready(job: Job | int, how: str, *, user: User, now: datetime, shop: Shop | None = None) -> Order:
    """Note that the customer was told that it is ready; nothing is sent by this.

    Raises
    ------
    JobError
        The job is not closed yet, or nobody is told that way.

    """
    if how not in Order.Told.values:
        raise JobError(f"'{how}' tells nobody", "how", ", ".join(Order.Told.values))
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        if not log.job.is_closed:
            raise JobError("it is not ready yet", f"job {log.job.pk}", "close the job first")
        order = order_for(log)
        order.told_at, order.told_how = now, how
        order.save(update_fields=["told_at", "told_how"])
        log.event(f"told that it is ready, {order.get_told_how_display()}", "told")
    return order


def hand_over(job: Job | int, *, user: User, now: datetime, shop: Shop | None = None) -> Order:
    """The device leaves the shop: its warranty begins.

    Raises
    ------
    JobError
        The job is not closed, it was handed over already, or nobody said what it costs.

    """
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = order_for(log)
        if not log.job.is_closed:
            raise JobError("the job is still open", f"job {log.job.pk}", "close it first")
        if order.handed_at:
            raise JobError("it was handed over already", f"job {log.job.pk}", "nothing to do")
        if order.charged is None:
            raise JobError("nobody said what it costs", "charged", "0 where it costs nothing")
        order.handed_at, order.handed_by = now, user
        order.save(update_fields=["handed_at", "handed_by"])
        log.event("handed over", "handed")
    return order
