"""Money, dates and decimals as they are written where the shop is; by the CLDR tables that Babel ships."""

from __future__ import annotations

import copy
import re
from dataclasses import dataclass
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache

from babel import Locale
from babel.dates import format_skeleton, format_time
from babel.localedata import locale_identifiers
from babel.numbers import (
    NumberPattern,
    get_currency_name,
    get_currency_precision,
    get_territory_currencies,
    list_currencies,
)
from django.utils.timezone import localtime

LETTER_BEFORE_DIGIT = re.compile(r"(?<=[A-Za-z])(?=\d)")
# What every page can show of a moment, as CLDR skeletons and whether the time follows.
SHAPES = {
    "time": ("", True),
    "day": ("MMMd", False),
    "weekday": ("MMMEd", False),
    "date": ("yMMMd", False),
    "month": ("yMMM", False),
    "moment": ("MMMd", True),
    "promised": ("MMMEd", True),
    "stamp": ("yMMMd", True),
}


@lru_cache(maxsize=16)
def _pattern(locale: str, *, cents: bool) -> NumberPattern:
    """The locale's pattern for money, with or without what is after the point."""
    pattern: NumberPattern = copy.copy(Locale.parse(locale).currency_formats["standard"])
    if not cents:
        pattern.frac_prec = (0, 0)
    return pattern


@lru_cache(maxsize=4096)
def _written(value: Decimal, currency: str, locale: str, cents: bool) -> str:
    """A rounded amount as it is written; a page holds dozens, mostly the same ones."""
    written = str(_pattern(locale, cents=cents).apply(value, locale, currency=currency, currency_digits=cents))
    # A code of letters does not touch its number (CLDR, currency spacing).
    return LETTER_BEFORE_DIGIT.sub("\u00a0", written)


@dataclass(frozen=True)
class Region:
    """How a shop writes.

    Attributes
    ----------
    currency : str
        Code by ISO 4217; XXX for none.
    locale : str
        Region whose dates and decimals are used, as a locale in English words (`en_IE`).

    """

    currency: str = "XXX"
    locale: str = "en_IE"

    def money(self, amount: Decimal | float, *, cents: bool = False) -> str:
        """An amount: rounded as it is spoken, or to the cent where it is asked for or paid."""
        value = amount if isinstance(amount, Decimal) else Decimal(str(round(amount, 4)))
        digits = get_currency_precision(self.currency) if cents else 0
        return _written(value.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP), self.currency, self.locale, cents)

    @property
    def digits(self) -> int:
        """Decimals of the currency (ISO 4217), two at most: amounts are stored with two."""
        return min(int(get_currency_precision(self.currency)), 2)

    @property
    def mark(self) -> str:
        """The currency's mark, or its code where it has none."""
        marks = Locale.parse(self.locale).currency_symbols
        return str(marks.get(self.currency, self.currency))

    @property
    def decimal(self) -> str:
        """What parts a number's whole from its fraction."""
        return str(Locale.parse(self.locale).number_symbols["latn"]["decimal"])

    def at(self, value: date, shape: str) -> str:
        """A day or moment in one of the `SHAPES`, in local time."""
        skeleton, timed = SHAPES[shape]
        here = localtime(value) if isinstance(value, datetime) and value.tzinfo else value
        parts = [format_skeleton(skeleton, here, locale=self.locale)] if skeleton else []
        if timed and isinstance(here, datetime):
            parts.append(format_time(here, "short", locale=self.locale))
        return " ".join(parts)


@lru_cache(maxsize=1)
def currencies() -> tuple[tuple[str, str], ...]:
    """Every currency that there is or was, by ISO 4217: code, and its name with the code."""
    return tuple((code, f"{code}, {get_currency_name(code, locale='en')}") for code in sorted(list_currencies()))


NO_CURRENCY = "XXX"


@lru_cache(maxsize=512)
def currency_of(locale: str) -> str:
    """The currency that a region pays with today, by ISO 4217; XXX where it is not known."""
    territory = Locale.parse(locale).territory
    found = get_territory_currencies(territory, tender=True) if territory else []
    return str(found[0]) if found else NO_CURRENCY


@lru_cache(maxsize=1)
def regions() -> tuple[tuple[str, str], ...]:
    """Every region that English words are written in, by name, with an amount as it is written there."""
    found = []
    for name in locale_identifiers():
        locale = Locale.parse(name)
        if locale.language == "en" and locale.territory and locale.territory.isalpha() and not locale.variant:
            shown = Region("XXX", name)
            point = Decimal("1234.5")
            written = _pattern(name, cents=True).apply(point, name, currency="", currency_digits=False).strip()
            found.append((name, f"{locale.territory_name}: {written}, {shown.decimal} as decimal mark"))
    return tuple(sorted(found, key=lambda row: row[1]))
