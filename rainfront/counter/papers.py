"""Papers for customers in plain words: the same content for the page, the sheet and the narrow slip."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from django.utils import timezone

from chargepath.base.dates import warranty_until
from chargepath.base.sentences import begin, inside
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import NO_REPAIR
from rainfront.counter.billing import rate_words
from rainfront.counter.dropoff import Signature, agreed_words, outline_of
from rainfront.counter.models import DropOff, Order
from rainfront.inside.models import Photo
from rainfront.jobs.adapters import device_of, evidence_before_repairs, evidence_of, own_repairs
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.jobs.presenters.bench import marks_before
from rainfront.jobs.presenters.words import customer_sentences
from rainfront.people.models import Workshop
from rainfront.proof.proving import proofs_passed
from rainfront.web.regional import Region
from rainfront.web.scenes import path_marks
from rainfront.web.words import money
from rainfront.workshop.adapters import Shop

SHOWN_SIGNS = 6
SHOWN_PHOTOS = 4


@dataclass(frozen=True)
class Block:
    """One part of a paper; `body` is what it shows.

    `kind` is heading, text, rows, list, path, overlay, outline, photos, sign, strokes or label.
    """

    kind: str
    body: Any


@dataclass(frozen=True)
class BagLabel:
    """What is cut off a receipt for the bag: job number, lines about the device, and the address in its code."""

    number: int
    lines: Sequence[str]
    address: str

    @property
    def svg(self) -> str:
        """The code as inline SVG, black on white at any size."""
        import segno

        return str(segno.make(self.address, error="m").svg_inline(scale=3, border=2, light="#fff", dark="#000"))


def bag_label(job: Job, region: Region, address: str) -> BagLabel:
    """The label of a job: its model, whose it is by initials, when it is promised."""
    promised = [f"for {region.at(job.promised_at, 'promised')}"] if job.promised_at else []
    return BagLabel(job.pk, [job.model_name, job.customer, *promised], address)


@dataclass(frozen=True)
class Paper:
    """A paper for a customer.

    Attributes
    ----------
    kind : str
        report, quote, receipt or drop-off.
    title : str
    shop, address : str
    about : sequence of (label, value)
        What it is about: number, device, dates.
    blocks : sequence of Block
    at : datetime

    """

    kind: str
    title: str
    shop: str
    address: str
    about: Sequence[tuple[str, str]]
    blocks: Sequence[Block]
    at: datetime
    name: str = ""


FORMS = ("a4", "slip")


def day(value: datetime) -> str:
    """A day as it is written on papers, where the shop is."""
    return Workshop.current().region.at(value, "date")


def _about(job: Job) -> list[tuple[str, str]]:
    rows = [("Job", str(job.pk)), ("Device", job.model_name)]
    if job.serial:
        rows.append(("Serial number", job.serial))
    rows.append(("Received", day(job.taken_in_at)))
    if job.closed_at:
        rows.append(("Finished", day(job.closed_at)))
    return rows


def _paper(kind: str, title: str, job: Job, blocks: Sequence[Block], now: datetime) -> Paper:
    shop = Workshop.current()
    return Paper(
        kind=kind,
        title=title,
        shop=shop.name,
        address=shop.address,
        about=_about(job),
        blocks=blocks,
        at=now,
        name=f"{kind}-{job.pk}",
    )


def report_paper(job: Job, shop: Shop, overlay: Any, now: datetime) -> Paper:
    """What was wrong and how that is known, what was done, its cost, what else was seen, what to avoid, warranty."""
    known, order = shop.known_for(job.model_name).worded(job.carrier), Order.objects.of_job(job.pk)
    blocks = [Block("heading", "What you told us"), Block("text", job.complaint)]
    blocks += [Block("heading", "What was wrong"), *_wrong(job, known)]
    signs = _how_known(job, known)
    if signs:
        blocks += [Block("text", "That is known from what was measured and seen:"), Block("list", signs)]
    blocks += _pictures(job, shop, overlay)
    blocks += [Block("heading", "What was done"), Block("list", _done(job, known))]
    mishaps = _mishaps(job, known)
    if mishaps:
        blocks += [Block("text", "What went wrong on the way, under our hands:"), Block("list", mishaps)]
    shown = _shown(job, shop)
    if shown:
        blocks += [Block("text", shown)]
    if order is not None:
        blocks += _order_blocks(order, shop)
    return _paper("report", "Repair report" if job.outcome_works else "Report", job, blocks, now)


def _wrong(job: Job, known: Knowledge) -> list[Block]:
    plain = [known.aftercare[name].plain for name in job.outcome_faults if name in known.aftercare]
    if not plain and job.is_closed and job.outcome_works:
        plain = ["Nothing was found broken; the device charges as it should."]
    if not plain:
        plain = ["It is not known for sure yet." if not job.is_closed else "It could not be found for sure."]
    return [Block("text", " ".join(plain))]


def _how_known(job: Job, known: Knowledge) -> list[str]:
    """Sentences for what was off before this bench repaired anything; of each check the newest reading counts."""
    found: dict[str, list[str]] = {}
    for row in evidence_before_repairs(job):
        if row.kind == Entry.EntryKind.CHECK:
            found[row.name] = customer_sentences(row, device_of(job), known)
    return list(dict.fromkeys(said for rows in found.values() for said in rows))[:SHOWN_SIGNS]


def _pictures(job: Job, shop: Shop, overlay: Any) -> list[Block]:
    known, device = shop.known.worded(job.carrier), device_of(job)
    absent = known.absent_stations(device.carrier)
    stations = {name: label for name, label in known.customer.stations.items() if name not in absent}
    before = marks_before(job, known)
    after: dict[str, str] = {}
    for _, result in proofs_passed(job, shop):
        after |= result.stations()
    blocks = []
    if before or after:
        rows = [("before", before), ("after", after)]
        blocks.append(Block("path", path_marks.draw(stations, rows)))
    if overlay is not None:
        blocks += [Block("text", f"Charging current. {overlay.title}"), Block("overlay", overlay)]
    return blocks


def _done(job: Job, known: Knowledge) -> list[str]:
    out = []
    used = {row.entry_id: row.used for row in job.repairs.all()}
    for row in own_repairs(job):
        if row.name in NO_REPAIR:
            continue
        label = known.customer.done[row.name]
        with_what = f" ({used[row.pk]})" if used.get(row.pk) else ""
        out.append(f"{label}{with_what}{'' if row.works else ', which did not bring it back'}.")
    return out or ["Nothing was repaired."]


def _mishaps(job: Job, known: Knowledge) -> list[str]:
    """What went wrong under the shop's own hands, for the customer to know."""
    rows = [row for row in evidence_of(job) if row.kind == Entry.EntryKind.MISHAP]
    return list(dict.fromkeys(known.mishaps[row.name].plain for row in rows))


