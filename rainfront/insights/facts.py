"""Keeping what a closed job says: its repairs, what the advice had said of them, what they came to."""

from __future__ import annotations

from typing import Any

from django.db.models import F

from chargepath.decision.judgement import spent_so_far
from chargepath.decision.prices import Prices
from rainfront.counter.models import Order
from rainfront.insights.models import EndedJob, RepairedJob, Turn
from rainfront.jobs.adapters import case_of
from rainfront.jobs.models import Job, Quote, Repair
from rainfront.jobs.planning import plan_of
from rainfront.stock.models import Move
from rainfront.workshop.adapters import Shop

# Work that took this many times as long as planned had a lunch break in it.
FAR_TOO_LONG = 5.0


def keep_facts(*, job: Job, shop: Shop, **_: object) -> None:
    """Keep what a job says as it stands; an open one says nothing."""
    if EndedJob.objects.filter(job=job, turn=job.turn).exists():
        return
    RepairedJob.objects.filter(job=job).delete()
    gone = EndedJob.objects.filter(job=job).delete()[0]
    works, at = job.outcome_works, job.closed_at
    if gone or job.is_closed:
        Turn.objects.get_or_create(pk=1)
        Turn.objects.update(count=F("count") + 1)
    if not job.is_closed or works is None or at is None:
        return
    order = Order.objects.filter(job=job).first()
    quote = Quote.objects.for_job(job.pk).filter(answer=Quote.Answer.APPROVED).first()
    EndedJob.objects.create(
        job=job,
        turn=job.turn,
        at=at,
        model=job.model_name,
        faults=list(job.outcome_faults),
        works=works,
        quoted=float(quote.amount) if quote else None,
        charged=float(order.charged) if order and order.charged is not None else None,
    )
    RepairedJob.objects.bulk_create(_repairs(job, shop))


def _repairs(job: Job, shop: Shop) -> list[RepairedJob]:
    """Every proved repair of a closed job."""
    found = Repair.objects.filter(job=job, dropped_at__isnull=True).select_related("entry")
    rows = list(found.prefetch_related("steps"))
    proved = [row for row in rows if row.entry and row.entry.works is not None and row.entry.struck_at is None]
    back = any(later.same_trouble for later in job.came_back_as.all())
    passed = [row.pk for row in proved if row.entry and row.entry.works]
    case = case_of(job, shop.known)
    prices = shop.prices(case.device, job.model_name, hurry=job.hurry, person_pk=None, shelf={})
    spent = spent_so_far(case, prices, shop.known)
    uses = list(Move.objects.filter(job=job, why=Move.Why.USED).select_related("item").order_by("pk"))
    out = []
    for number, row in enumerate(proved):
        came_back = back and row.pk == (passed[-1] if passed else None)
        planned, took = _minutes(row, job, shop, prices)
        said = row.said
        out.append(
            RepairedJob(
                repair=row,
                job=job,
                at=job.closed_at or row.chosen_at,
                route=row.route,
                model=job.model_name,
                first=number == 0,
                worked=bool(row.entry and row.entry.works),
                back=came_back,
                batch=batch_of(next((use for use in uses if use.item.route == row.route), None)),
                cure=said.get("cure"),
                minutes=planned,
                took=took,
                followed=not row.reason if row.advised else None,
                said_total=said.get("advised_total"),
                real_total=_came_to(job, spent, back, prices) - said["spent"] if "spent" in said else None,
                habit=said.get("habit", ""),
                habit_costs=said.get("habit_costs", 0.0),
            )
        )
    return out


def _came_to(job: Job, spent: float, back: bool, prices: Prices) -> float:
    """What a job came to by the terms of the advice (money): minutes and parts, a come-back, a device not repaired."""
    lost = prices.value if not job.outcome_works and job.outcome_faults else 0.0
    return spent + lost + (prices.comeback if back else 0.0)


def _minutes(repair: Repair, job: Job, shop: Shop, prices: Prices) -> tuple[float | None, float | None]:
    """What was planned and what it took [min]: of the steps that were run, else of the whole; None without."""
    took = {run.step: run.seconds / 60 for run in repair.steps.all() if run.done_at and run.seconds}
    if took and repair.route in shop.known.procedures.recipes:
        plan = plan_of(repair, job, shop)
        planned = sum(row.step.minutes for row in plan.steps if row.step.id in took)
        return (planned, sum(took.values())) if planned else (None, None)
    if not repair.finished_at or "minutes" not in repair.said:
        return None, None
    planned = max(float(repair.said["minutes"]) - prices.proof_minutes, 1.0)
    whole = (repair.finished_at - repair.chosen_at).total_seconds() / 60
    return (planned, whole) if 0 < whole <= FAR_TOO_LONG * planned else (None, None)


def batch_of(use: Any) -> str:
    """The number of the delivery that a part came from, the first to come in being the first used; '' for none."""
    if use is None:
        return ""
    before = Move.objects.filter(item=use.item, why=Move.Why.USED, change__lt=0, pk__lt=use.pk).count()
    there = 0
    for came in Move.objects.filter(item=use.item, why=Move.Why.IN, pk__lt=use.pk).order_by("pk"):
        there += came.change
        if there > before:
            return str(came.pk)
    return ""
