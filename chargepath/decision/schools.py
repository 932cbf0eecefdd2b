"""Habits of shops, held against the advice: what a school would do next on this job, and what that costs or saves."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from chargepath.case.entries import RepairEvent
from chargepath.decision.advice import Advice, advise
from chargepath.decision.plan import RouteTerm
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.graded import blocked
from chargepath.hazards.standing import Danger, way_out
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import OUTSIDE, PROVE, REFER
from chargepath.knowledge.schools import School

# A swap that is less likely than this to cure is not what the habit means.
SWAP_FROM = 0.04


@dataclass(frozen=True)
class Habit:
    """What a school would do next.

    Attributes
    ----------
    school : School
    step : Option
        What it would do; its `total` is the job's expected cost when it is done and the advice followed from there.
    costs : float
        How much more (or, negative, less) the job then costs than by the advice.
    ruled_out : tuple of str
        Routes that it rules out here.

    """

    school: School
    step: Option
    costs: float
    ruled_out: tuple[str, ...]


def ruled_out(belief: Belief, school: School) -> tuple[str, ...]:
    """Routes that a school forbids on this device as it stands."""
    if school.carriers and belief.model.device.carrier not in school.carriers:
        return ()
    grades = {(key.split("@")[0], grade) for key, grade in belief.last_grades.items()}
    return () if grades.intersection(school.unless) else school.forbid


def _first_check(belief: Belief, advice: Advice, school: School) -> Option | None:
    """The next check that has to be done before any repair with a part."""
    grades, known = belief.last_grades, belief.model.known
    options = {option.id: option for option in advice.options if option.kind == "check"}
    for name in school.first_checks:
        if name not in grades and name in options and not blocked(known, known.checks[name], grades):
            return options[name]
    return None


def _first_route(belief: Belief, advice: Advice, school: School) -> RouteTerm | None:
    """The likeliest of the swaps that were not done yet."""
    done = {entry.event.route for entry in belief.entries if isinstance(entry.event, RepairEvent)}
    found = [
        term
        for term in advice.routes
        if term.id in school.first_routes and term.id not in done and term.cure >= SWAP_FROM
    ]
    return max(found, key=lambda term: term.cure / term.act.cost, default=None)


def follow_school(
    belief: Belief,
    prices: Prices,
    school: School,
    base: Advice,
    *,
    dangers: Sequence[Danger] = (),
    limit: float | None = None,
    spent: float = 0.0,
    refused: Collection[str] = (),
) -> Habit:
    """What a school would do next, against the advice `base` for the same belief and prices.

    Parameters
    ----------
    belief : Belief
    prices : Prices
    school : School
    base : Advice
    dangers : sequence of Danger
        A habit is no reason to do what they forbid.
    limit : float or None
        What the customer agreed to (money).
    spent : float
        What the job stands for already (money).
    refused : collection of route ids
        Repairs that the customer has declined.

    """
    known, out = belief.model.known, ruled_out(belief, school)
    offered = {term.id for term in base.routes}
    out = tuple(name for name in out if name in offered)
    if out:
        advice = advise(belief, prices, forbidden={*out, *refused}, dangers=dangers, limit=limit, spent=spent)
    else:
        advice = base
    step = advice.next
    if way_out(known, dangers, lambda *_: True) or base.rule or step.kind == HAND_OVER:
        return Habit(school, step, step.total - base.next.total, out)
    check, route = _first_check(belief, advice, school), _first_route(belief, advice, school)
    if check and step.kind != "check" and step.id not in (REFER, PROVE) and known.routes[step.id].part > 0:
        step = check
    if route and step.id != route.id and not (step.kind == "check" and known.checks[step.id].access == OUTSIDE):
        refer = next(term for term in advice.routes if term.id == REFER)
        step = Option(
            kind="repair",
            id=route.id,
            minutes=route.act.minutes,
            cost=route.act.cost,
            total=route.total,
            saves=refer.total - route.total,
        )
    return Habit(school, step, step.total - base.next.total, out)
