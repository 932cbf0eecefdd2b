"""What a check or a try is worth: one look ahead over all of them, two looks ahead over the best."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import TryEvent
from chargepath.decision.plan import RouteTable, plan
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, blocked
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
    """A check or try with the likelihood of each of its outcomes, shape (n_outcomes, n_states)."""

    kind: str
    id: str
    access: str
    minutes: float
    wait: float
    labels: tuple[str, ...]
    grades: tuple[str, ...]
    chances: Array


def _look_outcomes(check: Check, table: Array) -> tuple[tuple[str, ...], Array]:
    """Outcomes of a look, summed up: nothing seen, one sign alone, several signs."""
    none = (1 - table).prod(axis=1)
    alone = [none * table[:, k] / (1 - table[:, k]) for k in range(table.shape[1])]
    several = np.clip(1 - none - np.sum(alone, axis=0), 0.0, 1.0)
    labels = ("nothing to see", *(check.name(sign) for sign in check.signs), "several of these")
    return labels, np.stack([none, *alone, several])


def questions(belief: Belief, prices: Prices, *, whatever: bool = False) -> list[Question]:
    """Every check and try that would say something new; with `whatever`, those too that only speak after another one."""
    model, known = belief.model, belief.model.known
    grades, out = belief.last_grades(), []
    for check in known.checks.values():
        if check.id in grades or not model.offers(check) or (not whatever and blocked(check, grades)):
            continue
        table = model.table(check)
        if check.is_look:
            labels, chances = _look_outcomes(check, table)
            names = tuple("seen" for _ in labels)
        else:
            labels, chances, names = tuple(check.name(grade) for grade in check.grades), table.T, check.grades
        minutes = prices.check_minutes(check)
        out.append(Question("check", check.id, check.access, minutes, check.wait_minutes, labels, names, chances))
    tried = {event.route for event in belief.since_repair() if isinstance(event, TryEvent)}
    for route in known.routes.values():
        if route.try_minutes is None or route.id in tried or not model.offers_route(route):
            continue
        works = model.works_trying(route)
        access, labels = route.access_for(model.device.carrier), ("it charges", "it does not")
        chances = np.stack([works, 1 - works])
        out.append(Question("try", route.id, access, prices.try_minutes(route), 0.0, labels, ("", ""), chances))
    return out


def value_questions(
    belief: Belief, table: RouteTable, prices: Prices, commit: float, *, steps: int = 2
) -> list[Option]:
    """Value every check and try by looking one step ahead, the best of them by two; best saving first."""
    asked = questions(belief, prices)
    if not asked:
        return []
    known, model = belief.model.known, belief.model
    reached = known.access[belief.access].level
    mass = np.concatenate([belief.mass * question.chances for question in asked])
    levels = [max(reached, known.access[question.access].level) for question in asked]
    sizes = [len(question.chances) for question in asked]
    costs = plan(table, mass, np.repeat(np.array(levels, dtype=np.int64), sizes)).cost
    starts = np.concatenate([[0], np.cumsum(sizes)])
    chances = np.maximum(mass.sum(axis=1), 1e-300)
    marginals = mass @ model.states.has / chances[:, None]
    tops = marginals.argmax(axis=1)
    options = []
    for number, question in enumerate(asked):
        rows = range(starts[number], starts[number + 1])
        minutes = question.minutes + prices.opening(known, question.access, belief.access)
        cost = minutes * prices.rate_per_minute + question.wait * prices.wait_per_minute
        total = cost + float(costs[rows.start : rows.stop].sum())
        outcomes = tuple(
            Outcome(
                label,
                float(chances[row]),
                float(costs[row] / chances[row]),
                model.fault_ids[tops[row]],
                float(marginals[row, tops[row]]),
            )
            for label, row in zip(question.labels, rows, strict=True)
        )
        options.append(Option(question.kind, question.id, minutes, cost, total, commit - total, outcomes))
    if steps > 1:
        options = _second_look(belief, table, prices, asked, options, commit)
    return sorted(options, key=lambda option: -option.saves)


def _second_look(
    belief: Belief, table: RouteTable, prices: Prices, asked: Sequence[Question], options: list[Option], commit: float
) -> list[Option]:
    """The same options, the most promising of them valued with the best second question after each outcome."""
    known = belief.model.known
    reached, grades = known.access[belief.access].level, belief.last_grades()
    by_saving = sorted(range(len(asked)), key=lambda number: -options[number].saves)
    first = by_saving[:FIRST]
    late = {question.id: question for question in questions(belief, prices, whatever=True)}
    ready = {question.id for question in asked}
    seconds = [asked[number] for number in by_saving[:SECOND]]
    seconds += [question for name, question in late.items() if name not in ready]
    blocks: list[tuple[int, int, Question]] = []
    masses, levels = [], []
    for number in first:
        start = asked[number]
        level = max(reached, known.access[start.access].level)
        for row, grade in enumerate(start.grades):
            after = {**grades, start.id: grade} if start.kind == "check" else grades
            for second in seconds:
                if second.id == start.id or (second.kind == "check" and blocked(known.checks[second.id], after)):
                    continue
                if second.id not in ready and start.kind != "check":
                    continue
                blocks.append((number, row, second))
                masses.append(belief.mass * start.chances[row] * second.chances)
                levels += [max(level, known.access[second.access].level)] * len(second.chances)
    if not masses:
        return options
    costs = plan(table, np.concatenate(masses), np.array(levels, dtype=np.int64)).cost
    best: dict[tuple[int, int], tuple[float, str]] = {}
    at = 0
    for (number, row, second), block in zip(blocks, masses, strict=True):
        worth = float(costs[at : at + len(block)].sum())
        at += len(block)
        opened = max([belief.access, asked[number].access], key=lambda level: known.access[level].level)
        minutes = second.minutes + prices.opening(known, second.access, opened)
        worth += (minutes * prices.rate_per_minute + second.wait * prices.wait_per_minute) * float(block.sum())
        if (number, row) not in best or worth < best[number, row][0]:
            best[number, row] = (worth, second.id)
    return [
        _deeper(option, [best.get((number, row)) for row in range(len(asked[number].grades))], commit)
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
