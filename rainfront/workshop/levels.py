"""What the example prices come to in a currency, until the shop has said what things cost there."""

from __future__ import annotations

import tomllib
from decimal import ROUND_HALF_UP, Decimal
from functools import cache
from pathlib import Path

from rainfront.people.models import Workshop
from rainfront.web.regional import NO_CURRENCY, currencies, currency_of

FILE = Path(__file__).with_name("levels.toml")
TWO_FIGURES = 2


@cache
def _levels() -> dict[str, Decimal]:
    raw = tomllib.loads(FILE.read_text(encoding="utf-8"))["levels"]
    return {currency: Decimal(str(level)) for currency, level in raw.items()}


def level_of(currency: str) -> Decimal | None:
    """What one unit of the example prices comes to in a currency (ISO 4217), None where that is not known here."""
    return _levels().get(currency)


def offered_currencies(locale: str, kept: str = NO_CURRENCY) -> list[tuple[str, str]]:
    """Currencies whose level is known here, by code and name; the one that the region of `locale` pays with is first.

    `kept` is offered too, whether anybody still pays with it or not.
    """
    names, own = dict(currencies()), currency_of(locale)
    found = {*_levels(), kept, own, NO_CURRENCY}
    return [(code, names.get(code, code)) for code in sorted(found, key=lambda code: (code != own, code))]


def usual_rate(currency: str) -> Decimal:
    """The labour rate that ships [money/h] at the level of a currency, to two figures."""
    rate: Decimal = Workshop._meta.get_field("hourly_rate").default
    found = rate * (level_of(currency) or 1)
    step = Decimal(1).scaleb(found.adjusted() - TWO_FIGURES + 1)
    return found.quantize(step, ROUND_HALF_UP).quantize(Decimal("0.01"))


def follow_currency(shop: Workshop, before: Workshop) -> None:
    """Bring rate and example prices to a new currency while nobody has said what things cost here.

    A price must not merely get another sign. `before` is the workshop as it is stored; `shop` is changed, not stored.
    """
    if shop.prices_own or shop.currency == before.currency:
        return
    shop.price_level = level_of(shop.currency)
    if shop.hourly_rate == usual_rate(before.currency):
        shop.hourly_rate = usual_rate(shop.currency)
