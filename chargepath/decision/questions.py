"""Expected saving of each check and try: one step of look-ahead for all of them, two for the best ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import CheckEvent, TryEvent
from chargepath.decision.plan import RouteTable, RouteTerm, job_costs
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief
from chargepath.diagnosis.forward import Held
from chargepath.diagnosis.graded import blocked
from chargepath.diagnosis.model import Model
from chargepath.hazards.standing import Danger, forbidding
from chargepath.knowledge import Check, Knowledge
from chargepath.knowledge.routes import OUTSIDE

# How many first and second questions are looked at two steps ahead; more would not keep to 200 ms.
FIRST, SECOND = 5, 6
# How many repairs are looked at with a question after a failure, and how many questions.
REPAIRS, AFTER = 3, 3


@dataclass(frozen=True)
class AskedOutcome:
    """One possible outcome of a check or try: its chance, and the expected cost of the job after it."""

    label: str
    chance: float
    total: float
    top_fault: str
    top_chance: float


@dataclass(frozen=True)
class Option:
    """An act that may come next.

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
    alone : float
        What a check or try saves by itself, when no other question follows it.

    """

    kind: str
    id: str
    minutes: float
    cost: float
    total: float
    saves: float
    outcomes: tuple[AskedOutcome, ...] = ()
    then: str = ""
    alone: float = 0.0


@dataclass(frozen=True, eq=False)
class Question:
    """A check or try with the likelihood of each of its outcomes, shape (n_outcomes, n_states).

    `assembled`: an opened device has to be put together for it, and `covered`: its cover on as well. `speaks`: it says
    something as things stand, not only after another one.
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
    covered: bool = False
    speaks: bool = True


@lru_cache(maxsize=2048)
def _look_outcomes(model: Model, name: str) -> tuple[tuple[str, ...], Array]:
    """Outcomes of a look, grouped so that there are few: no sign, each sign alone, several signs."""
    check, rows = model.known.checks[name], []
    for share, table in model.looks(check):
        none = (1 - table).prod(axis=1)
        alone = [none * table[:, k] / (1 - table[:, k]) for k in range(table.shape[1])]
        several = np.clip(1 - none - np.sum(alone, axis=0), 0.0, 1.0)
        rows.append(share * np.stack([none, *alone, several]))
    labels = ("nothing to see", *(check.name(sign) for sign in check.signs), "several of these")
    return labels, np.asarray(sum(rows))


def question_of(check: Check, belief: Belief, prices: Prices) -> Question:
    """A check as a question: its possible outcomes, with the likelihood of each in every state."""
    model, given = belief.model, belief.given(check)
    if check.is_look:
        labels, chances = _look_outcomes(model, check.id)
        names = tuple("seen" for _ in labels)
    else:
        table = model.table(check) if given is None else model.table_given(check, given)
        labels, chances, names = tuple(check.name(grade) for grade in check.grades), table.T, check.grades
    held = belief.held.get(check.id)
    if held is not None:
        chances = held.again(_same_again(check, held, names), chances, model.known.model.holds)
    minutes = prices.check_minutes(check)
    speaks = not blocked(model.known, check, belief.lately)
    wait = check.wait_minutes
    return Question(
        kind="check",
        id=check.id,
        access=check.access,
        minutes=minutes,
        wait=wait,
        labels=labels,
        grades=names,
        chances=chances,
        assembled=check.in_one_piece,
        covered=check.plugs_in,
        speaks=speaks,
    )


def _same_again(check: Check, held: Held, grades: Sequence[str]) -> Array:
    """1 for the outcome that a check had before, shape (n_outcomes, 1)."""
    if check.is_look:
        assert isinstance(held.entry.event, CheckEvent)
        signs = held.entry.event.signs
        place = 0 if not signs else check.signs.index(signs[0]) + 1 if len(signs) == 1 else len(grades) - 1
    else:
        place = grades.index(held.entry.grade)
    return np.eye(len(grades))[:, [place]]


