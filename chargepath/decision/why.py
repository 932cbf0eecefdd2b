"""The working behind a suspect and behind the next step, term by term."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from chargepath.base.quantities import figure
from chargepath.decision.advice import Advice
from chargepath.decision.plan import RouteTerm
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option, every_question, questions
from chargepath.diagnosis.belief import Belief


@dataclass(frozen=True)
class Swing:
    """What one further reading could do to a suspect.

    The outcome that raises it most, and the one that lowers it most.
    """

    kind: str
    id: str
    up: str
    up_to: float
    down: str
    down_to: float

    @property
    def reach(self) -> float:
        """Distance between the two ends of the swing."""
        return self.up_to - self.down_to


def swings(belief: Belief, prices: Prices) -> dict[str, list[Swing]]:
    """For each fault, what every further reading could do to it, the widest first.

    Outcomes under 1 in 100 are left out.
    """
    model = belief.model
    out: dict[str, list[Swing]] = {name: [] for name in model.fault_ids}
    for question in questions(belief, prices):
        mass = belief.mass * question.chances
        chances = mass.sum(axis=1)
        likely = np.flatnonzero(chances >= 0.01)
        if len(likely) < 2:
            continue
        after = (mass[likely] @ model.states.has) / chances[likely][:, None]
        for index, name in enumerate(model.fault_ids):
            high, low = int(after[:, index].argmax()), int(after[:, index].argmin())
            out[name].append(
                Swing(
                    kind=question.kind,
                    id=question.id,
                    up=question.labels[likely[high]],
                    up_to=float(after[high, index]),
                    down=question.labels[likely[low]],
                    down_to=float(after[low, index]),
                )
            )
    return {name: sorted(rows, key=lambda row: -row.reach) for name, rows in out.items()}


def levels_after(belief: Belief, prices: Prices, kind: str, name: str) -> dict[str, dict[str, float]]:
    """Where each outcome of a check or try would leave the stations of the charge line.

    Returns
    -------
    dict
        By the outcome's label: chance in [0, 1] by station; empty where it cannot be asked now.

    """
    question = next((one for one in every_question(belief, prices) if (one.kind, one.id) == (kind, name)), None)
    if question is None:
        return {}
    mass = belief.mass * question.chances
    shares = np.maximum(mass.sum(axis=1), 1e-300)
    return {label: belief.stations_for(mass[row] / shares[row]) for row, label in enumerate(question.labels)}


@dataclass(frozen=True)
class Term:
    """One line of a working: what, how much money, and how it comes about."""

    what: str
    money: float
    how: str


def _comeback_words(route: str, prices: Prices) -> str:
    words = f"passes with something still wrong, times {prices.comeback:.0f}"
    oftener = prices.comebacks.get(route, 1.0)
    return words if oftener == 1 else f"{words}, times {figure(oftener, 1)} by how it is done and comes back here"


def route_working(term: RouteTerm, prices: Prices) -> list[Term]:
    """A route's expected cost, term by term; adds up to its total."""
    act, money = term.act, term.money
    days = f"{act.days:g} day{'' if act.days == 1 else 's'}"
    says = {
        "labour": (
            "labour",
            f"{act.minutes:.0f} min at {figure(prices.rate_per_minute, 2)} a minute with opening and proof, "
            "which a failure spares",
        ),
        "part": ("part", "as priced"),
        "harm": ("harm", f"chance of damage times {prices.harm:.0f}"),
        "waiting": ("waiting for the part", f"{days} at {figure(prices.day, 2)}"),
        "comeback": ("come-backs", _comeback_words(term.id, prices)),
        "later": ("what follows a failed proof", "by the ratio rule, handing on as the floor"),
    }
    rows = [Term(what, money[name], how) for name, (what, how) in says.items()]
    return [row for row in rows if abs(row.money) >= 0.005]


def option_working(option: Option, advice: Advice, prices: Prices) -> tuple[list[Term], list[Term]]:
    """The next step against committing at once: both as terms, each list adding up to its total."""
    lead = min(advice.routes, key=lambda term: term.total)
    without = route_working(lead, prices)
    if option.kind == "repair":
        chosen = next((term for term in advice.routes if term.id == option.id), lead)
        return route_working(chosen, prices), without
    labour = option.minutes * prices.rate_per_minute
    rows = [
        Term("labour", labour, f"{option.minutes:.0f} min at {figure(prices.rate_per_minute, 2)}, opening included")
    ]
    if option.cost - labour > 0.005:
        rows.append(Term("waiting", option.cost - labour, "the device lies on the bench"))
    rows += [
        Term(outcome.label, outcome.chance * outcome.total, f"{outcome.chance:.0%} times {outcome.total:.0f}")
        for outcome in option.outcomes
    ]
    return rows, without