def _shown(job: Job, shop: Shop) -> str:
    """What the proofs have shown, in one sentence."""
    parts = []
    for proof, result in proofs_passed(job, shop):
        met = sum(mark.met is True for mark in result.items)
        left = [inside(mark.item.label) for mark in result.items if mark.left_out]
        words = "before the device was closed" if proof.phase == "open" else "at the end"
        parts.append(f"all {met} tests {words} passed")
        if left:
            parts[-1] += f" (not tested: {', '.join(left)})"
    return begin(f"{'; '.join(parts)}.") if parts else ""


def _order_blocks(order: Order, shop: Shop) -> list[Block]:
    blocks = []
    if order.charged is not None:
        blocks += [
            Block("heading", "What it costs"),
            Block("text", money(order.charged, shop.region, cents=True)),
        ]
    if order.noted:
        blocks += [Block("heading", "What else was seen and left"), Block("text", order.noted)]
    if order.avoid:
        blocks += [Block("heading", "What to avoid"), Block("text", order.avoid)]
    warranty = warranty_words(order)
    if warranty:
        blocks += [Block("heading", "Warranty"), Block("text", f"{warranty} {order.terms}".strip())]
    return blocks


def warranty_words(order: Order) -> str:
    """How long it is warranted, '' for not at all."""
    if not order.warranty_months or not order.job.outcome_works:
        return ""
    months = f"{order.warranty_months} month{'s' if order.warranty_months > 1 else ''}"
    if order.handed_at is None:
        return f"{months} from the day it is handed over."
    until = warranty_until(order.handed_at, order.warranty_months, timezone.get_current_timezone())
    return f"{months}, until {Workshop.current().region.at(until, 'date')}."


