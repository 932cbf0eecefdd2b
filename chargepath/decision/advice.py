"""What to do next: measure more, try a part, or commit to a repair, in minutes and money.

Repairs are ordered by the classical ratio rule (`plan.py`); a check or a try is valued by looking one and two steps
ahead (`questions.py`) and following that rule afterwards. An opening is paid once per job. The customer's limit stops
it to ask.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from chargepath.case.entries import CheckEvent, TryEvent
from chargepath.case.timeline import repaired_here
from chargepath.decision.plan import RouteTable, RouteTerm, route_table, route_terms
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option, ask_after_failure, every_question, value_questions
from chargepath.decision.rules import BY_COST, OUTRANKING, ChosenStep, follow
from chargepath.decision.situation import THENS, Situation, done_last
from chargepath.diagnosis.belief import Belief
from chargepath.hazards.standing import Danger, forbidding
from chargepath.knowledge.routes import PROVE, REFER


@dataclass(frozen=True, kw_only=True, eq=False)
class Advice:
    """The whole recommendation.

    Attributes
    ----------
    next : Option
        What to do next.
    equals : tuple of Option
        Options whose expected total lies within the tie of the best.
    beside : Option or None
        A cheap act with a small chance that would come first by cost alone.
    options : tuple of Option
        Every check and try that makes sense, by expected saving.
    routes : tuple of RouteTerm
        In the order in which the ratio rule would do them now.
    commit : float
        Expected cost of the job when a repair is committed to at once.
    refer_cost : float
        Expected cost of handing it on.
    hold : str
        Why to stop and ask before going on: '' for no reason, 'limit' where what comes next would cross the
        customer's limit, 'not worth' where the plausible repair's quote is more than the device is worth.
    quote : float
        What the customer would pay for the repair that leads: labour and parts, what is spent already included.
    rule : str
        Why the next step comes first by the habit of taking a device in; '' where it comes by what it costs.
    rule_costs : float
        How much more the job is expected to cost by that rule; 0 where it costs nothing.
    for_safety : bool
        Whether it comes first because it leads out of a danger: then what it saves is no reason.
    lead : str
        The cheapest plausible repair: what is quoted, and what a technician would begin with.

    """

    next: Option
    equals: tuple[Option, ...]
    beside: Option | None
    options: tuple[Option, ...]
    routes: tuple[RouteTerm, ...]
    commit: float
    refer_cost: float
    hold: str = ""
    quote: float = 0.0
    rule: str = ""
    rule_costs: float = 0.0
    for_safety: bool = False
    lead: str = ""

    @property
    def plan(self) -> tuple[RouteTerm, ...]:
        """The routes in the one order that is shown: the advised repair or the plausible one, then by the ratio rule.

        Handing on stands where it is no dearer than going on. A cheap act with a small chance never leads.
        """
        begins = self.next.id if self.next.kind == "repair" else self.lead
        first = [term for term in self.routes if term.id == begins]
        return (*first, *(term for term in self.routes if term not in first))


def advise(
    belief: Belief,
    prices: Prices,
    *,
    forbidden: Collection[str] = (),
    dangers: Sequence[Danger] = (),
    steps: int = 2,
    limit: float | None = None,
    spent: float = 0.0,
) -> Advice:
    """Recommend the next step.

    A check or try that saves more than a tie comes before a repair: the one with the lowest expected total, and of
    about as good ones (within `at_hand_share` of the job's cost) one that needs no further opening. Among repairs the
    advice leads with a plausible one, at least `plausible_share` of the best chance of cure, where that costs next to
    nothing more; a cheap act with a small chance that would come first by cost alone is offered beside it. A device
    that was seen not to charge is neither proved nor valued as one that might pass, until something was done about it;
    nor is a repair that failed here done again where its chance of cure is under `again_cure`.

    A danger outranks all of this: what it forbids is neither valued nor advised, and what leads out of it comes next,
    unless handing on costs less than the repair that would.

    Parameters
    ----------
    belief : Belief
    prices : Prices
    forbidden : collection of route ids
        Routes that a habit of the shop rules out.
    dangers : sequence of Danger
        What stands, the gravest first.
    steps : {1, 2}
        How far checks and tries are looked ahead.
    limit : float, optional
        What the customer has agreed to pay at most.
    spent : float
        Labour and parts that are on the bill already.

    Returns
    -------
    Advice

    """
    now = _situation(belief, prices, forbidden, dangers, steps)
    by_cost = follow(BY_COST, now, ChosenStep(step=now.as_option(now.lead)))
    chosen = follow(OUTRANKING, now, by_cost)
    step, beside = chosen.step, None
    equals: tuple[Option, ...] = ()
    if not chosen.decided:
        beside = now.as_option(now.cheapest) if now.cheapest.id not in (now.lead.id, REFER) else None
        equals = _near_ties(now, step)
    bill = min(now.plausible, key=lambda term: term.total, default=now.refer)
    quote = spent + bill.act.quote
    habit_costs = max(step.total - by_cost.step.total, 0.0) if chosen.why and not chosen.for_safety else 0.0
    return Advice(
        next=step,
        equals=equals,
        beside=beside,
        options=tuple(now.options),
        routes=tuple(now.routes),
        commit=now.cheapest.total,
        refer_cost=now.refer.total,
        hold=_hold(step, quote, prices, limit, spent),
        quote=quote,
        rule=chosen.why,
        rule_costs=habit_costs,
        for_safety=chosen.for_safety,
        lead=bill.id,
    )


def _situation(
    belief: Belief,
    prices: Prices,
    forbidden: Collection[str],
    dangers: Sequence[Danger],
    steps: int,
    only: str = "",
) -> Situation:
    """Value everything that may follow: repairs by the ratio rule, checks and tries by looking ahead.

    Two steps ahead for all of them, or for one question `only`.
    """
    barred = {*forbidden} - {PROVE} | ({PROVE} if _seen_not_charging(belief) else set())
    table = route_table(belief, prices, barred)
    routes = _allowed(belief, table, dangers)
    going, vain = routes, _in_vain(belief, routes, dangers)
    if vain:
        table = route_table(belief, prices, barred | vain)
        going = _allowed(belief, table, dangers)
    commit = min(term.total for term in going)
    if _nothing_was_done(belief):
        going = [term for term in going if term.id != PROVE]
    everything = every_question(belief, prices, dangers)
    options = value_questions(belief, table, prices, commit, everything, steps=steps, only=only)
    if steps > 1 and not only:
        going = ask_after_failure(
            belief, table, prices, going, options, [question for question in everything if question.speaks]
        )
        better = {term.id: term for term in going}
        routes = [better.get(term.id, term) for term in routes]
        best = min(term.total for term in going)
        if best != commit:
            options = [replace(option, saves=best - option.total) for option in options]
        THENS.keep(belief, prices, frozenset(forbidden), options)
    return Situation(
        belief=belief,
        prices=prices,
        dangers=dangers,
        routes=routes,
        going=going,
        options=options,
        value=lambda other, question: _situation(other, prices, forbidden, dangers, steps, question),
        forbidden=frozenset(forbidden),
    )


def _near_ties(now: Situation, step: Option) -> tuple[Option, ...]:
    """Options whose expected total lies within the tie of the step's, the lowest first, without the step itself."""
    everything = [*now.options, *(now.as_option(term) for term in now.plausible)]
    return tuple(
        option
        for option in sorted(everything, key=lambda option: round(option.total, 9))
        if abs(option.total - step.total) <= now.known.costs.tie and (option.kind, option.id) != (step.kind, step.id)
    )


def _allowed(belief: Belief, table: RouteTable, dangers: Sequence[Danger]) -> list[RouteTerm]:
    """The routes of a table that no danger forbids, in the order of the ratio rule."""
    known = belief.model.known
    return [term for term in route_terms(belief, table) if not forbidding(known, dangers, "repair", term.id)]


def _in_vain(belief: Belief, routes: Sequence[RouteTerm], dangers: Sequence[Danger]) -> set[str]:
    """Repairs that failed here and hardly cure any more: done again they would only be tickets in a lottery.

    They stay among the routes for whoever insists. What leads out of a danger is never one of them.
    """
    if any(danger.todo for danger in dangers):
        return set()
    failed, least = belief.failures, belief.model.known.costs.again_cure
    return {term.id for term in routes if term.id in failed and term.cure < least}


def _nothing_was_done(belief: Belief) -> bool:
    """Whether a proof would only try its luck: nothing was repaired here, and something may well be wrong."""
    return not belief.timeline.repairs and belief.clean < belief.model.known.intake.decisive


def _seen_not_charging(belief: Belief) -> bool:
    """Whether a reading that stands, or a proof that failed, shows that the device does not charge.

    What it does on the customer's own charger counts only where the shop's was not tried.
    """
    checks, failed = belief.model.known.checks, False
    if done_last(belief) is not None:
        return False
    for entry in belief.entries:
        event = entry.event
        if repaired_here(event) or isinstance(event, TryEvent):
            failed = event.works is False
        elif isinstance(event, CheckEvent) and checks[event.check].graded_by == "current":
            failed = failed and checks[event.check].mark_of(entry.grade, event.signs) != "good"
    grades = belief.last_grades
    return failed or any(
        grade in checks[name].no_proof
        for name, variant, grade in ((*key.partition("@")[::2], grade) for key, grade in grades.items())
        if not variant or name not in grades
    )


def _hold(step: Option, quote: float, prices: Prices, limit: float | None, spent: float) -> str:
    """Whether to stop and ask before the next step."""
    if step.kind == "repair" and step.id not in (REFER, PROVE):
        if limit is not None and quote > limit:
            return "limit"
        return "not worth" if quote > prices.value else ""
    if limit is not None and step.kind in ("check", "try") and spent + step.cost > limit:
        return "limit"
    return ""
