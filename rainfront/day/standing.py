"""An open job as the list of the day shows it: where the faults may be, what is next and how long it takes."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from chargepath.base.sentences import clause
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import PROVE
from rainfront.day.models import Standing
from rainfront.jobs.extensions import also_of
from rainfront.jobs.fetching import complete
from rainfront.jobs.judging import judgement_for, parts_used
from rainfront.jobs.layers import facts_now
from rainfront.jobs.models import Job, Quote, Repair, Stage
from rainfront.jobs.planning import plan_of
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.bench import marks_now
from rainfront.jobs.presenters.card import VERBS
from rainfront.proof.proving import proving_of
from rainfront.stock.models import Item, Move
from rainfront.work.actions.steps import steps_now
from rainfront.work.models import StepRun
from rainfront.workshop.adapters import Shop

WORDS = 160


@dataclass(frozen=True)
class _Next:
    """What is next: the stage whose page it is done on, in words, its minutes, and those that are left after it."""

    stage: str
    words: str
    minutes: float
    left: float


def reckon(job: Job, shop: Shop) -> Standing:
    """A job's standing as things are, not stored yet."""
    basis = Basis(complete(job), judgement_for(job, None, shop), shop)
    repair = next((row for row in job.repairs.all() if row.is_open), None)
    doing = repair.route if repair is not None else ""
    pressing = (found for found in basis.core.dangers if found.todo and not found.raised.told)
    danger = next((found for found in pressing if doing not in found.todo), None)
    found = _step(basis, repair) if repair is not None and danger is None else _advised(basis)
    quote = Quote.objects.for_job(job.pk).first()
    part = _missing_part(basis, repair)
    return Standing(
        job=job,
        levels={station: round(chance, 3) for station, chance in basis.belief.stations.items() if chance >= 0.005},
        worst=marks_now(basis),
        stage=found.stage,
        words=found.words[:WORDS],
        minutes=found.minutes,
        left_minutes=found.left + sum(row.minutes for row in also_of(job)),
        danger=danger.hazard.label if danger else "",
        facts=_open_facts(basis),
        wants_part=part,
        since=repair.chosen_at if part and repair else None,
        asked_at=quote.at if quote is not None and quote.answer == Quote.Answer.OPEN else None,
    )


def _open_facts(basis: Basis) -> list[str]:
    """What is so of a device that is open, in order; nothing for a closed one."""
    facts = facts_now(basis.job, basis.shop, basis.belief.access)
    return [] if "closed" in facts else sorted(facts)


def _advised(basis: Basis) -> _Next:
    step, advice = basis.advice.next, basis.advice
    repairs = [term for term in advice.routes if term.cure > 0]
    longest = max(repairs, key=lambda term: term.cure).act.minutes if repairs else 0.0
    if step.kind == HAND_OVER:
        return _Next(Stage.HAND_OVER, "Hand it over", 5.0, 0.0)
    if step.kind == "repair" and step.id == PROVE:
        return _prove(basis)
    wait = basis.known.checks[step.id].wait_minutes if step.kind == "check" else 0.0
    words = f"{VERBS[step.kind]}: {basis.label(step)}"
    stage = Stage.DECIDE if step.kind == "repair" else ""
    return _Next(stage, words, step.minutes + wait, 0.0 if step.kind == "repair" else longest)


def _prove(basis: Basis) -> _Next:
    proving = proving_of(basis.job, basis.shop)
    left = [mark.item for mark in proving.result.items if not mark.settled]
    if not left:
        return _Next(Stage.PROVE, "Prove it", basis.core.prices.proof_minutes, 0.0)
    minutes = [item.minutes + item.wait for item in left]
    return _Next(Stage.PROVE, f"Prove: {left[0].label}", minutes[0], sum(minutes[1:]))


def _step(basis: Basis, repair: Repair) -> _Next:
    """The next step of the repair that is open."""
    plan = plan_of(repair, basis.job, basis.shop)
    done = StepRun.objects.settled(repair.pk)
    left = [row.step for row in steps_now(repair, plan) if row.step.id not in done]
    label = basis.known.routes[repair.route].label
    if not left:
        return _Next(Stage.REPAIR, f"{label}: finish it", 1.0, basis.core.prices.proof_minutes)
    rest = sum(step.minutes + step.wait for step in left[1:])
    return _Next(Stage.REPAIR, f"{label}: {clause(left[0].do)}", left[0].minutes + left[0].wait, rest)


def _missing_part(basis: Basis, repair: Repair | None) -> str:
    """The route whose part an open repair waits for, '' for none or where the shop keeps none."""
    if repair is None or repair.booked:
        return ""
    held = {item.pk: item for item in Item.objects.filter(pk__in=Move.objects.reserved_by(basis.job.pk))}
    reserved = {item.route for item in held.values()}
    for route in parts_used(basis.job, repair.route, basis.shop):
        if route in basis.judged.shelf and basis.judged.shelf[route] <= 0 and route not in reserved:
            return route
    return ""


def keep_up(shop: Shop, most: int, person_pk: int | None = None) -> int:
    """Reckon jobs that are not reckoned as they stand, the newest change first; how many there were.

    With a person, only those that they wrote on last.
    """
    due = Job.objects.with_people().day_is_due()
    jobs = list((due.filter(held_by=person_pk) if person_pk else due)[:most])
    for job in jobs:
        found = reckon(job, shop)
        Standing.objects.update_or_create(
            job_id=job.pk,
            defaults={field.attname: getattr(found, field.attname) for field in Standing._meta.concrete_fields[1:]},
        )
        Job.objects.settle_due(job, "day_due")
    return len(jobs)


def in_hand(job: Job, person_pk: int | None) -> datetime | None:
    """When somebody else entered something last, None where nobody did."""
    return job.held_at if job.held_by_id not in (None, person_pk) else None
