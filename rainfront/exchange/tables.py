"""Everything as tables for a spreadsheet or another program: one heading with its unit a column."""

from __future__ import annotations

import csv
import json
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from chargepath.base.cells import written_cell
from chargepath.learning.betas import LearnedNumber
from rainfront.cell.models import CellRun
from rainfront.counter.models import Order
from rainfront.heat.models import Melted
from rainfront.inside.models import Point
from rainfront.insights.models import EndedJob, RepairedJob
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.reference.models import GoodReading
from rainfront.stock.models import Item, Move
from rainfront.workshop.adapters import Shop

ROWS = 2000
Row = Sequence[Any]


@dataclass(frozen=True)
class Table:
    """One table: what it is called, what is in it, its headings, and its rows."""

    label: str
    about: str
    headings: Callable[[Shop], Sequence[str]]
    rows: Callable[[Shop], Iterator[Row]]


def _fixed(*headings: str) -> Callable[[Shop], Sequence[str]]:
    return lambda _: headings


# Heading and field of each column of the table of jobs; sums are in the shop's currency.
JOB_COLUMNS = (
    ("job", "pk"),
    ("case", "case_id"),
    ("model", "model_name"),
    ("kind", "kind"),
    ("connector", "connector"),
    ("port sits on", "carrier"),
    ("built", "traits"),
    ("customer", "customer"),
    ("worth working ({currency})", "value"),
    ("customer's limit ({currency})", "limit"),
    ("bought for, the shop's own ({currency})", "bought_for"),
    ("complaint", "complaint"),
    ("told", "history"),
    ("got wet so many hours before", "wet_hours"),
    ("battery as found (%)", "battery_percent"),
    ("in a hurry", "hurry"),
    ("serial number", "serial"),
    ("received", "taken_in_at"),
    ("received by", "taken_in_by__username"),
    ("promised for", "promised_at"),
    ("stage", "stage"),
    ("closed", "closed_at"),
    ("closed by", "closed_by__username"),
    ("faults found", "outcome_faults"),
    ("works", "outcome_works"),
    ("note", "outcome_note"),
    ("handed on because", "on_why"),
    ("handed on to", "on_to"),
    ("left the shop", "on_as"),
    ("repairs declined", "refused"),
    ("comes back from job", "came_from_id"),
    ("same trouble", "same_trouble"),
)


def _jobs_headings(shop: Shop) -> Sequence[str]:
    return [heading.format(currency=shop.region.currency) for heading, _ in JOB_COLUMNS]


def _jobs(shop: Shop) -> Iterator[Row]:
    yield from Job.objects.order_by("pk").values_list(*(field for _, field in JOB_COLUMNS)).iterator(ROWS)


def _entries(shop: Shop) -> Iterator[Row]:
    names = (
        "pk",
        "job_id",
        "at",
        "by__username",
        "kind",
        "name",
        "variant",
        "grade",
        "signs",
        "works",
        "text",
        "struck_at",
        "struck_by__username",
        "struck_why",
    )
    yield from Entry.objects.order_by("pk").values_list(*names).iterator(ROWS)


def _readings(shop: Shop) -> Iterator[Row]:
    checks = shop.known.checks
    names = ("pk", "job_id", "at", "by__username", "name", "variant", "values", "struck_at")
    found = Entry.objects.filter(kind=Entry.EntryKind.CHECK).exclude(values={}).order_by("pk")
    for pk, job, at, by, name, variant, values, struck in found.values_list(*names).iterator(ROWS):
        for quantity, value in values.items():
            limits = checks[name].values.get(quantity) if name in checks else None
            yield pk, job, at, by, name, variant, quantity, value, limits.unit if limits else "", struck


def _points(shop: Shop) -> Iterator[Row]:
    names = (
        "sheet_id",
        "sheet__job_id",
        "sheet__map_id",
        "sheet__place",
        "sheet__mode",
        "sheet__meter__name",
        "pin",
        "value",
        "at",
        "by__username",
        "replaced_at",
    )
    yield from Point.objects.order_by("pk").values_list(*names).iterator(ROWS)


