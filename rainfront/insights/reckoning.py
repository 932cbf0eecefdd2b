"""Figures of a period as plain numbers, reckoned once after closed jobs have changed and kept until they do again."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db import DatabaseError

from chargepath.insight import figures
from chargepath.insight.figures import Bin, FigureLine
from chargepath.insight.intervals import Estimate, slope_of
from rainfront.insights.models import EndedJob, Reckoned, RepairedJob, Turn
from rainfront.reference.models import DiodeMeter, GoodReading

PERIODS: Mapping[str, tuple[str, int | None]] = {
    "quarter": ("the last three months", 91),
    "year": ("the last year", 365),
    "all": ("everything", None),
}
# Up to so many repairs the page waits for its figures; over that it shows those of before and has them made anew.
QUICKLY, MODELS, READINGS = 4_000, 8, 20_000


@dataclass(frozen=True)
class ShopFigures:
    """Everything of a period; `late` where closed jobs have changed since."""

    at: datetime
    late: bool
    jobs: int
    repairs: int
    lines: Mapping[str, Sequence[FigureLine]]
    bins: Sequence[Bin]
    faults: Sequence[tuple[str, int, Sequence[FigureLine]]]


def figures_for(period: str, now: datetime) -> ShopFigures:
    """The figures of a period as they are kept, made anew first where that is quick."""
    kept = Reckoned.objects.filter(pk=period).first()
    turn = _turn()
    late = kept is None or kept.turn != turn or kept.at.date() != now.date()
    if late and (kept is None or RepairedJob.objects.since(since_of(period, now))[:QUICKLY].count() < QUICKLY):
        kept, late = reckon(period, now), False
    assert kept is not None
    return _read(kept, late)


def reckon(period: str, now: datetime) -> Reckoned:
    """Work the figures of a period out and keep them; they are shown all the same where nothing can be written."""
    since, turn = since_of(period, now), _turn()
    repairs, jobs = list(RepairedJob.objects.since(since).rows()), list(EndedJob.objects.since(since).rows())
    whole, by_route = figures.first_route(repairs)
    slower, slower_by = figures.minutes_against_plan(repairs)
    gap, over = figures.cost_against_quote(jobs)
    advice = figures.against_advice(repairs)
    lines = {
        "first": [FigureLine("", whole), *by_route],
        "back_route": figures.come_backs(repairs, lambda row: row.route),
        "back_model": figures.come_backs(repairs, lambda row: row.model),
        "back_batch": figures.come_backs(repairs, lambda row: row.batch),
        "minutes": [FigureLine("", slower), *slower_by],
        "quotes": [FigureLine("gap", gap), FigureLine("over", over)],
        "advice": [FigureLine("followed", advice[True]), FigureLine("overruled", advice[False])],
        "habits": figures.habit_costs(repairs),
        "drift": _drift(since),
    }
    data = {
        "jobs": len(jobs),
        "repairs": len(repairs),
        "lines": {name: _plain(found) for name, found in lines.items()},
        "bins": [[one.low, one.high, one.said, *_numbers(one.came)] for one in figures.calibration(repairs)],
        "faults": [[model, count, _plain(found)] for model, count, found in figures.faults_by_model(jobs, MODELS)],
    }
    found = {"data": data, "turn": turn, "at": now}
    with suppress(DatabaseError):
        Reckoned.objects.update_or_create(period=period, defaults=found)
    return Reckoned(period=period, **found)


def since_of(period: str, now: datetime) -> datetime | None:
    """When a period began."""
    days = PERIODS[period][1]
    return None if days is None else now - timedelta(days=days)


def _turn() -> int:
    found = Turn.objects.first()
    return found.count if found else 0


def _numbers(found: Estimate) -> list[float | int | None]:
    ends = (found.value, found.low, found.high)
    return [*(end if math.isfinite(end) else None for end in ends), found.count]


def _plain(lines: Iterable[FigureLine]) -> list[list[Any]]:
    return [[line.name, *_numbers(line.found)] for line in lines]


def _estimate(value: float | None, low: float | None, high: float | None, count: int) -> Estimate:
    return Estimate(
        math.nan if value is None else value,
        -math.inf if low is None else low,
        math.inf if high is None else high,
        count,
    )


def _lines(rows: Iterable[list[Any]]) -> list[FigureLine]:
    return [FigureLine(name, _estimate(*numbers)) for name, *numbers in rows]


def _read(kept: Reckoned, late: bool) -> ShopFigures:
    data = kept.data
    return ShopFigures(
        at=kept.at,
        late=late,
        jobs=data["jobs"],
        repairs=data["repairs"],
        lines={name: _lines(rows) for name, rows in data["lines"].items()},
        bins=[Bin(low, high, said, _estimate(*came)) for low, high, said, *came in data["bins"]],
        faults=[(model, count, _lines(rows)) for model, count, rows in data["faults"]],
    )


def _drift(since: datetime | None) -> list[FigureLine]:
    """How far each meter reads from its own readings of the same lines, and how that goes with time [mV a year]."""
    names = dict(DiodeMeter.objects.values_list("pk", "name"))
    rows = GoodReading.objects.standing().filter(mv__isnull=False)
    rows = rows.filter(taken__gte=since.date()) if since else rows
    keys = ("meter_id", "model_name", "revision", "map_id", "place", "pin", "mv", "taken")
    cells: dict[tuple[object, ...], list[tuple[date, float]]] = {}
    for meter, *cell, mv, taken in rows.order_by("-pk").values_list(*keys)[:READINGS]:
        cells.setdefault((meter, *cell), []).append((taken, mv))
    points: dict[int, tuple[list[float], list[float]]] = {}
    for (meter, *_), readings in cells.items():
        if len({taken for taken, _ in readings}) > 1:
            middle = sum(mv for _, mv in readings) / len(readings)
            first = sum(taken.toordinal() for taken, _ in readings) / len(readings)
            x, y = points.setdefault(int(str(meter)), ([], []))
            x += [(taken.toordinal() - first) / 365.25 for taken, _ in readings]
            y += [mv - middle for _, mv in readings]
    return [FigureLine(names[meter], slope_of(x, y)) for meter, (x, y) in sorted(points.items())]
