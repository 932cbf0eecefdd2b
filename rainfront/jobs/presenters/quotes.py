"""What a customer is quoted, and in which words."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from chargepath.decision.acts import pulled
from chargepath.decision.plan import RouteTerm
from chargepath.knowledge import Route
from chargepath.repair.workplan import tells_of
from rainfront.jobs.extensions import quoted_of
from rainfront.jobs.models import Quote
from rainfront.jobs.presenters.basis import Basis
from rainfront.web.words import money

CENT = Decimal("0.01")


@dataclass
class QuoteRow:
    """A quote of the job; `form` takes the answer while it is open."""

    quote: Quote
    label: str
    amount: str
    form: Any = None


def sold_with(basis: Basis, route: Route) -> list[Route]:
    """Routes whose part is only sold together with this one's."""
    return pulled(route, basis.core.prices, basis.belief.model)[1:]


def amount_for(basis: Basis, term: RouteTerm) -> Decimal:
    """What the customer is quoted: labour by the shop's rate, parts, and what was done so far, to the cent, in
    decimals.
    """
    minutes = Decimal(str(round(term.act.minutes, 2)))
    labour = basis.shop.rate_per_hour * minutes / 60
    spent = Decimal(str(round(basis.core.spent, 2)))
    together = pulled(basis.known.routes[term.id], basis.core.prices, basis.belief.model)
    parts = sum((basis.judged.part_price(route.id) for route in together), Decimal(0))
    return (labour + parts + spent).quantize(CENT, ROUND_HALF_UP)


def quote_words(basis: Basis, term: RouteTerm) -> str:
    """A quote in plain words: what is done, what it costs, how likely, how long, what the customer must know."""
    route, others = basis.known.routes[term.id], sold_with(basis, basis.known.routes[term.id])
    amount, words = money(amount_for(basis, term), basis.shop.region, cents=True), basis.known.customer.offered
    lines = [
        f"{basis.job.model_name}: {words[route.id]}.",
        f"It costs {amount}, the work already done included.",
        f"{_chance_words(term.cure)} If it does not, we stop and ask before anything more is charged.",
        f"It takes about {_time_words(term.act.minutes, term.act.days)}.",
    ]
    if others:
        lines.append(
            f"The part is only sold together with what is needed to {', '.join(words[other.id] for other in others)}."
        )
    told = tells_of(basis.known, basis.core.case.device, route.id, basis.shop.picks, basis.danger_ids)
    lines += [basis.known.tells[name] for name in told]
    harm = basis.core.prices.harm_chance(route)
    if harm >= 0.01:
        lines.append(f"In about {harm:.0%} of such repairs the device is damaged ({route.harm_what}).")
    return "\n".join([*lines, *quoted_of(basis.job, basis.shop)])


def follow_amount(basis: Basis, words: str, was: Decimal, amount: Decimal) -> str:
    """The words of a quote with the amount that was changed beside them."""
    region = basis.shop.region
    return words.replace(money(was, region, cents=True), money(amount, region, cents=True))


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


def quote_rows(basis: Basis) -> list[QuoteRow]:
    """Quotes of the job, newest first."""
    routes, region = basis.known.routes, basis.shop.region
    return [
        QuoteRow(
            row, routes[row.route].label if row.route in routes else row.route, money(row.amount, region, cents=True)
        )
        for row in Quote.objects.for_job(basis.job.pk)
    ]