def questions(belief: Belief, prices: Prices, dangers: Sequence[Danger] = ()) -> list[Question]:
    """Every check and try whose outcome is not known yet and that no danger forbids."""
    return [question for question in every_question(belief, prices, dangers) if question.speaks]


def every_question(belief: Belief, prices: Prices, dangers: Sequence[Danger] = ()) -> list[Question]:
    """The same questions, and those that only make sense after the outcome of another one."""
    model, known = belief.model, belief.model.known
    grades, out = belief.last_grades, []
    repeated = {key.split("@")[0] for key in grades}
    for check in known.checks.values():
        if check.unasked or check.id in grades or repeated.intersection(check.repeats):
            continue
        if not model.offers(check) or forbidding(known, dangers, "check", check.id):
            continue
        out.append(question_of(check, belief, prices))
    # What was done or tried in vain is not tried: the same hands would find the same.
    tried = {event.route for event in belief.since_repair() if isinstance(event, TryEvent)} | belief.failures.keys()
    for route in known.routes.values():
        if route.try_minutes is None or route.id in tried or not model.offers_route(route):
            continue
        if not grades.keys().isdisjoint(route.try_repeats):
            continue
        if forbidding(known, dangers, "try", route.id):
            continue
        works = model.works_trying(route)
        access, labels = route.access_for(model.device.carrier), ("it charges", "it does not")
        chances = np.stack([works, 1 - works])
        out.append(
            Question(
                kind="try",
                id=route.id,
                access=access,
                minutes=prices.try_minutes(route),
                wait=0.0,
                labels=labels,
                grades=("", ""),
                chances=chances,
                assembled=access == OUTSIDE and bool(route.puts),
                covered=access == OUTSIDE and bool(route.puts),
            )
        )
    return out


def _level(belief: Belief, question: Question) -> int:
    """Access level that the device is open to once a question has been asked."""
    levels = belief.model.known.access
    return max(levels[belief.access].level, levels[question.access].level)


def price_of_asking(question: Question, opened: str, belief: Belief, prices: Prices) -> tuple[float, float]:
    """Minutes [min] and money of asking a question on a device that is opened so far.

    Hands, opening not yet paid or putting together, waiting.
    """
    known = belief.model.known
    minutes = question.minutes + prices.opening(known, question.access, opened)
    if question.assembled:
        minutes += prices.putting_together(known, opened, cover=question.covered)
    return minutes, minutes * prices.rate_per_minute + question.wait * prices.wait_per_minute


def value_questions(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    commit: float,
    everything: Sequence[Question],
    *,
    steps: int = 2,
    only: str = "",
) -> list[Option]:
    """Value every check and try by looking one step ahead, the best of them by two; best saving first.

    Parameters
    ----------
    belief : Belief
    table : RouteTable
    prices : Prices
    commit : float
        Expected cost of the job when a repair is committed to at once (money).
    everything : sequence of Question
        What can be asked, now or after the outcome of another question (`every_question`).
    steps : {1, 2}
    only : str
        The one check or try that is looked at two steps ahead; '' for all of them.

    """
    asked = [question for question in everything if question.speaks]
    if not asked:
        return []
    sizes = [len(question.labels) for question in asked]
    mass = belief.mass * np.concatenate([question.chances for question in asked])
    paid = np.repeat(np.array([_level(belief, question) for question in asked], dtype=np.int64), sizes)
    costs = job_costs(table, mass, paid)
    options = _options(belief, prices, asked, mass, costs, commit)
    if steps > 1:
        late = [question for question in everything if not question.speaks]
        options = _second_look(belief, table, prices, asked, late, options, commit, only)
    return sorted(options, key=lambda option: -round(option.saves, 9))