def _learned(shop: Shop) -> Iterator[Row]:
    estimates = shop.estimates
    if estimates is None:
        return

    def row(kind: str, name: str, found: LearnedNumber, unit: str) -> Row:
        return kind, name, found.prior, found.here, found.low, found.high, unit, found.count

    for group, shares in estimates.shares.items():
        for fault, found in shares.items():
            yield row("share of faults", f"{group} {fault}", found, "share")
    for (route, fault), found in estimates.cures.items():
        yield row("cure", f"{route} {fault}", found, "share")
    for route, found in estimates.comebacks.items():
        yield row("come-backs", route, found, "share")
    for key, found in estimates.minutes.items():
        yield row("minutes", key, found, "min")
    for (fault, check, outcome), found in estimates.shows.items():
        yield row("shows", f"{fault or 'anything'} {check} {outcome}", found, "share")


def _parts(shop: Shop) -> Iterator[Row]:
    names = ("pk", "route", "fits", "connector", "count", "held", "minimum", "supplier")
    yield from Item.objects.order_by("pk").values_list(*names).iterator(ROWS)


def _moves(shop: Shop) -> Iterator[Row]:
    names = ("pk", "item_id", "item__route", "change", "why", "job_id", "note", "at", "by__username")
    yield from Move.objects.order_by("pk").values_list(*names).iterator(ROWS)


def _references(shop: Shop) -> Iterator[Row]:
    names = ("model_name", "revision", "map_id", "place", "pin", "meter__name", "mv", "taken", "by__username")
    yield from GoodReading.objects.standing().order_by("pk").values_list(*names).iterator(ROWS)


REPAIRED = (
    "repair_id",
    "job_id",
    "at",
    "route",
    "model",
    "first",
    "worked",
    "back",
    "batch",
    "cure",
    "minutes",
    "took",
    "followed",
    "said_total",
    "real_total",
    "habit",
    "habit_costs",
)


def _repairs(shop: Shop) -> Iterator[Row]:
    yield from RepairedJob.objects.order_by("pk").values_list(*REPAIRED).iterator(ROWS)


def _ended(shop: Shop) -> Iterator[Row]:
    names = ("job_id", "at", "model", "faults", "works", "quoted", "charged")
    yield from EndedJob.objects.order_by("pk").values_list(*names).iterator(ROWS)


def _money(shop: Shop) -> Iterator[Row]:
    for quote in Quote.objects.select_related("by").order_by("pk").iterator(ROWS):
        yield "quote", quote.job_id, quote.amount, quote.route, quote.answer, quote.at, quote.by.username
    for order in Order.objects.exclude(charged=None).order_by("pk").iterator(ROWS):
        yield "charged", order.job_id, order.charged, "", "", order.handed_at, ""


MELTED = (
    "pk",
    "station__name",
    "at",
    "by__username",
    "target",
    "alloy",
    "below",
    "set_c",
    "flow_l_min",
    "nozzle_mm",
    "distance_mm",
    "plate_c",
    "room_c",
    "seconds",
    "struck_at",
)


def _melts(shop: Shop) -> Iterator[Row]:
    yield from Melted.objects.order_by("pk").values_list(*MELTED).iterator(ROWS)


def _cells(shop: Shop) -> Iterator[Row]:
    names = ("pk", "job_id", "started_at", "ended_at", "by__username", "kind", "capacity_mah", "first_volts")
    more = ("set_volts", "set_amps", "then_amps", "moved_mah", "state", "says")
    yield from CellRun.objects.order_by("pk").values_list(*names, *more).iterator(ROWS)


def _repair_headings(shop: Shop) -> Sequence[str]:
    currency = shop.region.currency
    return (
        "repair",
        "job",
        "job closed",
        "route",
        "model",
        "first of its job",
        "proof passed",
        "came back",
        "delivery of its part",
        "said to cure (share)",
        "planned (min)",
        "took (min)",
        "as advised",
        f"expected of the rest ({currency})",
        f"the rest came to ({currency})",
        "habit",
        f"the habit was said to cost ({currency})",
    )


