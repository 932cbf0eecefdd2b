"""What a decision is made from: belief, prices and dangers of a job, with every act that may follow valued once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from chargepath.case.entries import Case, CheckEvent, Event, MishapEvent, PathEvent, RepairEvent, TryEvent
from chargepath.case.timeline import repaired_here
from chargepath.decision.plan import RouteTerm
from chargepath.decision.prices import Prices
from chargepath.decision.questions import Option, price_of_asking, question_of
from chargepath.diagnosis.belief import Belief, assess
from chargepath.hazards.standing import Danger
from chargepath.knowledge import Knowledge
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.routes import PROVE, REFER


class ThensKept:
    """Which second question each question was to lead to, of the newest advices: the next one mostly asks for it.

    Nothing depends on whether it is still known: what is not is worked out again.
    """

    MOST = 256

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[Any, ...], tuple[Prices, frozenset[str], Mapping[str, str]]] = OrderedDict()

    def keep(self, belief: Belief, prices: Prices, forbidden: frozenset[str], options: Sequence[Option]) -> None:
        """Keep what the options of an advice lead to."""
        events = tuple(entry.event for entry in belief.entries)
        self._kept[self._key(belief, events)] = (prices, forbidden, {option.id: option.then for option in options})
        while len(self._kept) > self.MOST:
            self._kept.popitem(last=False)

    def recall(
        self, belief: Belief, prices: Prices, forbidden: frozenset[str], events: tuple[Event, ...]
    ) -> Mapping[str, str] | None:
        """What they led to after these events of the same device at the same prices; None where that is not known."""
        found = self._kept.get(self._key(belief, events))
        return found[2] if found and found[0] == prices and found[1] == forbidden else None

    def forget(self) -> None:
        """Keep nothing any more."""
        self._kept.clear()

    @staticmethod
    def _key(belief: Belief, events: tuple[Event, ...]) -> tuple[Any, ...]:
        model = belief.model
        return model.known, model.device, model.history, belief.earlier, events


THENS = ThensKept()


@dataclass(frozen=True, kw_only=True, eq=False)
class Situation:
    """Everything that the rules of the advice look at.

    Attributes
    ----------
    belief : Belief
    prices : Prices
    dangers : sequence of Danger
        Dangers that stand, the gravest first.
    routes : sequence of RouteTerm
        Repairs that no danger forbids, in the order of the ratio rule.
    going : sequence of RouteTerm
        The same without repairs that failed here and hardly cure any more.
    options : sequence of Option
        Checks and tries that make sense, the largest expected saving first.
    value : callable
        Values what may follow another belief of the same job in the same way, one question two steps ahead.
    forbidden : frozenset of route ids
        Routes that a habit of the shop rules out.

    """

    belief: Belief
    prices: Prices
    dangers: Sequence[Danger]
    routes: Sequence[RouteTerm]
    going: Sequence[RouteTerm]
    options: Sequence[Option]
    value: Callable[[Belief, str], Situation]
    forbidden: frozenset[str] = frozenset()

    @property
    def known(self) -> Knowledge:
        """The knowledge that all of it was computed with."""
        return self.belief.model.known

    @cached_property
    def refer(self) -> RouteTerm:
        """Handing the device on."""
        return next(term for term in self.going if term.id == REFER)

    @cached_property
    def cheapest(self) -> RouteTerm:
        """The route, handing on among them, with the lowest expected cost of the whole job."""
        return min(self.going, key=lambda term: term.total)

    @cached_property
    def plausible(self) -> Sequence[RouteTerm]:
        """Repairs with at least `plausible_share` of the best chance of cure."""
        repairs = [term for term in self.going if term.id != REFER]
        best = max((term.cure for term in repairs), default=0.0)
        return [term for term in repairs if term.cure >= self.known.costs.plausible_share * best]

    @cached_property
    def lead(self) -> RouteTerm:
        """The repair that a technician would begin with: the cheapest plausible one, unless it costs much more."""
        if self.cheapest.id == REFER:
            return self.cheapest
        lead = min(self.plausible, key=lambda term: term.total)
        most = self.cheapest.total * (1 + self.known.costs.plausible_price)
        return self.cheapest if lead.total > most else lead

    def route(self, name: str) -> RouteTerm | None:
        """The repair with this id; None where the device has no such repair or a danger forbids it."""
        return next((term for term in self.routes if term.id == name), None)

    def as_option(self, term: RouteTerm) -> Option:
        """A repair as an option beside checks and tries; what it saves is held against handing on."""
        saves = self.refer.total - term.total
        return Option(
            kind="repair", id=term.id, minutes=term.act.minutes, cost=term.act.cost, total=term.total, saves=saves
        )

    def checking(self, name: str, total: float) -> Option:
        """A check as an option, whether or not it was valued; `total` is the job's expected cost without it."""
        found = next((option for option in self.options if option.kind == "check" and option.id == name), None)
        if found is not None:
            return found
        asked = question_of(self.known.checks[name], self.belief, self.prices)
        minutes, cost = price_of_asking(asked, self.belief.access, self.belief, self.prices)
        return Option(kind="check", id=name, minutes=minutes, cost=cost, total=total + cost, saves=-cost)

    def opens(self, option: Option) -> bool:
        """Whether an option needs the device opened further than it is."""
        if option.kind == HAND_OVER:
            return False
        if option.kind == "check":
            level = self.known.checks[option.id].access
        else:
            level = self.known.routes[option.id].access_for(self.belief.model.device.carrier)
        return self.known.access[level].level > self.known.access[self.belief.access].level

    @cached_property
    def promised(self) -> str:
        """The check or try that was to follow the last question, by the advice of before that question; '' for none.

        Worked out only where a rule asks for it and that advice is no longer known, since it takes half as long as one.
        """
        events = tuple(entry.event for entry in self.belief.entries)
        last = events[-1] if events else None
        if not isinstance(last, CheckEvent | TryEvent) or self.belief.widened:
            return ""
        model = self.belief.model
        asked = last.check if isinstance(last, CheckEvent) else last.route
        known = THENS.recall(self.belief, self.prices, self.forbidden, events[:-1])
        if known is not None:
            return known.get(asked, "")
        case = Case(model.device, model.history, events[:-1], earlier=self.belief.earlier)
        before = self.value(assess(model, case), asked)
        return next((option.then for option in before.options if option.id == asked), "")

    @cached_property
    def done(self) -> RepairEvent | None:
        """The newest repair of this bench where it has not failed and nothing that followed opens the case again."""
        return done_last(self.belief)

    def plugs_in(self, option: Option) -> bool:
        """Whether an act puts a plug with current into the port."""
        if option.kind == "check":
            return self.known.checks[option.id].plugs_in
        return option.kind in ("try", "repair") and option.id != REFER and self._on_a_charger(option.id)

    def _on_a_charger(self, name: str) -> bool:
        route = self.known.routes[name]
        return name == PROVE or (not route.opens and bool(route.puts))


def done_last(belief: Belief) -> RepairEvent | None:
    """The newest repair of this bench, None where it failed or where a try or a reading after it opens the case."""
    done = None
    for entry in belief.entries:
        event = entry.event
        if repaired_here(event):
            done = event
        elif done is not None and isinstance(event, CheckEvent) and entry.state == "counts":
            check = belief.model.known.checks[event.check]
            done = done if check.mark_of(entry.grade, event.signs) == "good" else None
        elif isinstance(event, TryEvent | PathEvent | MishapEvent):
            done = None
    return None if done is None or done.works is False else done