def _options(
    belief: Belief, prices: Prices, asked: Sequence[Question], mass: Array, costs: Array, commit: float
) -> list[Option]:
    """One row for each outcome of each question.

    `mass` (n_outcomes of all, n_states) is that of each outcome, `costs` what the job then costs.
    """
    model, out, row = belief.model, [], 0
    chances = np.maximum(mass.sum(axis=1), 1e-300)
    marginals = (mass @ model.states.has) / chances[:, None]
    tops = marginals.argmax(axis=1)
    highest = marginals[np.arange(len(tops)), tops].tolist()
    names = [model.fault_ids[top] for top in tops.tolist()]
    each, shares = (costs / chances).tolist(), chances.tolist()
    for question in asked:
        end = row + len(question.labels)
        minutes, cost = price_of_asking(question, belief.access, belief, prices)
        total = cost + float(costs[row:end].sum())
        outcomes = tuple(
            AskedOutcome(label, shares[at], each[at], names[at], highest[at])
            for at, label in enumerate(question.labels, row)
        )
        out.append(
            Option(
                kind=question.kind,
                id=question.id,
                minutes=minutes,
                cost=cost,
                total=total,
                saves=commit - total,
                outcomes=outcomes,
                alone=commit - total,
            )
        )
        row = end
    return out


def ask_after_failure(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    terms: Sequence[RouteTerm],
    options: Sequence[Option],
    asked: Sequence[Question],
) -> list[RouteTerm]:
    """The same repairs; for the cheapest plausible ones what follows a failure may begin with a question.

    A repair that is tried first and measured further only where it has failed is a plan like a question with a second
    one after it. Both are valued alike: the best few of each, in one batch.

    Parameters
    ----------
    belief : Belief
    table : RouteTable
        That the terms come from.
    prices : Prices
    terms : sequence of RouteTerm
    options : sequence of Option
        What is asked, valued by looking ahead.
    asked : sequence of Question
        The same as questions.

    """
    known, places = belief.model.known, {act.id: index for index, act in enumerate(table.acts)}
    # A long shot with a question after it is only the question put off.
    repairs = [term for term in terms if term.id in places]
    least = known.costs.plausible_share * max((term.cure for term in repairs), default=0.0)
    firsts = sorted((term for term in repairs if term.cure >= least), key=lambda term: term.total)[:REPAIRS]
    best = {(one.kind, one.id) for one in sorted(options, key=lambda option: -round(option.alone, 9))[:AFTER]}
    seconds = [one for one in asked if (one.kind, one.id) in best]
    if not firsts or not seconds:
        return list(terms)
    masses, paid, failed, prices_of, shares = [], [], [], [], []
    for term in firsts:
        index = places[term.id]
        after = table.states.remove(belief.mass, table.removes[index])
        mass = after * (1 - table.works)
        opened = max(table.levels[index], known.access[belief.access].level)
        reached = list(known.access)[opened]
        for second in seconds:
            masses.append(mass * second.chances)
            level = max(opened, known.access[second.access].level)
            paid += [level] * len(second.labels)
            failed += [index] * len(second.labels)
            prices_of.append(price_of_asking(second, reached, belief, prices)[1])
            shares.append(float(mass.sum()))
    costs = job_costs(table, np.concatenate(masses), np.array(paid, dtype=np.int64), np.array(failed, dtype=np.int64))
    found, row = {}, 0
    for number, term in enumerate(firsts):
        later, then = term.later, ""
        for place, second in enumerate(seconds, number * len(seconds)):
            end = row + len(second.labels)
            worth = float(costs[row:end].sum()) + prices_of[place] * shares[place]
            row = end
            if worth < later:
                later, then = worth, second.id
        found[term.id] = replace(term, later=later, then=then)
    return [found.get(term.id, term) for term in terms]


@dataclass(frozen=True, eq=False)
class _Branch:
    """Second questions after one outcome of a first question: its number, the outcome, the questions."""

    first: int
    outcome: int
    seconds: tuple[Question, ...]


