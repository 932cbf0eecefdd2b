"""What the counter's page of a job shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from chargepath.base.bills import bill_totals
from chargepath.base.sentences import inside
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.counter.billing import covered_at, extra_rows, rate_words, until_of
from rainfront.counter.everywhere import Mention
from rainfront.counter.models import DropOff, Extra, Order, Visit
from rainfront.jobs.adapters import own_repairs
from rainfront.jobs.judging import judgement_for
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.presenters.words import outcome_words
from rainfront.people.models import Workshop
from rainfront.web.words import money
from rainfront.workshop.adapters import Shop

# How many other orders of a model are looked at, and how many of them are offered again.
LOOKED_AT = 60
OFFERED = 6


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
class ExtraRow:
    """Another order on the device as a page shows it: its amount, and the states that a press can give it."""

    extra: Extra
    amount: str
    next: Sequence[tuple[str, str]]


def extras_of(job: Job, shop: Shop) -> list[ExtraRow]:
    """Other orders on the same device, in the order in which they were asked for."""
    digits, words = shop.region.digits, dict(Extra.State.choices)
    return [
        ExtraRow(
            row,
            money(row.amount(shop.rate_per_hour, digits), shop.region, cents=True),
            [(state, str(words[state])) for state in Extra.State.values if state != row.state],
        )
        for row in Extra.objects.of_job(job.pk)
    ]


def remembered_extras(job: Job, shop: Shop) -> list[ExtraRow]:
    """Extra orders to offer for this device: what other devices of its model had, without what it has already."""
    here = {row.label.casefold() for row in Extra.objects.of_job(job.pk)}
    digits = shop.region.digits
    rows: dict[str, ExtraRow] = {}
    for row in Extra.objects.like(job.model_name, job.pk)[:LOOKED_AT]:
        if row.label.casefold() not in here | rows.keys():
            amount = money(row.amount(shop.rate_per_hour, digits), shop.region, cents=True)
            rows[row.label.casefold()] = ExtraRow(row, amount, ())
    return list(rows.values())[:OFFERED]


@dataclass(frozen=True)
class Ledger:
    """What a device of the shop's own has cost so far, what it sells for, and what is left of that, as money.

    `loses`: more went into it than it sells for.
    """

    bought: str
    repair: str
    others: str
    total: str
    sells: str
    left: str
    loses: bool


def ledger_of(job: Job, shop: Shop, order: Order | None) -> Ledger | None:
    """The ledger of a device of the shop's own, None for a customer's; work is reckoned at the shop's rate."""
    if job.bought_for is None:
        return None
    repair = Decimal(str(round(judgement_for(job, None, shop).core.spent, 2)))
    others = sum((row.amount for row in extra_rows(job, shop)), Decimal(0))
    sells = order.charged if order and order.charged is not None else job.value
    total = job.bought_for + repair + others

    def said(amount: Decimal) -> str:
        return money(amount, shop.region, cents=True)

    return Ledger(
        bought=said(job.bought_for),
        repair=said(repair),
        others=said(others) if others else "",
        total=said(total),
        sells=said(sells),
        left=said(sells - total),
        loses=sells < total,
    )


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
    came_along: Mapping[str, str]
    extras: Sequence[ExtraRow]
    remembered: Sequence[ExtraRow]
    ledger: Ledger | None


def earlier_of(job: Job, shop: Shop) -> Earlier | None:
    """The job that this one comes back from, as it was left."""
    return was_here(job.came_from, shop, job.taken_in_at) if job.came_from else None


def was_here(first: Job, shop: Shop, again: datetime) -> Earlier:
    """Faults, repairs, proofs, cost and warranty of a closed job whose device is back since `again`."""
    known = shop.known_for(first.model_name).worded(first.carrier)
    order = Order.objects.of_job(first.pk)
    until = until_of(order)
    repaired = [inside(known.routes[row.name].label) for row in own_repairs(first) if row.name not in NO_REPAIR]
    proofs = first.proofs.filter(works=True).count()
    return Earlier(
        job=first,
        faults=outcome_words(first, known).rstrip("."),
        done=list(dict.fromkeys(repaired)),
        proved=f"proved {['not by items', 'once', 'twice'][min(proofs, 2)]}",
        cost=money(order.charged, shop.region, cents=True) if order and order.charged is not None else "not noted",
        warranty=f"warranty until {shop.region.at(until, 'date')}" if until else "no warranty noted",
        covered=covered_at(first.pk, again),
    )


