"""What a job is charged and warranted: what a bill begins with, how long the warranty runs, what it covers."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal

from django.utils import timezone

from chargepath.base.dates import in_warranty, warranty_until
from chargepath.base.sentences import begin, inside
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.counter.models import Extra, Order
from rainfront.jobs.adapters import device_of, evidence_of, own_repairs
from rainfront.jobs.judging import judgement_for, parts_used
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.jobs.presenters.words import customer_sentences
from rainfront.people.models import Workshop
from rainfront.web.regional import Region
from rainfront.workshop.adapters import Shop


@dataclass(frozen=True)
class BillRow:
    """One line of a bill: `label` says what it is for, `amount` what the customer pays for it (money)."""

    label: str
    amount: Decimal


def rate_words(percent: Decimal, region: Region) -> str:
    """The rate of a tax as the shop writes it, without the sign: 23 or 8,875."""
    return f"{percent.normalize():f}".replace(".", region.decimal)


def until_of(order: Order | None) -> date | None:
    """The last day of an order's warranty, None where there is none."""
    if order is None or not order.handed_at or not order.warranty_months:
        return None
    return warranty_until(order.handed_at, order.warranty_months, timezone.get_current_timezone())


def is_covered(job: Job) -> bool | None:
    """Whether the device came back within the warranty of its earlier job; None where it had none."""
    return covered_at(job.came_from_id, job.taken_in_at) if job.came_from_id else None


def covered_at(first_id: int, moment: datetime) -> bool | None:
    """Whether a job's repair is under warranty at a moment; None where the job was given no warranty."""
    until = until_of(Order.objects.of_job(first_id))
    return in_warranty(until, moment, timezone.get_current_timezone()) if until else None


def suggested(job: Job, shop: Shop, order: Order | None) -> dict[str, object]:
    """What the form beside a bill is filled in with: warranty and its terms as the shop has them, and two texts.

    What to avoid follows from the faults that were found; what else was seen are signs that no repair concerned.
    Nothing once a bill was stored: the form then shows what is stored.
    """
    if order is not None and order.charged is not None:
        return {}
    known, here = shop.known_for(job.model_name).worded(job.carrier), Workshop.current()
    avoid = dict.fromkeys(known.aftercare[name].avoid for name in job.outcome_faults if name in known.aftercare)
    return {
        "warranty_months": order.warranty_months if order else here.warranty_months,
        "terms": order.terms if order else here.warranty_terms,
        "avoid": order.avoid if order and order.avoid else " ".join(avoid),
        "noted": order.noted if order and order.noted else _left(job, shop),
    }


def lines_for(job: Job, shop: Shop, order: Order | None) -> list[BillRow]:
    """The lines of a bill as they are stored, or what they begin with.

    A repair that held: each part that was used, and the labour that is left of the quote that was agreed; without one
    the labour that the work stands for. A repair that is warranted, and a device that was not repaired, cost nothing.
    A device of the shop's own is sold for what it is worth.
    Other orders that were done follow.
    """
    if order is not None and order.charged is not None:
        rows = [BillRow(row.label, row.amount) for row in order.lines.all()]
        return rows or [BillRow("Repair", order.charged)]
    also = extra_rows(job, shop)
    if job.same_trouble and is_covered(job):
        return [BillRow("Repair under warranty", Decimal(0)), *also]
    if not job.is_closed:
        return []
    if job.is_own:
        sold = f"{job.model_name}, {'repaired' if job.outcome_works else 'not working'}"
        return [BillRow(sold, job.value if job.outcome_works else Decimal(0)), *also]
    if not job.outcome_works:
        return [BillRow("Looked at, not repaired", Decimal(0)), *also]
    return [*_repaired(job, shop), *also]


def extra_rows(job: Job, shop: Shop) -> list[BillRow]:
    """Other orders on the device that were done, as lines of the bill."""
    done = Extra.objects.of_job(job.pk).filter(state=Extra.State.DONE)
    return [BillRow(begin(row.label), row.amount(shop.rate_per_hour, shop.region.digits)) for row in done]


def _repaired(job: Job, shop: Shop) -> list[BillRow]:
    known = shop.known_for(job.model_name).worded(job.carrier)
    judged = judgement_for(job, None, shop)
    done = [row for row in own_repairs(job) if row.name not in NO_REPAIR]
    held = list(dict.fromkeys(row.name for row in done if row.works))
    used = list(dict.fromkeys(part for name in held for part in parts_used(job, name, shop)))
    parts = [BillRow(f"Part: {inside(known.routes[name].part_called)}", judged.part_price(name)) for name in used]
    parts = [row for row in parts if row.amount]
    agreed = Quote.objects.for_job(job.pk).filter(answer=Quote.Answer.APPROVED).first()
    failed = sum((judged.part_price(row.name) for row in done if not row.works), Decimal(0))
    rate = Decimal(1).scaleb(-shop.region.digits)
    worked = Decimal(str(judged.core.spent)) - failed
    total = agreed.amount if agreed else worked.quantize(Decimal(1), ROUND_HALF_UP).quantize(rate)
    labour = total - sum((row.amount for row in parts), Decimal(0))
    what = ", ".join(inside(known.routes[name].label) for name in held) or "looked at, nothing wrong"
    if labour < 0:
        return [BillRow(begin(what), total)]
    return [BillRow(f"Labour: {what}", labour), *parts]


def _left(job: Job, shop: Shop) -> str:
    """Sentences for the signs that were seen and belong to none of the faults that were repaired."""
    known: Knowledge = shop.known_for(job.model_name).worded(job.carrier)
    out: dict[str, list[str]] = {}
    cured = {known.faults[name].station for name in job.outcome_faults if name in known.faults}
    for row in evidence_of(job):
        if row.kind == Entry.EntryKind.CHECK and known.checks[row.name].is_look:
            found = customer_sentences(row, device_of(job), known)
            out[row.name] = [] if known.checks[row.name].station in cured else found
    return " ".join(dict.fromkeys(said for rows in out.values() for said in rows))
