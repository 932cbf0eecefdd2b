"""Choosing a route and working through it."""

from __future__ import annotations

from datetime import datetime

from chargepath.decision.advice import Advice
from chargepath.hazards.standing import refuse
from rainfront.jobs.adapters import case_of
from rainfront.jobs.fetching import get_plain_job
from rainfront.jobs.judging import JobJudgement, judgement_for, parts_used
from rainfront.jobs.models import Job, Quote, Repair, Stage
from rainfront.jobs.planning import picks_for
from rainfront.jobs.writing import JobError, open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.stock.actions import release, reserve
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop


def as_advised(route: str, advice: Advice, tie: float) -> bool:
    """Whether choosing the route follows the advice, near ties included.

    Where the advised step saves less than a tie against this repair, by the numbers and by no rule, it is followed too.
    """
    if any(option.kind == "repair" and option.id == route for option in (advice.next, *advice.equals)):
        return True
    term = next((term for term in advice.routes if term.id == route), None)
    return not advice.rule and term is not None and 0 <= term.total - advice.next.total <= tie


def what_was_said(judged: JobJudgement, route: str) -> dict[str, float | str]:
    """What the advice says of a route as it is chosen, and of what it would have done: for looking back.

    Chance of cure, hands-on minutes, cost and quote of the route, expected cost of the whole job with it and by the
    advice (money), what was next by the advice, and the habit that the shop follows.
    """
    core, school = judged.core, judged.school
    term, step = core.term(route), core.advice.next
    said: dict[str, float | str] = {
        "next": f"{step.kind} {step.id}",
        "advised_total": round(step.total, 4),
        "spent": round(core.spent, 4),
    }
    if school:
        said |= {"habit": school, "habit_costs": round(core.habit(school).costs, 4)}
    if term is not None:
        said |= {
            "cure": round(term.cure, 6),
            "minutes": round(term.act.minutes, 4),
            "cost": round(term.act.cost, 4),
            "quote": round(core.spent + term.act.quote, 4),
            "total": round(term.total, 4),
        }
    return said


def choose_route(
    job: Job | int,
    route: str,
    reason: str = "",
    over_limit: str = "",
    *,
    user: User,
    now: datetime,
    shop: Shop | None = None,
) -> Repair:
    """Commit to a route; the judgement is the one that the page shows, made before the job is locked.

    `reason` says why it is not what the advice says, `over_limit` why it goes on although the bill crosses the limit.

    Raises
    ------
    JobError
        The route does not fit the device, another one is still open, it is not what the advice says or crosses the
        limit and no reason for that is given, or something was entered meanwhile.
    DangerError
        A danger forbids it.

    """
    refuse_unlock_code(reason, "reason")
    refuse_unlock_code(over_limit, "limit")
    shop = shop or Shop.current()
    known, reason, over_limit = shop.known, reason.strip(), over_limit.strip()
    seen = get_plain_job(job if isinstance(job, int) else job.pk)
    offered = [
        name for name, found in known.routes.items() if found.fits(seen.carrier, seen.traits, wireless=seen.wireless)
    ]
    if route not in offered:
        raise JobError(f"'{route}' is no route for this device", "route", f"one of {', '.join(offered)}")
    judged = judgement_for(seen, user, shop)
    with open_job(seen, user, now, shop, right=Right.REPAIR) as log:
        current = Repair.objects.still_open(log.job.pk).first()
        if current:
            raise JobError(
                f"'{log.known.routes[current.route].label}' is still open", "route", "finish it or drop it first"
            )
        if case_of(log.job, known) != judged.core.case:
            raise JobError("something was entered on this job meanwhile", "route", "look at the advice again")
        danger = judged.core.forbidden_by("repair", route)
        if danger is not None:
            raise refuse(known, danger)
        _require_approval(log.job, route, judged, over_limit)
        if as_advised(route, judged.core.advice, known.costs.tie):
            reason = ""
        elif not reason:
            raise JobError(
                "this is not what the advice says", "reason", "say why in a few words; the record keeps both"
            )
        step = judged.core.advice.next
        name = log.known.label_of(step.kind, step.id)
        repair = Repair.objects.create(
            job=log.job,
            route=route,
            advised=f"{step.kind}: {name}"[:60],
            reason=reason[:300],
            over_limit=over_limit[:300],
            reached=judged.core.belief.access,
            dangers=[danger.hazard.id for danger in judged.core.dangers],
            said=what_was_said(judged, route),
            picks=picks_for(judged, seen, route, shop),
            chosen_by=user,
            chosen_at=now,
        )
        job = log.job
        for wanted in parts_used(job, route, shop):
            reserve(job.pk, wanted, job.kind, job.model_name, job.connector, user=user, now=now)
        label = log.known.routes[route].label
        said = f" (advice: {name}; {reason})" if reason else ""
        said += f" (over the limit: {over_limit})" if over_limit else ""
        log.event(f"chose {label}{said}", "choose")
        log.settle(Stage.REPAIR)
    return repair


def _require_approval(job: Job, route: str, judged: JobJudgement, why: str) -> None:
    """Stop where the whole bill would cross the customer's limit.

    A quote of that much whose newest answer is yes lets it go on, or a reason of its own.
    """
    term = judged.core.term(route)
    if job.limit is None or term is None or why or not judged.core.over_limit(term):
        return
    bill = judged.core.spent + term.act.quote
    answer = Quote.objects.answered(job.pk, route).first()
    agreed = answer is not None and answer.answer == Quote.Answer.APPROVED and float(answer.amount) >= bill - 1
    if not agreed:
        earlier = f", {judged.core.spent:.0f} of it done already" if judged.core.spent >= 0.5 else ""
        wrong, right = (
            f"the bill would be about {bill:.0f}{earlier}, over the customer's limit of {job.limit:.0f}",
            "have a quote approved first, or say why it goes on all the same",
        )
        if job.is_own:
            wrong, right = (
                f"the repair would cost about {bill:.0f}{earlier}; until it is sold it may cost {job.limit:.0f}",
                "say why it goes on all the same",
            )
        raise JobError(wrong, "limit", right)


def still_open(repair: Repair, right: str) -> Repair:
    """The repair fetched afresh, refused where it is over."""
    found: Repair = Repair.objects.select_for_update().get(pk=repair.pk)
    if not found.is_open:
        raise JobError("this repair is over", "repair", right)
    return found


def drop_repair(repair: Repair, *, user: User, now: datetime, shop: Shop | None = None) -> Repair:
    """Give an open repair up without having done it.

    Raises
    ------
    JobError
        The repair is over, or the job is closed.

    """
    with open_job(repair.job_id, user, now, shop, right=Right.REPAIR) as log:
        found = still_open(repair, "nothing to drop")
        found.dropped_at = now
        found.save(update_fields=["dropped_at"])
        for held in parts_used(log.job, found.route, log.shop):
            release(log.job.pk, held, user=user, now=now)
        log.event(f"dropped {log.known.routes[found.route].label}", "drop")
        log.settle()
    return found
