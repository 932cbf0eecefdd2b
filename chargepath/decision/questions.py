"""What a check or a try is worth: one look ahead over all of them, two looks ahead over the best."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import TryEvent
from chargepath.decision.plan import RouteTable, job_costs
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, blocked
from chargepath.hazards.standing import Danger, forbidding
from chargepath.knowledge import Check

# How many first and second questions are looked at two steps ahead; more would not keep to 200 ms.
FIRST, SECOND = 5, 6


@dataclass(frozen=True)
class Outcome:
    """One way a check or try can turn out: how likely, and what the job then costs."""

    label: str
    chance: float
    total: float
    top_fault: str
    top_chance: float


@dataclass(frozen=True)
class Option:
    """Something to do next.

    Attributes
    ----------
    kind : {'check', 'try', 'repair'}
    id : str
    minutes : float
        Hands-on minutes, the opening not yet paid included.
    cost : float
        Money for those minutes, waiting and parts.
    total : float
        Expected cost of the whole job when this is done first.
    saves : float
        For a check or try: how much less the job costs than committing to a repair at once. For a repair: how much less
        than handing the device on.
    outcomes : tuple of Outcome
    then : str
        The second check or try that pays together with this one, '' where one look ahead says it all.

    """

    kind: str
    id: str
    minutes: float
    cost: float
    total: float
    saves: float
    outcomes: tuple[Outcome, ...] = ()
    then: str = ""


@dataclass(frozen=True, eq=False)
class Question:
    """A check or try with the likelihood of each of its outcomes, shape (n_outcomes, n_states).

    `assembled`: an opened device has to be put together for it.
    """

    kind: str
    id: str
    access: str
    minutes: float
    wait: float
    labels: tuple[str, ...]
    grades: tuple[str, ...]
    chances: Array
    assembled: bool = False


def _look_outcomes(check: Check, looks: Sequence[tuple[float, Array]]) -> tuple[tuple[str, ...], Array]:
    """Outcomes of a look, summed up: nothing seen, one sign alone, several signs.

    `looks` are the ways in which it can show itself, each with its share.
    """
    rows = []
    for share, table in looks:
        none = (1 - table).prod(axis=1)
        alone = [none * table[:, k] / (1 - table[:, k]) for k in range(table.shape[1])]
        several = np.clip(1 - none - np.sum(alone, axis=0), 0.0, 1.0)
        rows.append(share * np.stack([none, *alone, several]))
    labels = ("nothing to see", *(check.name(sign) for sign in check.signs), "several of these")
    return labels, np.asarray(sum(rows))


def question_of(check: Check, belief: Belief, prices: Prices) -> Question:
    """A check as a question: what it may show, and how likely that is in each state."""
    model, given = belief.model, belief.given(check)
    if check.is_look:
        labels, chances = _look_outcomes(check, model.looks(check))
        names = tuple("seen" for _ in labels)
    else:
        table = model.table(check) if given is None else model.table_given(check, given)
        labels, chances, names = tuple(check.name(grade) for grade in check.grades), table.T, check.grades
    minutes = prices.check_minutes(check)
    assembled = check.access == "outside" and bool(check.puts)
    return Question("check", check.id, check.access, minutes, check.wait_minutes, labels, names, chances, assembled)


def questions(
    belief: Belief, prices: Prices, dangers: Sequence[Danger] = (), *, whatever: bool = False
) -> list[Question]:
    """Every check and try that would say something new and that no danger forbids.

    With `whatever`, those too that only speak after another one.
    """
    model, known = belief.model, belief.model.known
    grades, out = belief.last_grades(), []
    repeated = {key.split("@")[0] for key in grades}
    for check in known.checks.values():
        if check.unasked or check.id in grades or repeated.intersection(check.repeats):
            continue
        if not model.offers(check) or (not whatever and blocked(known, check, grades)):
            continue
        if forbidding(known, dangers, "check", check.id):
            continue
        out.append(question_of(check, belief, prices))
    tried = {event.route for event in belief.since_repair() if isinstance(event, TryEvent)}
    for route in known.routes.values():
        if route.try_minutes is None or route.id in tried or not model.offers_route(route):
            continue
        if forbidding(known, dangers, "try", route.id):
            continue
        works = model.works_trying(route)
        access, labels = route.access_for(model.device.carrier), ("it charges", "it does not")
        chances = np.stack([works, 1 - works])
        out.append(Question("try", route.id, access, prices.try_minutes(route), 0.0, labels, ("", ""), chances))
    return out


def _level(belief: Belief, question: Question) -> int:
    """How far the device is open once a question has been asked."""
    levels = belief.model.known.access
    return max(levels[belief.access].level, levels[question.access].level)


def price_of_asking(question: Question, opened: str, belief: Belief, prices: Prices) -> tuple[float, float]:
    """Minutes [min] and money of asking a question on a device that is opened so far.

    Hands, opening not yet paid or putting together, waiting.
    """
    known = belief.model.known
    minutes = question.minutes + prices.opening(known, question.access, opened)
    if question.assembled and known.access[opened].level > 0:
        minutes += prices.pace * prices.reassemble_minutes
    return minutes, minutes * prices.rate_per_minute + question.wait * prices.wait_per_minute


def value_questions(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    commit: float,
    *,
    dangers: Sequence[Danger] = (),
    steps: int = 2,
) -> list[Option]:
    """Value every check and try by looking one step ahead, the best of them by two; best saving first.

    Parameters
    ----------
    belief : Belief
    table : RouteTable
    prices : Prices
    commit : float
        Expected cost of the job when a repair is committed to at once (money).
    dangers : sequence of Danger
        What they forbid is not valued.
    steps : {1, 2}

    """
    asked = questions(belief, prices, dangers)
    if not asked:
        return []
    blocks = [belief.mass * question.chances for question in asked]
    levels = [_level(belief, question) for question in asked]
    costs = _costs(table, blocks, levels)
    options = [
        _option(belief, prices, question, block, cost, commit)
        for question, block, cost in zip(asked, blocks, costs, strict=True)
    ]
    if steps > 1:
        options = _second_look(belief, table, prices, asked, options, commit, dangers)
    return sorted(options, key=lambda option: -round(option.saves, 9))


def _costs(table: RouteTable, blocks: Sequence[Array], levels: Sequence[int]) -> list[Array]:
    """Expected cost of the job for each row of each block, in one run of the ratio rule.

    `levels` is what is opened for a block.
    """
    sizes = [len(block) for block in blocks]
    paid = np.repeat(np.array(levels, dtype=np.int64), sizes)
    costs = job_costs(table, np.concatenate(blocks), paid)
    return np.split(costs, np.cumsum(sizes)[:-1])


def _option(belief: Belief, prices: Prices, question: Question, block: Array, costs: Array, commit: float) -> Option:
    """One question with each of its outcomes.

    `block` (n_outcomes, n_states) is the mass of each, `costs` what the job then costs.
    """
    model = belief.model
    chances = np.maximum(block.sum(axis=1), 1e-300)
    marginals = block @ model.states.has / chances[:, None]
    tops = marginals.argmax(axis=1)
    minutes, cost = price_of_asking(question, belief.access, belief, prices)
    total = cost + float(costs.sum())
    outcomes = tuple(
        Outcome(
            label=label,
            chance=float(chances[row]),
            total=float(costs[row] / chances[row]),
            top_fault=model.fault_ids[tops[row]],
            top_chance=float(marginals[row, tops[row]]),
        )
        for row, label in enumerate(question.labels)
    )
    return Option(question.kind, question.id, minutes, cost, total, commit - total, outcomes)


@dataclass(frozen=True, eq=False)
class _Branch:
    """A second question after one outcome of a first.

    Both, which outcome, and the mass of each answer (n_outcomes, n_states).
    """

    first: int
    outcome: int
    second: Question
    mass: Array


def _branches(
    belief: Belief,
    prices: Prices,
    asked: Sequence[Question],
    by_saving: Sequence[int],
    dangers: Sequence[Danger],
) -> list[_Branch]:
    """Every second question worth looking at, after each outcome of the most promising first ones.

    Those that speak already are among the best by one look; those that only speak after another check come on top.
    """
    known, grades = belief.model.known, belief.last_grades()
    ready = {question.id for question in asked}
    late = [question for question in questions(belief, prices, dangers, whatever=True) if question.id not in ready]
    best = [asked[number] for number in by_saving[:SECOND]]
    out = []
    for number in by_saving[:FIRST]:
        start = asked[number]
        followers = [*best, *late] if start.kind == "check" else best
        for row, grade in enumerate(start.grades):
            after = {**grades, start.id: grade} if start.kind == "check" else grades
            for second in followers:
                silent = second.kind == "check" and blocked(known, known.checks[second.id], after)
                if second.id != start.id and not silent:
                    out.append(_Branch(number, row, second, belief.mass * start.chances[row] * second.chances))
    return out


def _second_look(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    asked: Sequence[Question],
    options: list[Option],
    commit: float,
    dangers: Sequence[Danger],
) -> list[Option]:
    """The same options, the most promising of them valued with the best second question after each outcome."""
    by_saving = sorted(range(len(asked)), key=lambda number: -round(options[number].saves, 9))
    branches = _branches(belief, prices, asked, by_saving, dangers)
    if not branches:
        return options
    levels = [max(_level(belief, asked[branch.first]), _level(belief, branch.second)) for branch in branches]
    costs = _costs(table, [branch.mass for branch in branches], levels)
    best: dict[tuple[int, int], tuple[float, str]] = {}
    for branch, cost in zip(branches, costs, strict=True):
        opened = max(
            [belief.access, asked[branch.first].access], key=lambda name: belief.model.known.access[name].level
        )
        _, price = price_of_asking(branch.second, opened, belief, prices)
        worth = float(cost.sum()) + price * float(branch.mass.sum())
        key = (branch.first, branch.outcome)
        if key not in best or worth < best[key][0]:
            best[key] = (worth, branch.second.id)
    first = set(by_saving[:FIRST])
    return [
        _deeper(option, [best.get((number, row)) for row in range(len(option.outcomes))], commit)
        if number in first
        else option
        for number, option in enumerate(options)
    ]


def _deeper(option: Option, seconds: Sequence[tuple[float, str] | None], commit: float) -> Option:
    """An option with the better of stopping and asking on after each of its outcomes."""
    total, gains, outcomes = option.cost, [(0.0, "")], []
    for outcome, second in zip(option.outcomes, seconds, strict=True):
        here = outcome.total * outcome.chance
        better = min(here, second[0]) if second else here
        if second and here - better > 0:
            gains.append((here - better, second[1]))
        total += better
        outcomes.append(replace(outcome, total=better / max(outcome.chance, 1e-300)))
    gain, then = max(gains)
    return replace(option, total=total, saves=commit - total, outcomes=tuple(outcomes), then=then if gain > 0.5 else "")
