"""The expected course of the work: act after act, with the bill, the minutes and the chance of success so far."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.decision.plan import RouteTable
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option
from chargepath.diagnosis.belief import Belief
from chargepath.knowledge.routes import OUTSIDE, PROVE, REFER


@dataclass(frozen=True)
class Stop:
    """State of the job after this act, assuming that it and every act before it failed.

    Attributes
    ----------
    kind : {'check', 'try', 'repair'}
    id : str
    minutes : float
        Hands-on minutes from now [min], the opening paid once, each proof included.
    money : float
        The bill by then: labour and parts, with what was spent before (money).
    solved : float
        Chance that nothing is wrong any more and the device was seen to charge, in [0, 1]. A proof that passes with
        something still wrong does not count.

    """

    kind: str
    id: str
    minutes: float
    money: float
    solved: float


def course_of(
    belief: Belief,
    table: RouteTable,
    prices: Prices,
    order: Sequence[str],
    *,
    before: Option | None = None,
    spent: float = 0.0,
    worth: float = 0.005,
    most: int = 6,
) -> tuple[Stop, ...]:
    """Follow repairs in a given order until one succeeds or the device is handed on.

    Parameters
    ----------
    belief : Belief
    table : RouteTable
        Of the same belief and prices.
    prices : Prices
        Rate (money per minute), minutes of opening and checks [min].
    order : sequence of route ids
        `refer` ends it; one that the table does not have is passed over, and so is `prove` after the first: every
        act is proved. What opening the device did already is passed over too.
    before : Option, optional
        A check or try that comes first: it takes its minutes and solves nothing.
    spent : float
        What the bill stands at now (money).
    worth : float
        A route that adds less than this to the chance is left out.
    most : int
        How many routes are followed at most.

    """
    known, rate = belief.model.known, prices.rate_per_minute
    names, paid = list(known.access), known.access[belief.access].level
    minutes, money, solved, asked, stops = 0.0, spent, 0.0, set[str](), []
    if before is not None:
        minutes, money = minutes + before.minutes, money + before.minutes * rate
        stops.append(Stop(before.kind, before.id, minutes, money, 0.0))
        if before.kind == "check":
            asked.add(before.id)
            paid = max(paid, known.access[known.checks[before.id].access].level)
        else:
            route = known.routes[before.id]
            paid = max(paid, known.access[route.access_for(belief.model.device.carrier)].level)
    left, index = belief.mass.copy(), {act.id: number for number, act in enumerate(table.acts)}
    for name in order:
        if name == REFER or len(stops) == most + (before is not None):
            break
        if name not in index or (name == PROVE and stops):
            continue
        if known.routes[name].done_by_opening and paid > known.access[OUTSIDE].level:
            continue
        number, act = index[name], table.acts[index[name]]
        after = table.states.remove(left, table.removes[number])
        gain = float(after[0] * table.works[0])
        if gain < worth:
            continue
        level = max(paid, int(table.levels[number]))
        again = sum(prices.check_minutes(known.checks[check]) for check in act.requires if check in asked)
        hands = act.minutes - act.opening_minutes - again + prices.opening(known, names[level], names[paid])
        minutes, money, solved = minutes + hands, money + hands * rate + act.part, solved + gain
        stops.append(Stop("repair", name, minutes, money, solved))
        left, paid = after * (1 - table.works), level
        asked.update(act.requires)
    return tuple(stops)
