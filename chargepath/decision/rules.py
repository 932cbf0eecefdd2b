"""The rules that choose the next step, in their order: each may put another step in place of the one before it.

By cost alone the plausible repair leads. A rule returns the choice that it makes instead, or None to let the choice of
the rules before it stand. What a later rule says outranks an earlier one: a danger outranks the arithmetic, and the
habit of taking a device in outranks both where it applies.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from chargepath.decision.questions import Option
from chargepath.decision.situation import Situation
from chargepath.diagnosis.graded import blocked
from chargepath.hazards.standing import forbidding, way_out
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import PROVE, REFER


@dataclass(frozen=True, kw_only=True)
class ChosenStep:
    """The step that the rules so far have chosen.

    Attributes
    ----------
    step : Option
    decided : bool
        Whether it stands by itself: then nothing is offered as about equal or beside it.
    why : str
        The reason of a habit, as it is shown to people; '' where the step comes by what it costs.
    for_safety : bool
        Whether a danger had put a step of its own in place; what a habit then costs is not held against it.

    """

    step: Option
    decided: bool = False
    why: str = ""
    for_safety: bool = False


Rule = Callable[[Situation, ChosenStep], ChosenStep | None]


def ask_before_repairing(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """A check or try that saves more than a tie comes before a repair: the one with the lowest expected total."""
    worth_it = [option for option in now.options if option.saves > now.known.costs.tie]
    return replace(chosen, step=worth_it[0]) if worth_it else None


def ask_what_is_at_hand(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """A question that needs no further opening comes first, where the job then costs hardly more.

    Hardly more is `at_hand_share` of the job's cost for a question that pays without another one after it. On a device
    that is still closed a tie is enough for any that pays: a look from outside comes before the cover.
    """
    costs, least = now.known.costs, chosen.step.total
    closed = now.known.access[now.belief.access].level == 0
    for one in now.options:
        share = costs.at_hand_share * now.cheapest.total if one.alone > costs.tie else 0.0
        room = max(share, costs.tie if closed else 0.0)
        if one.saves > costs.tie and one.total <= least + room and not now.opens(one):
            return replace(chosen, step=one)
    return None


def ask_what_it_leads_to(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """A second question that was the reason for the question before already is asked itself, not led up to again."""
    then = chosen.step.then
    if not then or then != now.promised:
        return None
    found = next((option for option in now.options if option.id == then), None)
    return None if found is None else replace(chosen, step=found)


def measure_what_a_repair_requires(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """A check without which nobody should begin a repair comes before that repair."""
    term = now.route(chosen.step.id) if chosen.step.kind == "repair" else None
    if term is None or not term.act.requires:
        return None
    found = now.checking(term.act.requires[0], chosen.step.total)
    return replace(chosen, step=replace(found, total=min(found.total, chosen.step.total)))


def finish_what_is_done(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """A repair that is done is proved; one that is proved is handed over."""
    done = now.done
    if done is None:
        return None
    if done.route == REFER or (done.works and (done.proved or done.route == PROVE)):
        return ChosenStep(
            step=Option(kind=HAND_OVER, id=HAND_OVER, minutes=0.0, cost=0.0, total=0.0, saves=0.0), decided=True
        )
    prove = now.route(PROVE)
    return None if prove is None else ChosenStep(step=now.as_option(prove), decided=True)


def lead_out_of_danger(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """What leads out of a danger that stands comes next, or handing on where that costs less than the repair.

    Nothing is handed over while a danger stands, whatever was proved before; only handing on is.
    """
    over = chosen.decided and chosen.step.kind == HAND_OVER
    if over and now.done is not None and now.done.route == REFER:
        return None

    def offered(kind: str, name: str) -> bool:
        return now.route(name) is not None if kind == "repair" else now.belief.model.offers(now.known.checks[name])

    way = way_out(now.known, now.dangers, offered)
    if way is None:
        refer = ChosenStep(step=now.as_option(now.refer), decided=True, for_safety=True)
        return refer if over and now.dangers else None
    kind, name = way
    if kind == "check":
        return ChosenStep(step=now.checking(name, now.cheapest.total), decided=True, for_safety=True)
    # Whatever ends the danger is a way out of it: the one that serves the whole job best.
    danger = next(danger for danger in now.dangers if name in danger.todo)
    ends = [term for one in (name, *danger.raised.ended_by) if (term := now.route(one)) is not None]
    cheaper = min(*ends, now.refer, key=lambda one: one.total)
    return ChosenStep(step=now.as_option(cheaper), decided=True, for_safety=True)


def take_in_as_is_usual(now: Situation, chosen: ChosenStep) -> ChosenStep | None:
    """Look at what everybody looks at first, while the device is closed and nothing decisive is known.

    A danger that was seen comes before this habit; one that was only told does not.
    """
    belief, known, step = now.belief, now.known, chosen.step
    closed = known.access[belief.access].level == 0
    pressing = any(danger.todo and not danger.raised.told for danger in now.dangers)
    decisive = belief.faults[0][1] >= known.intake.decisive
    if pressing or step.kind == HAND_OVER:
        return None
    # What a rule rests on that was seen with one's own eyes stays true; the others are habits for the beginning.
    beginning = not (belief.timeline.repairs or decisive) and closed
    far = step.id == REFER or step.kind == "try" or now.opens(step)
    done = {key.split("@")[0] for key in belief.last_grades}
    for rule in known.intake.rules:
        called_for = rule.holds(belief.model.history, belief.last_signs, belief.last_grades)
        if rule.id in done or not called_for or not (rule.first or far):
            continue
        if not beginning and not (rule.seen and now.plugs_in(step)):
            continue
        if forbidding(known, now.dangers, rule.kind, rule.id):
            continue
        if rule.id == step.id:
            return None
        if rule.kind == "repair":
            term = now.route(rule.id)
            if term is not None:
                return replace(chosen, step=now.as_option(term), decided=True, why=rule.why)
        elif belief.model.offers(known.checks[rule.id]) and not blocked(known, known.checks[rule.id], belief.lately):
            step = now.checking(rule.id, now.cheapest.total)
            return replace(chosen, step=step, decided=True, why=rule.why)
    return None


# Rules that compare costs come first. The others hold whatever they cost, so they come after and replace the choice.
BY_COST: tuple[Rule, ...] = (ask_before_repairing, ask_what_is_at_hand, ask_what_it_leads_to)
OUTRANKING: tuple[Rule, ...] = (
    measure_what_a_repair_requires,
    finish_what_is_done,
    lead_out_of_danger,
    take_in_as_is_usual,
)


def follow(rules: tuple[Rule, ...], now: Situation, chosen: ChosenStep) -> ChosenStep:
    """The choice after every rule has spoken, in their order."""
    for rule in rules:
        chosen = rule(now, chosen) or chosen
    return chosen
