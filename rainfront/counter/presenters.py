"""What the counter's page of a job shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal

from django.utils import timezone

from chargepath.base.dates import in_warranty, warranty_until
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.counter.models import Order, Visit
from rainfront.jobs.adapters import device_of, evidence_of, own_repairs
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.jobs.presenters.words import plain_words
from rainfront.web.words import money
from rainfront.workshop.adapters import Shop


@dataclass(frozen=True)
class Sibling:
    """Another device of the same visit."""

    job: Job
    charged: str
    paid: str


@dataclass(frozen=True)
class Earlier:
    """The job that a device comes back from: what was done and proved then, what it cost, whether it is warranted."""

    job: Job
    faults: str
    done: Sequence[str]
    proved: str
    cost: str
    warranty: str
    covered: bool | None


@dataclass(frozen=True)
class OrderPage:
    """Everything on the counter's page of a job."""

    order: Order | None
    visit: Visit | None
    siblings: Sequence[Sibling]
    charged: str
    paid: str
    left: str
    warranty: str
    quotes: Sequence[tuple[Quote, str]]
    earlier: Earlier | None
    same: bool | None
    came_back_as: Sequence[Job]


def suggested(job: Job, shop: Shop, order: Order | None) -> dict[str, object]:
    """What a bill begins with: the agreed quote, what to avoid by what was wrong, what else was seen."""
    if order is not None and order.charged is not None:
        return {}
    known = shop.known_for(job.model_name)
    agreed = Quote.objects.for_job(job.pk).filter(answer=Quote.Answer.APPROVED).first()
    avoid = dict.fromkeys(known.aftercare[name].avoid for name in job.outcome_faults if name in known.aftercare)
    earlier = earlier_of(job, shop)
    amount: Decimal | None = agreed.amount if agreed else None
    if earlier is not None and earlier.covered and job.same_trouble:
        amount = Decimal(0)
    elif not job.outcome_works and job.is_closed:
        amount = amount if amount is not None else Decimal(0)
    return {
        "charged": amount,
        "avoid": order.avoid if order and order.avoid else " ".join(avoid),
        "noted": order.noted if order and order.noted else _left(job, shop),
    }


def _left(job: Job, shop: Shop) -> str:
    """Signs that were seen and belong to none of the faults that were repaired."""
    known, out = shop.known_for(job.model_name), {}
    cured = {known.faults[name].station for name in job.outcome_faults if name in known.faults}
    for row in evidence_of(job):
        if row.kind == Entry.EntryKind.CHECK and known.checks[row.name].is_look:
            said = plain_words(row, device_of(job), known)
            if said.mark not in ("", "good") and known.checks[row.name].station not in cured:
                out[row.name] = f"{said.title}: {said.text}."
            elif row.name in out:
                del out[row.name]
    return " ".join(out.values())


def until_of(order: Order | None) -> date | None:
    """The last day of an order's warranty, None where there is none."""
    if order is None or not order.handed_at or not order.warranty_months:
        return None
    return warranty_until(order.handed_at, order.warranty_months, timezone.get_current_timezone())


def earlier_of(job: Job, shop: Shop) -> Earlier | None:
    """The job that this one comes back from, as it was left."""
    first = job.came_from
    if first is None:
        return None
    known = shop.known_for(first.model_name)
    order = Order.objects.of_job(first.pk)
    until = until_of(order)
    done = [known.routes[row.name].label for row in own_repairs(first) if row.name not in NO_REPAIR]
    proofs = first.proofs.filter(works=True).count()
    covered = in_warranty(until, job.taken_in_at, timezone.get_current_timezone()) if until else None
    return Earlier(
        first,
        ", ".join(known.faults[name].label for name in first.outcome_faults if name in known.faults) or "nothing found",
        done,
        f"proved {['not by items', 'once', 'twice'][min(proofs, 2)]}",
        money(order.charged, shop.region, cents=True) if order and order.charged is not None else "not noted",
        f"warranty until {shop.region.at(until, 'date')}" if until else "no warranty noted",
        covered,
    )


def order_page(job: Job, shop: Shop, now: datetime) -> OrderPage:
    """Work the page out."""
    order: Order | None = Order.objects.of_job(job.pk)
    visit = order.visit if order else None
    region = shop.region
    known = shop.known_for(job.model_name)
    siblings = []
    if visit is not None:
        for row in Order.objects.of_visit(visit.pk):
            if row.job_id != job.pk:
                cost = money(row.charged, region, cents=True) if row.charged is not None else "not said yet"
                siblings.append(Sibling(row.job, cost, money(row.paid, region, cents=True)))
    paid = order.paid if order else Decimal(0)
    charged = order.charged if order else None
    until = until_of(order)
    return OrderPage(
        order,
        visit,
        siblings,
        money(charged, region, cents=True) if charged is not None else "",
        money(paid, region, cents=True),
        money(order.left if order else Decimal(0), region, cents=True),
        f"until {region.at(until, 'date')}" if until else "",
        [(row, known.routes[row.route].label) for row in Quote.objects.for_job(job.pk)],
        earlier_of(job, shop),
        job.same_trouble,
        list(Job.objects.returned_from(job.pk)),
    )
