"""The Decide page: how the work goes by the plan and by habits, what each route costs if done first."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.base.quantities import figure
from chargepath.decision.course import Stop
from chargepath.decision.plan import RouteTerm
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.repair.workplan import tells_of
from rainfront.jobs.extensions import under_of
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.card import VERBS, NextCard, card_of
from rainfront.jobs.presenters.habits import HabitRow, habit_rows, hold_words
from rainfront.jobs.presenters.quotes import amount_for, sold_with
from rainfront.jobs.presenters.routes import always_shown
from rainfront.web.scenes import course, money_bars
from rainfront.web.scenes.charge_line import number, percent
from rainfront.web.words import money

# Routes less likely than this to cure are not set beside the others.
SHOWN_FROM, SHOWN = 0.02, 9


@dataclass(frozen=True)
class Side:
    """One route beside the others."""

    id: str
    label: str
    cure: str
    minutes: str
    days: str
    shelf: str
    opens: str
    total: str
    part: str
    harm: str
    tells: list[str]
    with_part: str
    requires: str
    lies: str
    quote: str
    over: str
    bar: money_bars.Bar
    more: str
    more_width: str
    advised: bool


@dataclass(frozen=True)
class StopRow:
    """One act of the plan, and where the job stands once it is done."""

    number: str
    label: str
    solved: str
    bill: str
    minutes: str
    over: bool


@dataclass(frozen=True)
class DecideWay:
    """A line of the drawing: the plan, or the habits that go the same way."""

    label: str
    style: str
    said: str


@dataclass(frozen=True)
class Decide:
    """Everything on the Decide page."""

    next: NextCard
    stops: list[StopRow]
    panels: list[course.Scene]
    ways: list[DecideWay]
    left: str
    sides: list[Side]
    habits: list[HabitRow]
    habit: HabitRow | None
    hold: str
    spent: str


def terms_of(basis: Basis) -> list[RouteTerm]:
    """The routes worth setting beside each other, in the order of the plan."""
    worth = [term for term in basis.advice.plan if term.cure >= SHOWN_FROM or term.id == REFER]
    kept = {term.id for term in sorted(worth, key=lambda term: term.total)[:SHOWN]} | always_shown(worth)
    return [term for term in worth if term.id in kept]


def decide_of(basis: Basis) -> Decide:
    """Work everything out."""
    terms, habits = terms_of(basis), habit_rows(basis)
    bars = money_bars.draw([term.money for term in terms], basis.money)
    best = min(term.total for term in terms)
    dearest = max((term.total - best for term in terms if term.id != REFER), default=0.0)
    stops, under = basis.core.course, under_of(basis.job, basis.shop)
    panels, ways = _drawn(basis, stops)
    return Decide(
        next=card_of(basis, basis.advice.next),
        stops=[_stop(basis, number, stop) for number, stop in enumerate(stops, 1)],
        panels=panels,
        ways=ways,
        left=percent(1 - stops[-1].solved) if stops else "",
        sides=[
            _side(basis, term, bar, best, dearest, under.get(term.id, ""))
            for term, bar in zip(terms, bars, strict=True)
        ],
        habits=habits,
        habit=next((row for row in habits if row.chosen), None),
        hold=hold_words(basis),
        spent=basis.money(basis.core.spent),
    )


def _stop(basis: Basis, number: int, stop: Stop) -> StopRow:
    verb = "" if stop.kind == "repair" else f"{VERBS[stop.kind]}: "
    return StopRow(
        number=str(number),
        label=verb + basis.known.label_of(stop.kind, stop.id),
        solved=percent(stop.solved) if stop.kind == "repair" else "",
        bill=basis.money(stop.money),
        minutes=f"{stop.minutes:.0f} min",
        over=basis.core.limit is not None and stop.money > basis.core.limit,
    )


def _bill(stop: Stop) -> float:
    return stop.money


def _minutes(stop: Stop) -> float:
    return stop.minutes


def _drawn(basis: Basis, stops: tuple[Stop, ...]) -> tuple[list[course.Scene], list[DecideWay]]:
    """Both panels, the bill and the minutes, and what their lines are."""
    lines = {stops: ["the plan"]}
    for habit in basis.core.habits.values():
        lines.setdefault(basis.core.course_by(habit), []).append(habit.school.label)
    ways, limit = [], basis.core.limit
    for place, (going, names) in enumerate(lines.items()):
        end = f"{percent(going[-1].solved)} for {basis.money(going[-1].money)}" if going else ""
        ways.append(DecideWay(", ".join(names), "plan" if not place else f"habit-{min(place, 4)}", end))
    numbers = [str(number) for number in range(1, len(stops) + 1)]
    panels = []
    for axis, spent, start in (
        (f"bill so far [{basis.shop.region.mark}]", _bill, basis.core.spent),
        ("hands-on time [min]", _minutes, 0.0),
    ):
        drawn = [
            (way.label, [(spent(stop), stop.solved) for stop in going], numbers if not place else [""] * len(going))
            for place, (way, going) in enumerate(zip(ways, lines, strict=True))
        ]
        wall = (limit, f"limit {basis.money(limit)}") if limit is not None and spent is _bill else None
        words = "; ".join(f"{way.label}: {way.said}" for way in ways)
        panels.append(course.draw(f"Chance that it is solved against {axis}. {words}", axis, drawn, start, wall))
    return panels, ways


def _side(basis: Basis, term: RouteTerm, bar: money_bars.Bar, best: float, dearest: float, lies: str) -> Side:
    known, shelf, step = basis.known, basis.judged.shelf, basis.advice.next
    route = known.routes[term.id]
    over = term.id not in (REFER, PROVE) and basis.core.over_limit(term)
    done = f", {basis.earlier} of it done already" if basis.earlier else ""
    harm = basis.core.prices.harm_chance(route)
    return Side(
        id=term.id,
        label=route.label,
        cure="" if term.id == REFER else percent(term.cure),
        minutes=f"{term.act.minutes:.0f} min",
        days=f"{term.act.days:.0f} days" if term.act.days > 1 else "1 day" if term.act.days else "today",
        shelf=f"{shelf[term.id]} on the shelf" if term.id in shelf else "",
        opens=known.access[route.access_for(basis.job.carrier)].label,
        total=basis.money(term.total),
        part=basis.money(term.act.part) if term.act.part else "",
        harm=f"{figure(harm * 100, 1)}% {route.harm_what}" if harm else "",
        tells=[
            known.tells[name]
            for name in tells_of(known, basis.core.case.device, route.id, basis.shop.picks, basis.danger_ids)
        ],
        with_part=", ".join(other.label for other in sold_with(basis, route)),
        lies=lies,
        requires=", ".join(known.checks[name].label for name in term.act.requires),
        quote=money(amount_for(basis, term), basis.shop.region, cents=True),
        over=f"over the limit{done}" if over else "",
        bar=bar,
        more=f"+{basis.money(term.total - best)}" if term.total - best >= 0.5 else "least",
        more_width=number(min((term.total - best) / max(dearest, 1.0), 1.0) * 100),
        advised=step.kind == "repair" and step.id == term.id,
    )