def quote_paper(quote: Quote, shop: Shop, now: datetime) -> Paper:
    """A quote as it was kept in the record, word for word."""
    lines = [Block("text", line) for line in quote.words.splitlines() if line.strip()]
    answer = "" if quote.answer == Quote.Answer.OPEN else f"{quote.get_answer_display()} by {quote.answered_by}"
    rows = [("Amount", money(quote.amount, shop.region, cents=True)), ("Quoted", day(quote.at))]
    rows += [("Answer", f"{answer}, {day(quote.answered_at)}")] if answer and quote.answered_at else []
    blocks = [*lines, Block("rows", rows)]
    if not answer:
        blocks.append(Block("sign", "Agreed, date and signature"))
    return _paper("quote", "Quote", quote.job, blocks, now)


def drop_off_paper(job: Job, shop: Shop, now: datetime, address: str) -> Paper:
    """How a device was received: how it looked, what came along, what was told and agreed, when it is promised.

    At its foot is the label for the bag, with a code that holds `address`.
    """
    found = DropOff.objects.of_job(job.pk) or DropOff(job=job, at=job.taken_in_at)
    blocks = [Block("heading", "What you told us"), Block("text", job.complaint), Block("heading", "How it looked")]
    scene = outline_of(job, found.marks)
    blocks.append(Block("outline", scene))
    seen = [mark.words for mark in scene.spots] + ([found.condition] if found.condition else [])
    blocks.append(
        Block("list", [begin(f"{words}.") for words in seen]) if seen else Block("text", "No marks were noted.")
    )
    photos = list(Photo.objects.as_received(job.pk)[:SHOWN_PHOTOS])
    blocks += [Block("photos", photos)] if photos else []
    came = ", ".join(found.came_along.values())
    limit = shop.region.money(job.limit, cents=True) if job.limit is not None else ""
    blocks += [Block("heading", "What came along"), Block("text", begin(f"{came or 'nothing but the device'}."))]
    blocks += [Block("heading", "What was agreed"), Block("text", found.agreed or agreed_words(job, limit))]
    if job.promised_at:
        blocks.append(Block("text", f"Promised for {shop.region.at(job.promised_at, 'promised')}."))
    if found.signed == DropOff.Signed.SCREEN:
        blocks.append(Block("strokes", Signature(found.strokes, f"Signed {shop.region.at(found.at, 'stamp')}")))
    else:
        blocks.append(Block("sign", "Date and signature"))
    blocks.append(Block("label", bag_label(job, shop.region, address)))
    return _paper("drop-off", "Drop-off receipt", job, blocks, now)


def receipt_paper(order: Order, shop: Shop, now: datetime) -> Paper:
    """What one visit cost and how it was paid, over all its devices."""
    orders = list(Order.objects.of_visit(order.visit_id))
    region = shop.region
    rows = [line for row in orders for line in _bill_rows(row, region)]
    total = sum((row.charged or 0 for row in orders), start=Decimal(0))
    paid = sum((row.paid for row in orders), start=Decimal(0))
    rows.append(("Together", money(total, region, cents=True)))
    tax = sum((row.tax for row in orders), start=Decimal(0))
    if tax:
        rates = dict.fromkeys(rate_words(row.tax_percent, region) for row in orders if row.tax)
        label = f"{Workshop.current().tax_name or 'Tax'} {', '.join(rates)} % in it"
        rows.append((label, money(tax, region, cents=True)))
    payments = [payment for row in orders for payment in row.payments.all()]
    for payment in payments:
        word = "Paid" if payment.amount > 0 else "Given back"
        rows.append(
            (f"{word} {day(payment.at)}, {payment.get_how_display()}", money(abs(payment.amount), region, cents=True))
        )
    if payments:
        rows.append(("Still to pay", money(max(total - paid, Decimal(0)), region, cents=True)))
    blocks = [Block("rows", rows)]
    for row in orders:
        words = warranty_words(row)
        if words:
            blocks.append(Block("text", f"Warranty on job {row.job_id}: {words} {row.terms}".strip()))
    return _paper("receipt", "Receipt", order.job, blocks, now)


def _bill_rows(order: Order, region: Region) -> list[tuple[str, str]]:
    """Rows of the receipt for one job: its number, then each line. A bill from before lines has only its sum."""
    number = f"Bill {order.number}: job" if order.number else "Job"
    head = f"{number} {order.job_id}, {order.job.model_name}"
    lines = [(f"\u2003{line.label}", money(line.amount, region, cents=True)) for line in order.lines.all()]
    return [(head, "" if lines else _amount(order, region)), *lines]


def _amount(order: Order, region: Region) -> str:
    return "not said yet" if order.charged is None else money(order.charged, region, cents=True)
