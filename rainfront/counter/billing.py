"""What a job is charged and warranted: what a bill begins with, how long the warranty runs, what it covers."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.utils import timezone

from chargepath.base.dates import in_warranty, warranty_until
from rainfront.counter.models import Order
from rainfront.jobs.adapters import device_of, evidence_of
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.jobs.presenters.words import plain_words
from rainfront.workshop.adapters import Shop


def until_of(order: Order | None) -> date | None:
    """The last day of an order's warranty, None where there is none."""
    if order is None or not order.handed_at or not order.warranty_months:
        return None
    return warranty_until(order.handed_at, order.warranty_months, timezone.get_current_timezone())


def is_covered(job: Job) -> bool | None:
    """Whether the device came back within the warranty of its earlier job; None where it had none."""
    until = until_of(Order.objects.of_job(job.came_from_id)) if job.came_from_id else None
    return in_warranty(until, job.taken_in_at, timezone.get_current_timezone()) if until else None


def suggested(job: Job, shop: Shop, order: Order | None) -> dict[str, object]:
    """What a bill begins with: the agreed quote, what to avoid by what was wrong, what else was seen."""
    if order is not None and order.charged is not None:
        return {}
    known = shop.known_for(job.model_name)
    agreed = Quote.objects.for_job(job.pk).filter(answer=Quote.Answer.APPROVED).first()
    avoid = dict.fromkeys(known.aftercare[name].avoid for name in job.outcome_faults if name in known.aftercare)
    amount: Decimal | None = agreed.amount if agreed else None
    if job.same_trouble and is_covered(job):
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
