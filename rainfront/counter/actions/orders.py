"""Contacts, bills, payments, told when ready, handed over."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any

from django.db import transaction

from chargepath.base.bills import bill_totals
from rainfront.counter.actions.dropoff import give_back
from rainfront.counter.models import BillLine, Extra, Order, Payment, Visit
from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError, Log, open_job
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop

# How a customer pays who takes the device along and pays another day.
LATER = "later"


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


def set_bill(
    job: Job | int,
    lines: Sequence[tuple[str, Decimal]],
    values: Mapping[str, Any] | None = None,
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Order:
    """Store the lines of a bill and, with `values`, its warranty and the two texts of the report.

    With its first lines a bill gets its running number. A bill of 0 has a line as well: it says why it costs nothing.

    Parameters
    ----------
    job : Job or int
    lines : sequence of (str, Decimal)
        What, and how much (money); a discount is negative. None at all: nobody has said yet what it costs.
    values : mapping
        Of `warranty_months`, `terms`, `noted`, `avoid`.

    Raises
    ------
    JobError
        It was handed over already, a line says nothing, or the sum is negative.

    """
    values = values or {}
    for name in ("terms", "noted", "avoid"):
        refuse_unlock_code(str(values.get(name, "")), name)
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = order_for(log)
        if order.handed_at:
            raise JobError("it was handed over already", "bill", "what it cost then stays; note a payment or a refund")
        for name, value in values.items():
            setattr(order, name, value)
        _put_lines(log, order, lines)
        order.save()
    return order


def _put_lines(log: Log, order: Order, lines: Sequence[tuple[str, Decimal]]) -> None:
    """Put lines in place of those that were there, with their sum and its tax."""
    for label, _ in lines:
        if not label.strip():
            raise JobError("a line does not say what it is for", "bill", "as in: labour, port, discount")
        refuse_unlock_code(label, "bill")
    shop, before = Workshop.current(), order.charged
    totals = bill_totals(
        [amount for _, amount in lines], shop.tax_percent, included=shop.tax_included, digits=shop.region.digits
    )
    if totals.gross < 0:
        raise JobError("the bill comes to less than nothing", "bill", "a discount up to what the lines come to")
    order.charged, order.tax = (totals.gross, totals.tax) if lines else (None, Decimal(0))
    order.tax_percent = shop.tax_percent
    if lines and order.number is None:
        order.number = Order.objects.next_number()
    order.lines.all().delete()
    BillLine.objects.bulk_create(BillLine(order=order, label=label.strip(), amount=amount) for label, amount in lines)
    if order.charged != before:
        money = log.shop.region.money
        said = "nothing charged yet" if order.charged is None else f"charged {money(order.charged, cents=True)}"
        log.event(said, "bill")


def collect(
    job: Job | int,
    lines: Sequence[tuple[str, Decimal]],
    values: Mapping[str, Any],
    how: str,
    *,
    back: Collection[str] = (),
    stays: bool = False,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Order:
    """Store the bill, note that the rest of it is paid, and hand the device over: all three are stored, or none.

    Parameters
    ----------
    job : Job or int
    lines, values
        As in `set_bill`.
    how : str
        One of `Payment.How`, or `LATER` where it is paid another day.
    back, stays
        As in `hand_over`.

    Raises
    ------
    JobError
        As its parts do; nothing is stored then.

    """
    with transaction.atomic():
        order = set_bill(job, lines, values, user=user, now=now, shop=shop)
        if how != LATER and order.left > 0:
            pay(job, order.left, how, user=user, now=now, shop=shop)
        return hand_over(job, pays_later=how == LATER, back=back, stays=stays, user=user, now=now, shop=shop)


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


def hand_over(
    job: Job | int,
    *,
    pays_later: bool = False,
    back: Collection[str] = (),
    stays: bool = False,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Order:
    """The device leaves the shop: its warranty begins.

    Parameters
    ----------
    job : Job or int
    pays_later : bool
        What is left is paid another day.
    back : collection of str
        Ids of what came along and goes back now (`DropOff.came_along`).
    stays : bool
        The rest of it stays here, as was said.

    Raises
    ------
    JobError
        The job is not closed, it was handed over already, nobody said what it costs, something is left to be paid and
        nobody said that it is paid later, another order that was agreed is neither done nor taken back, or something
        that came along would stay behind.

    """
    with open_job(job, user, now, shop, closed_too=True, right=Right.PROMISE) as log:
        order = order_for(log)
        if not log.job.is_closed:
            raise JobError("the job is still open", f"job {log.job.pk}", "close it first")
        if order.handed_at:
            raise JobError("it was handed over already", f"job {log.job.pk}", "nothing to do")
        if order.charged is None:
            raise JobError("nobody said what it costs", "charged", "0 where it costs nothing")
        left = log.shop.region.money(order.left, cents=True)
        if order.left > 0 and not pays_later:
            raise JobError(f"{left} is still to be paid", "paid", "note the payment, or say that it is paid later")
        undone = ", ".join(row.label for row in Extra.objects.agreed_on(log.job.pk))
        if undone:
            raise JobError(f"agreed and not done yet: {undone}", "other orders", "say that it is done, or not wanted")
        give_back(log, back, stays)
        order.handed_at, order.handed_by = now, user
        order.save(update_fields=["handed_at", "handed_by"])
        log.event(f"handed over; {left} to be paid later" if order.left > 0 else "handed over", "handed")
    return order
