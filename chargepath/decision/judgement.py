"""One judgement of a case: belief, prices, advice, what pushed the belief, what habits would do.

The one way from a case to an advice.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

from chargepath.case.entries import Case, CheckEvent, TryEvent
from chargepath.case.timeline import repaired_here
from chargepath.decision.advice import Advice, advise
from chargepath.decision.course import Stop, course_of
from chargepath.decision.plan import RouteTerm, route_table
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option
from chargepath.decision.schools import Habit, follow_school
from chargepath.decision.why import levels_after
from chargepath.diagnosis.belief import Belief, Push, access_reached, assess, pushes
from chargepath.diagnosis.model import compiled
from chargepath.hazards.standing import Danger, dangers_of, forbidding
from chargepath.knowledge import Knowledge


@dataclass(frozen=True, eq=False)
class Judgement:
    """A case judged; what is dear and not always wanted is worked out when first asked for, and kept.

    Attributes
    ----------
    case : Case
    belief : Belief
    prices : Prices
        What was reckoned with.
    advice : Advice
    spent : float
        Labour and parts that the case's events stand for (money).
    limit : float or None
        What the customer has agreed to pay at most.
    dangers : tuple of Danger
        What stands and outranks the rest, the gravest first.
    refused : frozenset of route ids
        Repairs that the customer has declined: neither valued nor advised.

    """

    case: Case
    belief: Belief
    prices: Prices
    advice: Advice
    spent: float
    limit: float | None
    dangers: tuple[Danger, ...] = ()
    refused: frozenset[str] = frozenset()

    def __deepcopy__(self, memo: object) -> Judgement:
        """Return itself: nothing in it changes."""
        return self

    @property
    def known(self) -> Knowledge:
        """The knowledge it was judged by."""
        return self.belief.model.known

    @cached_property
    def pushes(self) -> list[Push]:
        """How far each entry moved each fault."""
        return pushes(self.belief, self.case)

    @cached_property
    def habits(self) -> Mapping[str, Habit]:
        """What each school would do next here, by its id."""
        return {name: self.habit(name) for name in self.known.schools}

    def habit(self, school: str) -> Habit:
        """What one school would do next here."""
        found = self.known.schools[school]
        return follow_school(
            self.belief,
            self.prices,
            found,
            self.advice,
            dangers=self.dangers,
            limit=self.limit,
            spent=self.spent,
            refused=self.refused,
        )

    @cached_property
    def course(self) -> tuple[Stop, ...]:
        """How the work goes by the advice, act after act."""
        return self._course(self.advice.next, ())

    def course_by(self, habit: Habit) -> tuple[Stop, ...]:
        """How it goes by a school's step, and by the advice from there."""
        return self._course(habit.step, habit.ruled_out)

    def _course(self, step: Option, ruled_out: Collection[str]) -> tuple[Stop, ...]:
        first = [step.id] if step.kind == "repair" else []
        order = [*first, *(term.id for term in self.advice.plan if term.id not in (*first, *ruled_out))]
        before = step if step.kind in ("check", "try") else None
        table = route_table(self.belief, self.prices, self.refused.union(ruled_out))
        return course_of(self.belief, table, self.prices, order, before=before, spent=self.spent)

    @cached_property
    def levels(self) -> Mapping[str, Mapping[str, float]]:
        """Where each outcome of what comes next would leave the stations, by the outcome's label."""
        step = self.advice.next
        return levels_after(self.belief, self.prices, step.kind, step.id) if step.kind in ("check", "try") else {}

    def term(self, route: str) -> RouteTerm | None:
        """A route as it stands now, None where it is not offered."""
        return next((term for term in self.advice.routes if term.id == route), None)

    def forbidden_by(self, kind: str, name: str) -> Danger | None:
        """The danger that forbids an act ('check', 'try' or 'repair' and its id), None where it may be done."""
        return forbidding(self.known, self.dangers, kind, name)

    def over_limit(self, term: RouteTerm) -> bool:
        """Whether doing a route would bring the bill over the customer's limit."""
        return self.limit is not None and self.spent + term.act.quote > self.limit


def spent_so_far(case: Case, prices: Prices, known: Knowledge) -> float:
    """Labour and parts that the events of a case stand for (money).

    Each check, try and repair at its minutes, each opening once, each repair's part.

    Parameters
    ----------
    case : Case
    prices : Prices
        Minutes [min], rate and parts (money).
    known : Knowledge

    """
    minutes, parts = 0.0, 0.0
    for event in case.events:
        if isinstance(event, CheckEvent):
            minutes += prices.check_minutes(known.checks[event.check])
        elif isinstance(event, TryEvent):
            minutes += prices.try_minutes(known.routes[event.route])
        elif repaired_here(event):
            minutes += prices.route_minutes(known.routes[event.route])
            parts += prices.part(known.routes[event.route])
    minutes += prices.opening(known, access_reached(known, case), next(iter(known.access)))
    return minutes * prices.rate_per_minute + parts


def judge(
    known: Knowledge,
    case: Case,
    prices: Prices,
    *,
    limit: float | None = None,
    steps: int = 2,
    refused: Collection[str] = (),
) -> Judgement:
    """Judge a case by a knowledge at some prices.

    Parameters
    ----------
    known : Knowledge
    case : Case
        Judged by its events, never by its outcome.
    prices : Prices
    limit : float, optional
        What the customer has agreed to pay at most (money).
    steps : {1, 2}
        How far checks and tries are looked ahead.
    refused : collection of route ids
        Repairs that the customer has declined: they are neither valued nor advised.

    Raises
    ------
    ReadingError
        An event holds values that cannot be graded.

    """
    belief = assess(compiled(known, *case.told(known).compiled_for), case)
    spent = spent_so_far(case, prices, known)
    dangers = dangers_of(known, case)
    advice = advise(belief, prices, forbidden=refused, dangers=dangers, steps=steps, limit=limit, spent=spent)
    return Judgement(
        case=case,
        belief=belief,
        prices=prices,
        advice=advice,
        spent=spent,
        limit=limit,
        dangers=dangers,
        refused=frozenset(refused),
    )
