"""Choosing a route and working through it."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction

from chargepath.case.entries import RepairEvent
from chargepath.decision.questions import Option
from rainfront.jobs import adapters
from rainfront.jobs.actions.log import JobError, lock, refuse_unlock_code, require_open, settle, write
from rainfront.jobs.models import Entry, Job, Quote, Repair, Stage
from rainfront.people.models import User
from rainfront.stock.actions import book_out


def as_advised(route: str, step: Option, equals: tuple[Option, ...]) -> bool:
    """Whether choosing the route follows the advice, near ties included."""
    return any(option.kind == "repair" and option.id == route for option in (step, *equals))


def choose_route(job: Job, route: str, reason: str = "", *, user: User, now: datetime) -> Repair:
    """Commit to a route.

    Raises
    ------
    JobError
        The route does not fit the device, another one is still open, or it is not what the advice says and no reason is
        given.

    """
    known = adapters.knowledge()
    found = known.routes.get(route)
    offered = [name for name, r in known.routes.items() if r.fits(job.carrier)]
    if found is None or route not in offered:
        raise JobError(f"'{route}' is no route for this device", "route", f"one of {', '.join(offered)}")
    refuse_unlock_code(reason, "reason")
    with transaction.atomic():
        job = lock(job)
        require_open(job)
        current = Repair.objects.still_open(job.pk).first()
        if current:
            label = known.routes[current.route].label
            raise JobError(f"'{label}' is still open", "route", "finish it or drop it first")
        judged = adapters.judge(job, explain=False)
        advice = judged.advice
        step = advice.next
        _require_approval(job, route, judged, reason)
        if not as_advised(route, step, advice.equals) and not reason.strip():
            raise JobError(
                "this is not what the advice says", "reason", "say why in a few words; the record keeps both"
            )
        name = known.checks[step.id].label if step.kind == "check" else known.routes[step.id].label
        repair = Repair.objects.create(
            job=job,
            route=route,
            advised=f"{step.kind}: {name}"[:60],
            reason=reason.strip()[:300],
            chosen_by=user,
            chosen_at=now,
        )
        text = f"chose {found.label}" + (f" (advice: {name}; {reason.strip()})" if reason.strip() else "")
        write(job, Entry.EntryKind.EVENT, text, user=user, now=now, name="choose")
        settle(job, now=now, stage=Stage.REPAIR)
    return repair


def _require_approval(job: Job, route: str, judged: adapters.Judgement, reason: str) -> None:
    """Stop where the bill would cross the customer's limit: an approved quote or a reason lets it go on."""
    term = next((term for term in judged.advice.routes if term.id == route), None)
    if job.limit is None or term is None:
        return
    bill = judged.spent + term.labour + term.part
    approved = Quote.objects.approved(job.pk, route).first()
    if bill > float(job.limit) and not reason.strip() and not (approved and float(approved.amount) >= float(job.limit)):
        raise JobError(
            f"the bill would be about {bill:.0f}, over the customer's limit of {job.limit:.0f}",
            "limit",
            "have a quote approved first, or say why it goes on all the same",
        )


def tick_step(repair: Repair, step: int, done: bool, *, user: User, now: datetime) -> Repair:
    """Tick a step of the open repair, or untick it.

    Raises
    ------
    JobError
        There is no such step, or the repair is over.

    """
    steps = adapters.knowledge().routes[repair.route].steps
    if not 0 <= step < len(steps):
        raise JobError(f"there is no step {step + 1}", "step", f"1 to {len(steps)}")
    with transaction.atomic():
        lock(repair.job)
        repair = Repair.objects.select_for_update().get(pk=repair.pk)
        if not repair.is_open:
            raise JobError("this repair is over", "step", "choose a route again")
        ticked = set(repair.steps_done)
        repair.steps_done = sorted(ticked | {step} if done else ticked - {step})
        repair.save(update_fields=["steps_done"])
    return repair


def finish_repair(repair: Repair, used: str, *, user: User, now: datetime) -> Repair:
    """Record the repair as done, with what was used, its part taken off the shelf; its proof comes next.

    Raises
    ------
    JobError
        Steps are left, or the repair is over.

    """
    steps = adapters.knowledge().routes[repair.route].steps
    refuse_unlock_code(used, "used")
    with transaction.atomic():
        job = lock(repair.job)
        require_open(job)
        repair = Repair.objects.select_for_update().get(pk=repair.pk)
        if not repair.is_open:
            raise JobError("this repair is over", "repair", "choose a route again")
        left = [str(index + 1) for index in range(len(steps)) if index not in repair.steps_done]
        if left:
            raise JobError(f"step {', '.join(left)} not ticked", "steps", "tick each step as it is done")
        event = RepairEvent(repair.route, None)
        entry = Entry.objects.create(job=job, by=user, at=now, text=used.strip()[:300], **adapters.fields_of(event))
        repair.entry, repair.finished_at, repair.used = entry, now, used.strip()[:300]
        repair.save()
        for used_up in adapters.parts_used(job, repair.route):
            book_out(job.pk, used_up, job.kind, job.model_name, user=user, now=now)
        settle(job, now=now, stage=Stage.PROVE)
    return repair


def drop_repair(repair: Repair, *, user: User, now: datetime) -> Repair:
    """Give an open repair up without having done it.

    Raises
    ------
    JobError
        The repair is over.

    """
    with transaction.atomic():
        job = lock(repair.job)
        repair = Repair.objects.select_for_update().get(pk=repair.pk)
        if not repair.is_open:
            raise JobError("this repair is over", "repair", "nothing to drop")
        repair.dropped_at = now
        repair.save(update_fields=["dropped_at"])
        label = adapters.knowledge().routes[repair.route].label
        write(job, Entry.EntryKind.EVENT, f"dropped {label}", user=user, now=now, name="drop")
        settle(job, now=now)
    return repair
