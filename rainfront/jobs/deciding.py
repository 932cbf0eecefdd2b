"""What the Decide and Why pages show: routes side by side, habits, quotes, the working behind suspects and the next step."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from chargepath.decision.plan import PROVE, REFER, RouteTerm, pulled
from chargepath.decision.why import Term, option_working, swings
from chargepath.knowledge import Route
from rainfront.jobs.adapters import Judgement, decimal_part
from rainfront.jobs.habits import HabitRow, habit_row, habits_of, hold_words
from rainfront.jobs.models import Job, Quote
from rainfront.jobs.presenters import BenchPresenter
from rainfront.jobs.words import money
from rainfront.web.scenes import money_bars
from rainfront.web.scenes.charge_line import number, percent

SHOWN_ROUTES, SHOWN_SWINGS, SHOWN_FAULTS = 9, 6, 6
CENT = Decimal("0.01")


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

    next: Any
    sides: list[Side]
    scale: str
    terms: list[tuple[str, str]]
    habits: list[HabitRow]
    habit: HabitRow | None
    hold: str
    spent: str


def amount_for(judged: Judgement, term: RouteTerm, rate_per_hour: Decimal) -> Decimal:
    """What the customer is quoted for a route: labour by the shop's rate, and parts, to the cent; decimals throughout."""
    minutes = Decimal(str(round(term.minutes, 2)))
    labour = rate_per_hour * minutes / 60
    spent = Decimal(str(round(judged.spent, 2)))
    together = pulled(judged.belief.model.known.routes[term.id], judged.prices, judged.belief.model)
    parts = sum((decimal_part(judged, route.id) for route in together), Decimal(0))
    return (labour + parts + spent).quantize(CENT, ROUND_HALF_UP)


