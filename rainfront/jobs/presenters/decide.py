"""The Decide page: routes side by side on one money scale, habits."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.decision.acts import PROVE, REFER
from chargepath.decision.plan import RouteTerm
from chargepath.repair.workplan import tells_of
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.card import NextCard, card_of
from rainfront.jobs.presenters.habits import HabitRow, habit_rows, hold_words
from rainfront.jobs.presenters.quotes import amount_for, sold_with
from rainfront.web.scenes import money_bars
from rainfront.web.scenes.charge_line import percent
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
    quote: str
    over: str
    bar: money_bars.Bar
    advised: bool


@dataclass(frozen=True)
class Decide:
    """Everything on the Decide page."""

    next: NextCard
    sides: list[Side]
    scale: str
    terms: list[tuple[str, str]]
    habits: list[HabitRow]
    habit: HabitRow | None
    hold: str
    spent: str


def terms_of(basis: Basis) -> list[RouteTerm]:
    """The routes worth setting side by side, the least expected cost first."""
    worth = [term for term in basis.advice.routes if term.cure >= SHOWN_FROM or term.id in (REFER, PROVE)]
    return sorted(worth, key=lambda term: term.total)[:SHOWN]


def decide_of(basis: Basis) -> Decide:
    """Work everything out."""
    terms, habits = terms_of(basis), habit_rows(basis)
    bars, scale = money_bars.draw([term.money for term in terms], basis.practice.currency)
    return Decide(
        next=card_of(basis, basis.advice.next),
        sides=[_side(basis, term, bar) for term, bar in zip(terms, bars, strict=True)],
        scale=scale,
        terms=list(money_bars.TERMS.items()),
        habits=habits,
        habit=next((row for row in habits if row.chosen), None),
        hold=hold_words(basis),
        spent=basis.money(basis.core.spent),
    )


def _side(basis: Basis, term: RouteTerm, bar: money_bars.Bar) -> Side:
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
        harm=f"{harm:.1%} {route.harm_what}" if harm else "",
        tells=[known.tells[name] for name in tells_of(known, basis.core.case.device, route.id, basis.practice.picks)],
        with_part=", ".join(other.label for other in sold_with(basis, route)),
        requires=", ".join(known.checks[name].label for name in term.act.requires),
        quote=money(amount_for(basis, term), basis.practice.currency, cents=True),
        over=f"over the limit{done}" if over else "",
        bar=bar,
        advised=step.kind == "repair" and step.id == term.id,
    )
