"""The one filled block: what to do next, why, and the answers that a press can give."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace

from chargepath.base.quantities import typed
from chargepath.base.sentences import inside
from chargepath.decision.plan import RouteTerm
from chargepath.decision.questions import Option
from chargepath.hazards.standing import Danger
from chargepath.knowledge import Check
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import NO_REPAIR, PROVE, REFER
from chargepath.knowledge.wording import Caution
from rainfront.jobs.extensions import Link, tools_of
from rainfront.jobs.models import Backup
from rainfront.jobs.planning import plan_for
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.words import example_line
from rainfront.web.scenes.charge_line import percent

# How many buttons a card may have above the log on a screen of 1280 by 800, and how many of them a line of text takes.
# What is about as good stands in two lines.
ROOM, LINE_ROOM, EQUAL_LINES = 5, 2, 2
VERBS = {"check": "Check", "try": "Try", "repair": "Repair"}


@dataclass(frozen=True)
class Answer:
    """A button that records one outcome: the quick line it stands for, and where it would leave the gauges (JSON)."""

    line: str
    label: str
    levels: str = ""


@dataclass(frozen=True)
class OutcomeRow:
    """One way a check or try can turn out."""

    label: str
    chance: str
    leads: str
    total: str


@dataclass(frozen=True)
class NextCard:
    """What to do next."""

    kind: str
    id: str
    verb: str
    label: str
    minutes: str
    opens: str
    reason: str
    place: str = ""
    outcomes: tuple[OutcomeRow, ...] = ()
    cautions: tuple[Caution, ...] = ()
    answers: tuple[Answer, ...] = ()
    example: str = ""
    tools: tuple[Link, ...] = ()
    # Whether the repair may be begun by one press: nothing is left to be asked before it.
    at_once: bool = False

    def crowded_with(self, equals: int) -> bool:
        """Whether its buttons, cautions and so many equals leave no room for the log below: then it stands beside."""
        lines = len(self.cautions) + min(equals, EQUAL_LINES)
        return len(self.answers) + len(self.tools) + LINE_ROOM * lines > ROOM


def card_of(basis: Basis, option: Option) -> NextCard:
    """The card of a check, a try or a repair."""
    make = {"check": _check_card, "try": _try_card, "repair": _repair_card, HAND_OVER: _hand_over_card}
    return make[option.kind](basis, option)


def _check_card(basis: Basis, option: Option) -> NextCard:
    check, danger = basis.known.checks[option.id], _leads_out(basis, option)
    wait = f" and {check.wait_minutes:.0f} min waiting" if check.wait_minutes else ""
    return NextCard(
        kind="check",
        id=check.id,
        verb=VERBS["check"],
        label=check.label,
        minutes=f"{option.minutes:.0f} min{wait}",
        opens=basis.opens(check.access),
        reason=_danger_reason(danger) if danger else _rule(basis, option) or _saves(basis, option),
        place=check.place,
        outcomes=_outcomes(basis, option),
        cautions=_cautions(basis, check.access, check.cautions),
        answers=_with_levels(basis, option, answers_of(check)),
        example=example_line(check),
        tools=tuple(tools_of(basis.job, check, basis.shop)),
    )


def answers_of(check: Check) -> tuple[Answer, ...]:
    """What a press can answer to a check."""
    clean = [Answer(f"{check.word} clean", "nothing to see")] if check.is_look else []
    named = [name for name in check.signs or check.grades if name not in check.needs_value]
    return (*clean, *(Answer(f"{check.word} {name}", check.name(name)) for name in named))


def _with_levels(basis: Basis, option: Option, answers: Sequence[Answer]) -> tuple[Answer, ...]:
    """The answers to what comes next with what each would do to the gauges."""
    if option is not basis.advice.next:
        return tuple(answers)
    after = {
        label: json.dumps({station: round(chance, 3) for station, chance in levels.items()})
        for label, levels in basis.core.levels.items()
    }
    return tuple(replace(answer, levels=after.get(answer.label, "")) for answer in answers)


def _try_card(basis: Basis, option: Option) -> NextCard:
    route = basis.known.routes[option.id]
    access = route.access_for(basis.job.carrier)
    answers = (Answer(f"try {route.id} yes", "it charges"), Answer(f"try {route.id} no", "it does not"))
    plan = plan_for(
        basis.core.case.device, route.id, basis.shop, dangers=basis.danger_ids, model_name=basis.job.model_name
    )
    own = tuple(dict.fromkeys(name for row in plan.steps if not row.level for name in row.step.cautions))
    return NextCard(
        kind="try",
        id=route.id,
        verb=VERBS["try"],
        label=route.try_label,
        minutes=f"{option.minutes:.0f} min",
        opens=basis.opens(access),
        reason=_saves(basis, option),
        place="Only to see whether it charges meanwhile; nothing is repaired by it.",
        outcomes=_outcomes(basis, option),
        cautions=_cautions(basis, access, own[:2]),
        answers=_with_levels(basis, option, answers),
        example=f"try {typed(route.id)} yes",
    )


def _repair_card(basis: Basis, option: Option) -> NextCard:
    route = basis.known.routes[option.id]
    term = basis.core.term(option.id)
    assert term is not None
    danger = _leads_out(basis, option)
    reason = _stop_reason(basis) if route.id == REFER else _repair_reason(basis, term)
    return NextCard(
        kind="repair",
        id=route.id,
        verb={REFER: "Stop here", PROVE: "Prove"}.get(route.id, VERBS["repair"]),
        label=route.label,
        minutes=f"{option.minutes:.0f} min with the proof",
        opens=basis.opens(route.access_for(basis.job.carrier)),
        reason=(_danger_reason(danger) if danger else _rule(basis, option) or reason) + _shelf_words(basis, route.id),
        cautions=(basis.known.cautions[danger.hazard.caution],) if danger else (),
        at_once=option is basis.advice.next and route.id not in NO_REPAIR and not _asks_before(basis, term),
    )


def _asks_before(basis: Basis, term: RouteTerm) -> bool:
    """Whether something is said before a repair is begun: a danger, the customer's limit, a backup."""
    opens = basis.opens(basis.known.routes[term.id].access_for(basis.job.carrier))
    unsaved = bool(opens) and basis.job.backup == Backup.UNKNOWN
    return bool(basis.core.dangers) or basis.core.over_limit(term) or unsaved


