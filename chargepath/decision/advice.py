"""What to do next: measure more, try a part, or commit to a repair, in minutes and money.

Repairs are ordered by the classical ratio rule (`plan.py`); a check or a try is valued by looking one and two steps
ahead (`questions.py`) and following that rule afterwards. An opening is paid once per job. The customer's limit stops
it to ask.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from chargepath.case.entries import CheckEvent, PathEvent, RepairEvent, TryEvent
from chargepath.case.timeline import repaired_here
from chargepath.decision.plan import RouteTable, RouteTerm, route_table, route_terms
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option, price_of_asking, question_of, value_questions
from chargepath.diagnosis.belief import Belief
from chargepath.hazards.standing import Danger, forbidding, way_out
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import PROVE, REFER


@dataclass(frozen=True, eq=False)
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

    @property
    def plan(self) -> tuple[RouteTerm, ...]:
        """The routes in the order in which they are to be done: the advised one, then by the ratio rule.

        Handing on stands where it is no dearer than going on.
        """
        first = [term for term in self.routes if self.next.kind == "repair" and term.id == self.next.id]
        return (*first, *(term for term in self.routes if term not in first))


def _as_option(term: RouteTerm, refer_total: float) -> Option:
    return Option("repair", term.id, term.act.minutes, term.act.cost, term.total, refer_total - term.total)


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
    costs = belief.model.known.costs
    barred = {*forbidden} - {PROVE} | ({PROVE} if _seen_not_charging(belief) else set())
    table = route_table(belief, prices, barred)
    routes = _allowed(belief, table, dangers)
    going, vain = routes, _in_vain(belief, routes, dangers)
    if vain:
        table = route_table(belief, prices, barred | vain)
        going = _allowed(belief, table, dangers)
    refer = next(term for term in going if term.id == REFER)
    repairs = [term for term in going if term.id != REFER]
    cheapest = min(going, key=lambda term: term.total)
    best_cure = max((term.cure for term in repairs), default=0.0)
    plausible = [term for term in repairs if term.cure >= costs.plausible_share * best_cure]
    lead = cheapest if cheapest.id == REFER else min(plausible, key=lambda term: term.total)
    if lead.total > cheapest.total * (1 + costs.plausible_price):
        lead = cheapest
    beside = _as_option(cheapest, refer.total) if cheapest.id not in (lead.id, REFER) else None
    options = value_questions(belief, table, prices, cheapest.total, dangers=dangers, steps=steps)
    step = _as_option(lead, refer.total)
    worth_it = [option for option in options if option.saves > costs.tie]
    at_hand = [option for option in worth_it if not _opens(belief, option)]
    if worth_it:
        step = worth_it[0]
        if at_hand and at_hand[0].total <= step.total + costs.at_hand_share * cheapest.total:
            step = at_hand[0]
    everything = [*options, *(_as_option(term, refer.total) for term in plausible)]
    rule, by_cost = "", step
    found = _settled(belief, routes, refer)
    out = _out_of_danger(belief, prices, dangers, options, routes, cheapest.total)
    if out is not None and not (found and found.kind == HAND_OVER):
        found = out
    step = _before(belief, prices, options, routes, step)
    first = _intake(belief, prices, dangers, options, routes, found or step, cheapest.total, refer.total)
    if first is not None:
        found, rule = first
    if found is not None:
        step, beside, everything = found, None, []
    equals = tuple(
        option
        for option in sorted(everything, key=lambda option: round(option.total, 9))
        if abs(option.total - step.total) <= costs.tie and (option.kind, option.id) != (step.kind, step.id)
    )
    bill = min(plausible, key=lambda term: term.total, default=refer)
    quote = spent + bill.act.quote
    hold = _hold(step, quote, prices, limit, spent)
    costs_more = max(step.total - by_cost.total, 0.0) if rule and out is None else 0.0
    return Advice(
        step,
        equals,
        beside,
        tuple(options),
        tuple(routes),
        cheapest.total,
        refer.total,
        hold,
        quote,
        rule,
        costs_more,
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


def _seen_not_charging(belief: Belief) -> bool:
    """Whether a reading that stands, or a proof that failed, shows that the device does not charge.

    What it does on the customer's own charger counts only where the shop's was not tried.
    """
    checks, failed = belief.model.known.checks, False
    if _done_last(belief) is not None:
        return False
    for entry in belief.entries:
        event = entry.event
        if repaired_here(event):
            failed = event.works is False
        elif isinstance(event, CheckEvent) and checks[event.check].graded_by == "current":
            failed = failed and checks[event.check].mark_of(entry.grade, event.signs) != "good"
    grades = belief.last_grades
    return failed or any(
        grade in checks[name].no_proof
        for name, variant, grade in ((*key.partition("@")[::2], grade) for key, grade in grades.items())
        if not variant or name not in grades
    )


def _done_last(belief: Belief) -> RepairEvent | None:
    """The repair that was done last and has not failed; None where something that came after it opens the case."""
    done = None
    for entry in belief.entries:
        event = entry.event
        if repaired_here(event):
            done = event
        elif done is not None and isinstance(event, CheckEvent) and entry.state == "counts":
            check = belief.model.known.checks[event.check]
            done = done if check.mark_of(entry.grade, event.signs) == "good" else None
        elif isinstance(event, TryEvent | PathEvent):
            done = None
    return None if done is None or done.works is False else done


def _settled(belief: Belief, routes: Sequence[RouteTerm], refer: RouteTerm) -> Option | None:
    """What follows a repair that is done: its proof, and after that handing over; None where something is open.

    A reading that is off after it opens the case again.
    """
    done = _done_last(belief)
    if done is None:
        return None
    if done.route == REFER or (done.works and (done.proved or done.route == PROVE)):
        return Option(HAND_OVER, HAND_OVER, 0.0, 0.0, 0.0, 0.0)
    prove = next((term for term in routes if term.id == PROVE), None)
    return None if prove is None else _as_option(prove, refer.total)


def _intake(
    belief: Belief,
    prices: Prices,
    dangers: Sequence[Danger],
    options: Sequence[Option],
    routes: Sequence[RouteTerm],
    step: Option,
    commit: float,
    refer_total: float,
) -> tuple[Option, str] | None:
    """What the habit of taking a device in puts before a step, and why; None where the step may come.

    It holds while the device is closed, nothing was repaired here and nothing decisive is known. A danger that was
    seen comes before it; one that was only told does not.
    """
    model, known = belief.model, belief.model.known
    repaired = bool(belief.timeline.repairs)
    closed = known.access[belief.access].level == 0
    pressing = any(danger.todo and not danger.raised.told for danger in dangers)
    if repaired or not closed or pressing or step.kind == HAND_OVER or belief.faults[0][1] >= known.intake.decisive:
        return None
    far = step.id == REFER or step.kind == "try" or _opens(belief, step)
    done = {key.split("@")[0] for key in belief.last_grades}
    seen = _signs_seen(belief)
    for rule in known.intake.rules:
        fits = (not rule.told or set(rule.told) & set(model.history)) and (not rule.seen or seen & set(rule.seen))
        if rule.id in done or not fits or not (rule.first or far) or forbidding(known, dangers, rule.kind, rule.id):
            continue
        if rule.id == step.id:
            return None
        if rule.kind == "repair":
            term = next((term for term in routes if term.id == rule.id), None)
            if term is not None:
                return _as_option(term, refer_total), rule.why
        elif model.offers(known.checks[rule.id]):
            return _checking(belief, prices, options, rule.id, commit), rule.why
    return None


def _signs_seen(belief: Belief) -> set[tuple[str, str]]:
    """Every sign that a look shows now, with its check."""
    return {
        (entry.event.check, sign)
        for entry in belief.entries
        if isinstance(entry.event, CheckEvent) and entry.state == "counts"
        for sign in entry.event.signs
    }


def _before(
    belief: Belief, prices: Prices, options: Sequence[Option], routes: Sequence[RouteTerm], step: Option
) -> Option:
    """What has to be measured before a repair is begun, where it was not; the step itself otherwise."""
    term = next((term for term in routes if step.kind == "repair" and term.id == step.id), None)
    if term is None or not term.act.requires:
        return step
    found = _checking(belief, prices, options, term.act.requires[0], step.total)
    return replace(found, total=min(found.total, step.total))


def _checking(belief: Belief, prices: Prices, options: Sequence[Option], name: str, commit: float) -> Option:
    """A check as an option, whether or not it was valued among the others."""
    found = next((option for option in options if option.kind == "check" and option.id == name), None)
    if found is not None:
        return found
    asked = question_of(belief.model.known.checks[name], belief, prices)
    minutes, cost = price_of_asking(asked, belief.access, belief, prices)
    return Option("check", name, minutes, cost, commit + cost, -cost)


def _out_of_danger(
    belief: Belief,
    prices: Prices,
    dangers: Sequence[Danger],
    options: Sequence[Option],
    routes: Sequence[RouteTerm],
    commit: float,
) -> Option | None:
    """What leads out of the dangers that stand, None where none presses; handing on where that costs less."""
    model = belief.model
    terms = {term.id: term for term in routes}

    def offered(kind: str, name: str) -> bool:
        return name in terms if kind == "repair" else model.offers(model.known.checks[name])

    way = way_out(model.known, dangers, offered)
    if way is None:
        return None
    kind, name = way
    if kind == "repair":
        refer = terms[REFER]
        return _as_option(min(terms[name], refer, key=lambda term: term.total), refer.total)
    return _checking(belief, prices, options, name, commit)


def _opens(belief: Belief, option: Option) -> bool:
    """Whether a check or try needs the device opened further."""
    known = belief.model.known
    if option.kind == HAND_OVER:
        return False
    if option.kind == "check":
        level = known.checks[option.id].access
    else:
        level = known.routes[option.id].access_for(belief.model.device.carrier)
    return known.access[level].level > known.access[belief.access].level


def _hold(step: Option, quote: float, prices: Prices, limit: float | None, spent: float) -> str:
    """Whether to stop and ask before the next step."""
    if step.kind == "repair" and step.id not in (REFER, PROVE):
        if limit is not None and quote > limit:
            return "limit"
        return "not worth" if quote > prices.value else ""
    if limit is not None and step.kind in ("check", "try") and spent + step.cost > limit:
        return "limit"
    return ""