def order_page(job: Job, shop: Shop, now: datetime) -> OrderPage:
    """Work the page out."""
    order: Order | None = Order.objects.of_job(job.pk)
    visit = order.visit if order else None
    region = shop.region
    known = shop.known_for(job.model_name).worded(job.carrier)
    siblings = []
    if visit is not None:
        for row in Order.objects.of_visit(visit.pk):
            if row.job_id != job.pk:
                cost = money(row.charged, region, cents=True) if row.charged is not None else "not said yet"
                siblings.append(Sibling(row.job, cost, money(row.paid, region, cents=True)))
    paid = order.paid if order else Decimal(0)
    charged = order.charged if order else None
    until = until_of(order)
    noted = DropOff.objects.of_job(job.pk)
    return OrderPage(
        order=order,
        visit=visit,
        siblings=siblings,
        charged=money(charged, region, cents=True) if charged is not None else "",
        paid=money(paid, region, cents=True),
        left=money(order.left if order else Decimal(0), region, cents=True),
        warranty=f"until {region.at(until, 'date')}" if until else "",
        quotes=[(row, known.routes[row.route].label) for row in Quote.objects.for_job(job.pk)],
        earlier=earlier_of(job, shop),
        same=job.same_trouble,
        extras=extras_of(job, shop),
        remembered=[] if job.is_closed else remembered_extras(job, shop),
        ledger=ledger_of(job, shop, order),
        came_along=noted.came_along if noted else {},
        came_back_as=list(Job.objects.returned_from(job.pk)),
    )


@dataclass(frozen=True)
class TotalWords:
    """What a bill comes to, as it is written; `tax` is '' where there is none."""

    net: str
    tax: str
    tax_label: str
    gross: str


def totals_of(amounts: Sequence[Decimal], shop: Shop) -> TotalWords:
    """Add lines up by the tax of the shop."""
    here, region = Workshop.current(), shop.region
    found = bill_totals(amounts, here.tax_percent, included=here.tax_included, digits=region.digits)
    return TotalWords(
        net=money(found.net, region, cents=True),
        tax=money(found.tax, region, cents=True) if here.tax_percent else "",
        tax_label=f"{here.tax_name or 'Tax'} {rate_words(here.tax_percent, region)} %",
        gross=money(found.gross, region, cents=True),
    )


@dataclass(frozen=True)
class OwedRow:
    """One bill that is not paid whole: since when, and how much."""

    order: Order
    charged: str
    left: str
    since: datetime
    days: int


@dataclass(frozen=True)
class Owed:
    """What is left to be paid, and all of it together."""

    rows: Sequence[OwedRow]
    together: str


def owed(shop: Shop, now: datetime) -> Owed:
    """Every closed job on which something is left to be paid; its age counts from when it was collected, or closed."""
    region, rows, total = shop.region, [], Decimal(0)
    for order in Order.objects.owed():
        since = order.handed_at or order.job.closed_at
        left = order.charged - order.got
        total += left
        charged = money(order.charged, region, cents=True)
        rows.append(OwedRow(order, charged, money(left, region, cents=True), since, (now - since).days))
    return Owed(rows, money(total, region, cents=True))


@dataclass(frozen=True)
class NamedRow:
    """One kind of text in which a customer is named: how many there are, and how many hang on others' jobs."""

    what: str
    count: int
    elsewhere: int


@dataclass(frozen=True)
class Named:
    """Where a customer is named."""

    rows: Sequence[NamedRow]
    total: int


# What people call the rows of a table that they do not see by its own name.
TABLES = {
    "jobs.Job": "jobs",
    "jobs.Entry": "lines of logs",
    "jobs.Repair": "repairs",
    "jobs.Quote": "quotes",
    "work.StepRun": "steps",
    "work.Screw": "screws",
    "inside.Photo": "photos",
    "inside.Mark": "marks on photos",
    "inside.Sheet": "probe sheets",
    "instruments.Record": "records and their files",
    "instruments.Draft": "records that are not stored yet",
    "counter.Visit": "contacts",
    "counter.Order": "bills",
    "counter.BillLine": "lines of bills",
    "logbook.SavedSearch": "kept searches",
    "stock.Move": "movements of parts",
    "stock.Donor": "boards for parts",
    "heat.HotAir": "hot-air stations",
}


def named_in(places: Sequence[Mention]) -> Named:
    """Where a customer is named, by kind of text; what is only made from jobs is not counted."""
    found: dict[str, list[Mention]] = {}
    for place in places:
        if not place.is_made:
            label = place.row[0]
            found.setdefault(TABLES.get(label, label.split(".")[-1].lower()), []).append(place)
    rows = [NamedRow(what, len(rows), sum(not place.own for place in rows)) for what, rows in sorted(found.items())]
    return Named(rows, sum(row.count for row in rows))