def _shelf_words(basis: Basis, route: str) -> str:
    """What the shelf says of a repair's part, '' where the shop keeps none or has several."""
    words = {
        0: " None of its parts lies on the shelf: order one before the device is opened.",
        1: " It takes the last part.",
    }
    return words.get(basis.judged.shelf.get(route, -1), "")


def _hand_over_card(basis: Basis, option: Option) -> NextCard:
    return NextCard(
        kind=HAND_OVER,
        id=HAND_OVER,
        verb="Hand it over",
        label=basis.job.model_name,
        minutes="",
        opens="",
        reason="It is proved, or goes back as it is. Note what was wrong, tell the customer, close the job.",
    )


def _leads_out(basis: Basis, option: Option) -> Danger | None:
    """The danger that this step leads out of, None where it is chosen by what it costs."""
    return next((danger for danger in basis.core.dangers if option.id in danger.todo), None)


def _rule(basis: Basis, option: Option) -> str:
    """Why a step comes first by the habit of taking in, and what that costs by the numbers; '' where it does not."""
    advice = basis.advice
    if not advice.rule or option is not advice.next:
        return ""
    costs = f" By the numbers alone it costs {basis.money(advice.rule_costs)}." if advice.rule_costs >= 1 else ""
    return advice.rule + costs


def _danger_reason(danger: Danger) -> str:
    return f"{danger.hazard.label}: this comes before everything else, whatever it costs."


def _stop_reason(basis: Basis) -> str:
    on, off = basis.money(basis.advice.commit), basis.money(basis.advice.refer_cost)
    return (
        f"Every further step is expected to cost more than it brings: going on {on}, handing it on {off}. "
        f"The device is worth {basis.money(float(basis.job.value))}."
    )


def _repair_reason(basis: Basis, term: RouteTerm) -> str:
    what = "that nothing is wrong" if term.id == PROVE else "to cure all that is wrong"
    text = (
        f"{percent(term.cure)} {what} for {basis.money(term.act.cost)}; "
        f"the whole job then is expected to cost {basis.money(term.total)}."
    )
    if not basis.advice.options:
        return text
    best = basis.advice.options[0]
    name = basis.label(best) if best.kind == "check" else f"trying {basis.label(best)}"
    gain = f"would save {basis.money(best.saves)} at most" if best.saves > 0 else "would not pay for its minutes"
    return f"{text} Measuring more ({name}) {gain}."


def _saves(basis: Basis, option: Option) -> str:
    wanting = [term for term in basis.advice.routes if option.id in term.act.requires]
    if option.saves < 0 and wanting:
        leading = min(wanting, key=lambda term: term.total)
        label = inside(basis.known.routes[leading.id].label)
        total = basis.money(leading.total)
        return f"Needed before you {label}. The job is expected to cost {total}."
    instead = f"{basis.money(option.total)} instead of {basis.money(basis.advice.commit)}"
    after = _question_after(basis, option.then)
    if not after:
        return f"Saves about {basis.money(option.saves)} against repairing now: the job is expected to cost {instead}."
    alone = basis.money(option.alone) if option.alone > 0 else "nothing"
    return f"Saves about {basis.money(option.saves)} with {after} next, {alone} alone: expected cost {instead}."


def _question_after(basis: Basis, name: str) -> str:
    """A check or a try that follows a question, in words; '' for none."""
    if not name:
        return ""
    check = basis.known.checks.get(name)
    return f"'{check.label}'" if check is not None else f"'{basis.known.routes[name].try_label}'"


def _outcomes(basis: Basis, option: Option) -> tuple[OutcomeRow, ...]:
    return tuple(
        OutcomeRow(
            outcome.label,
            percent(outcome.chance),
            f"{basis.known.faults[outcome.top_fault].label} {percent(outcome.top_chance)}",
            basis.money(outcome.total),
        )
        for outcome in option.outcomes
    )


def _cautions(basis: Basis, access: str, own: tuple[str, ...]) -> tuple[Caution, ...]:
    """The act's own cautions, and those of each level that it still opens."""
    levels = basis.known.access
    reached, wanted = levels[basis.belief.access].level, levels[access].level
    names = list(own)
    for level in list(levels.values())[reached + 1 : wanted + 1]:
        names += level.cautions
    return tuple(basis.known.cautions[name] for name in dict.fromkeys(names))


def equal_text(basis: Basis, option: Option) -> str:
    """Something about as good as the next step, in a line."""
    return f"{option.kind}: {basis.label(option)}, {option.minutes:.0f} min, {basis.money(option.total)}"