def _branches(
    belief: Belief, asked: Sequence[Question], late: Sequence[Question], by_saving: Sequence[int]
) -> list[_Branch]:
    """Second questions that are worth valuing, after each outcome of the most promising first questions.

    Those that speak already are among the best by one look; those that only speak after another check come on top.
    """
    known, grades, out = belief.model.known, belief.lately, []
    best = [asked[number] for number in by_saving[:SECOND]]
    for number in by_saving[:FIRST]:
        start = asked[number]
        seconds = [second for second in best if second.id != start.id]
        # Only what this question speaks of can make another one silent, or let it speak.
        bears = [second for second in (*seconds, *late) if start.kind == "check" and _bears_on(known, start, second)]
        for outcome, grade in enumerate(start.grades):
            if bears:
                after = {**grades, start.id: grade}
                silent = {second.id for second in bears if blocked(known, known.checks[second.id], after)}
                lets = [second for second in late if second in bears and second.id not in silent]
                seconds = [second for second in best if second.id not in {start.id, *silent}] + lets
            if seconds:
                out.append(_Branch(number, outcome, tuple(seconds)))
    return out


def _bears_on(known: Knowledge, first: Question, second: Question) -> bool:
    """Whether it depends on the outcome of a first question whether a second one says anything."""
    if second.kind != "check":
        return False
    check = known.checks[second.id]
    return any(name == first.id for name, _ in (*check.void_when, *check.needs_before))


def _second_look(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    asked: Sequence[Question],
    late: Sequence[Question],
    options: list[Option],
    commit: float,
    only: str = "",
) -> list[Option]:
    """The same options; the most promising are valued anew with the best second question after each outcome."""
    by_saving = sorted(range(len(asked)), key=lambda number: -round(options[number].saves, 9))
    branches = _branches(belief, asked, late, by_saving)
    if only:
        branches = [branch for branch in branches if asked[branch.first].id == only]
    if not branches:
        return options
    known, opened, priced = belief.model.known, {}, {}
    for number in {branch.first for branch in branches}:
        opened[number] = max([belief.access, asked[number].access], key=lambda name: known.access[name].level)
    paid: list[int] = []
    stacked = {seconds: np.concatenate([one.chances for one in seconds]) for seconds in {b.seconds for b in branches}}
    mass = np.empty((sum(len(stacked[branch.seconds]) for branch in branches), len(belief.mass)))
    for branch in branches:
        here = belief.mass * asked[branch.first].chances[branch.outcome]
        np.multiply(here, stacked[branch.seconds], out=mass[len(paid) : len(paid) + len(stacked[branch.seconds])])
        for second in branch.seconds:
            level = max(known.access[opened[branch.first]].level, known.access[second.access].level)
            paid += [level] * len(second.labels)
            key = (opened[branch.first], second.kind, second.id)
            if key not in priced:
                priced[key] = price_of_asking(second, opened[branch.first], belief, prices)[1]
    costs = job_costs(table, mass, np.array(paid, dtype=np.int64)).tolist()
    shares = mass.sum(axis=1).tolist()
    best: dict[tuple[int, int], tuple[float, str]] = {}
    row = 0
    for branch in branches:
        for second in branch.seconds:
            end = row + len(second.labels)
            price = priced[opened[branch.first], second.kind, second.id]
            worth = sum(costs[row:end]) + price * sum(shares[row:end])
            key_at = (branch.first, branch.outcome)
            if key_at not in best or worth < best[key_at][0]:
                best[key_at] = (worth, second.id)
            row = end
    first = {branch.first for branch in branches}
    return [
        _deeper(option, [best.get((number, outcome)) for outcome in range(len(option.outcomes))], commit)
        if number in first
        else option
        for number, option in enumerate(options)
    ]


def _deeper(option: Option, seconds: Sequence[tuple[float, str] | None], commit: float) -> Option:
    """An option whose every outcome is followed by the cheaper of two: no more questions, or the best second one."""
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