class DecidePresenter:
    """Builds `Decide` and the Why page for one job."""

    def __init__(self, job: Job, judged: Judgement, currency: str, rate_per_hour: Decimal, school: str = "") -> None:
        self.job, self.judged, self.currency, self.rate = job, judged, currency, rate_per_hour
        self.known, self.belief, self.advice = judged.belief.model.known, judged.belief, judged.advice
        self.school = school
        self.bench = BenchPresenter(job, judged, currency)

    def terms(self) -> list[RouteTerm]:
        """The routes worth showing, the least expected cost first."""
        worth = [term for term in self.advice.routes if term.cure >= 0.02 or term.id in (REFER, PROVE)]
        return sorted(worth, key=lambda term: term.total)[:SHOWN_ROUTES]

    def build(self) -> Decide:
        """Work everything out."""
        terms = self.terms()
        rows = [
            {"labour": t.labour, "part": t.part, "harm": t.harm, "waiting": t.waiting, "comeback": t.comeback, "later": t.later}
            for t in terms
        ]  # fmt: skip
        bars, scale = money_bars.draw(rows, self.currency)
        habits = [
            habit_row(self.judged, self.currency, habit, self.school) for habit in habits_of(self.job, self.judged)
        ]
        return Decide(
            next=self.bench.build().next,
            sides=[self._side(term, bar) for term, bar in zip(terms, bars, strict=True)],
            scale=scale,
            terms=list(money_bars.TERMS.items()),
            habits=habits,
            habit=next((row for row in habits if row.chosen), None),
            hold=hold_words(self.job, self.judged, self.currency),
            spent=money(self.judged.spent, self.currency),
        )

    def amount(self, term: RouteTerm) -> Decimal:
        """What a route is quoted at."""
        return amount_for(self.judged, term, self.rate)

    def _side(self, term: RouteTerm, bar: money_bars.Bar) -> Side:
        route = self.known.routes[term.id]
        others = pulled(route, self.judged.prices, self.belief.model)[1:]
        amount = self.amount(term)
        over = self.job.limit is not None and amount > self.job.limit and term.id not in (REFER, PROVE)
        return Side(
            id=term.id,
            label=route.label,
            cure="" if term.id == REFER else percent(term.cure),
            minutes=f"{term.minutes:.0f} min",
            days=f"{term.days:.0f} days" if term.days > 1 else "1 day" if term.days else "today",
            shelf=f"{self.judged.shelf[term.id]} on the shelf" if term.id in self.judged.shelf else "",
            opens=self.known.access[route.access_for(self.job.carrier)].label,
            total=money(term.total, self.currency),
            part=money(term.part, self.currency) if term.part else "",
            harm=f"{route.harm:.1%} {route.harm_what}" if route.harm else "",
            tells=[self.known.tells[name] for name in route.tells],
            with_part=", ".join(other.label for other in others),
            requires=", ".join(self.known.checks[name].label for name in term.requires),
            quote=f"{self.currency}{amount:,.2f}",
            over="over the limit" if over else "",
            bar=bar,
            advised=self.advice.next.kind == "repair" and self.advice.next.id == term.id,
        )

    def quote_words(self, term: RouteTerm) -> str:
        """A quote in plain words for the customer: what is done, what it costs, how likely, how long, what they must know."""
        route = self.known.routes[term.id]
        lines = [
            f"{self.job.model_name}: {route.label.lower()}.",
            f"It costs {self.currency}{self.amount(term):,.2f}, the work already done included.",
            f"{_chance_words(term.cure)} If it does not, we stop and ask before anything more is charged.",
            f"It takes about {_time_words(term.minutes, term.days)}.",
        ]
        others = pulled(route, self.judged.prices, self.belief.model)[1:]
        if others:
            lines.append(f"The part is only sold together with: {', '.join(other.label.lower() for other in others)}.")
        lines += [self.known.tells[name] for name in route.tells]
        if route.harm >= 0.01:
            lines.append(f"In about {route.harm:.0%} of such repairs the device is damaged ({route.harm_what}).")
        return "\n".join(lines)

    def why(self) -> dict[str, Any]:
        """The working behind the suspects and behind the next step."""
        with_it, without = option_working(self.advice.next, self.advice, self.judged.prices)
        lead = min(self.advice.routes, key=lambda term: term.total)
        reach = swings(self.belief, self.judged.prices)
        return {
            "next": self.bench.build().next,
            "with_it": self._working(with_it),
            "without": self._working(without),
            "without_label": self.known.routes[lead.id].label,
            "then": self._name("check", self.advice.next.then) if self.advice.next.then else "",
            "saves": money(self.advice.next.saves, self.currency),
            "suspects": [self._why(name, chance, reach[name]) for name, chance in self.belief.faults[:SHOWN_FAULTS]],
        }

    def _working(self, rows: list[Term]) -> dict[str, Any]:
        return {
            "rows": [(row.what, f"{self.currency}{row.money:.2f}", row.how) for row in rows],
            "total": f"{self.currency}{sum(row.money for row in rows):.2f}",
        }

    def _name(self, kind: str, name: str) -> str:
        if kind == "check" and name in self.known.checks:
            return self.known.checks[name].label
        return f"try: {self.known.routes[name].label}"

    def _why(self, name: str, chance: float, reach: list[Any]) -> dict[str, Any]:
        fault, rows = self.known.faults[name], []
        prior = dict(
            zip(self.belief.model.fault_ids, self.belief.model.states.marginals(self.belief.model.prior), strict=True)
        )
        pushes = sorted((push for push in self.judged.pushes if push.fault == name), key=lambda push: push.index)
        for push in pushes:
            up = push.factor >= 1
            factor = push.factor if up else 1 / max(push.factor, 1e-9)
            size = ">99" if factor > 99 else f"{factor:.2f}"
            entry = self.belief.entries[push.index]
            rows.append((self.bench.words_of(entry), f"{'×' if up else '÷'}{size}", up, factor < 1.05))
        further = [
            {
                "what": self._name(row.kind, row.id),
                "up": f"{row.up}: {percent(row.up_to)}",
                "down": f"{row.down}: {percent(row.down_to)}",
                "x1": number(row.down_to * 100),
                "x2": number(row.up_to * 100),
                "now": number(chance * 100),
            }
            for row in reach[:SHOWN_SWINGS]
        ]
        return {
            "fault": fault, "chance": percent(chance), "prior": percent(float(prior[name])), "rows": rows, "further": further,
        }  # fmt: skip


def _chance_words(cure: float) -> str:
    if cure >= 0.9:
        return "It is very likely to charge again afterwards."
    if cure >= 0.7:
        return "It will probably charge again afterwards."
    return f"The chance that it charges again afterwards is about {round(cure * 20) * 5} in 100."


def _time_words(minutes: float, days: float) -> str:
    work = f"{max(round(minutes / 15), 1) * 15} minutes of work"
    if days >= 1:
        return f"{work}, once the part is here in {days:.0f} day{'s' if days >= 2 else ''}"
    return work


def open_quotes(quotes: list[Quote], routes: dict[str, Route], currency: str) -> list[dict[str, Any]]:
    """Quotes of a job for its page."""
    return [
        {"quote": row, "label": routes[row.route].label if row.route in routes else row.route,
         "amount": f"{currency}{row.amount:,.2f}"}
        for row in quotes
    ]  # fmt: skip