TABLES: Mapping[str, Table] = {
    "jobs": Table("Jobs", "every job as it was received and as it ended", _jobs_headings, _jobs),
    "entries": Table(
        "Log lines",
        "everything that happened, struck out lines too",
        _fixed(
            "line",
            "job",
            "at",
            "by",
            "kind",
            "what",
            "variant",
            "grade",
            "signs",
            "works",
            "text",
            "struck out",
            "struck out by",
            "why",
        ),
        _entries,
    ),
    "readings": Table(
        "Readings",
        "each number of each check, with its unit",
        _fixed("line", "job", "at", "by", "check", "variant", "quantity", "value", "unit", "struck out"),
        _readings,
    ),
    "points": Table(
        "Probe sheets",
        "each pin that was read",
        _fixed(
            "sheet",
            "job",
            "pin map",
            "place",
            "mode",
            "meter",
            "pin",
            "value (mV, ohm or V by mode)",
            "at",
            "by",
            "replaced",
        ),
        _points,
    ),
    "melts": Table(
        "Melts",
        "how long joints took under which hot-air station",
        _fixed(
            "melt",
            "hot-air station",
            "at",
            "by",
            "what",
            "solder",
            "from below",
            "set (°C)",
            "flow (l/min)",
            "nozzle (mm)",
            "distance (mm)",
            "plate (°C)",
            "room (°C)",
            "moved after (s)",
            "struck out",
        ),
        _melts,
    ),
    "cells": Table(
        "Cells on the supply",
        "what was charged under the watch",
        _fixed(
            "run",
            "job",
            "began",
            "ended",
            "by",
            "charges to",
            "capacity (mAh)",
            "began at (V)",
            "set (V)",
            "set (A)",
            "current after pre-charge (A)",
            "went in (mAh)",
            "ended as",
            "because",
        ),
        _cells,
    ),
    "lessons": Table(
        "Learned numbers",
        "what closed jobs taught",
        _fixed("kind", "of", "began at", "here", "low 95 %", "high 95 %", "unit", "count"),
        _learned,
    ),
    "parts": Table(
        "Parts",
        "what lies on the shelf",
        _fixed(
            "part", "route", "fits", "connector", "there (pieces)", "reserved (pieces)", "at least (pieces)", "supplier"
        ),
        _parts,
    ),
    "moves": Table(
        "Moves of parts",
        "what came and went",
        _fixed("move", "part", "route", "change (pieces)", "why", "job", "note", "at", "by"),
        _moves,
    ),
    "references": Table(
        "Known-good readings",
        "lines of good boards",
        _fixed(
            "model", "revision", "pin map", "place", "pin", "meter", "diode reading (mV, empty for open)", "taken", "by"
        ),
        _references,
    ),
    "repairs": Table("Repairs in figures", "what insights are taken of", _repair_headings, _repairs),
    "ended": Table(
        "Closed jobs in figures",
        "the same, by job",
        lambda shop: (
            "job",
            "closed",
            "model",
            "faults found",
            "works",
            f"quoted ({shop.region.currency})",
            f"charged ({shop.region.currency})",
        ),
        _ended,
    ),
    "money": Table(
        "Quotes and bills",
        "what was quoted, answered and charged",
        lambda shop: ("what", "job", f"amount ({shop.region.currency})", "route", "answer", "at", "by"),
        _money,
    ),
}


def plain(value: Any) -> Any:
    """A value as both ways of writing take it."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, bool | int | float | str) or value is None:
        return value
    if isinstance(value, list):
        return " ".join(str(one) for one in value)
    if isinstance(value, Decimal | date):
        return str(value)
    return str(value)


class _Echo:
    """What `csv` writes to: gives the line back."""

    def write(self, text: str) -> str:
        return text


def as_csv(table: Table, shop: Shop) -> Iterator[str]:
    """A table as CSV, line by line."""
    writer: Any = csv.writer(_Echo())
    yield writer.writerow(table.headings(shop))
    for row in table.rows(shop):
        cells = (plain(value) for value in row)
        yield writer.writerow([written_cell(cell) if isinstance(cell, str) else cell for cell in cells])


def as_json(table: Table, shop: Shop) -> Iterator[str]:
    """A table as JSON: a list of objects whose keys are the headings."""
    headings, between = table.headings(shop), "[\n"
    for row in table.rows(shop):
        yield between + json.dumps(dict(zip(headings, map(plain, row), strict=True)), ensure_ascii=False)
        between = ",\n"
    yield "\n]\n" if between != "[\n" else "[]\n"
