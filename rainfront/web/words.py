"""Amounts and counts in words, the same on every page."""

from __future__ import annotations

from decimal import Decimal

from rainfront.web.regional import Region


def money(amount: Decimal | float, region: Region, *, cents: bool = False) -> str:
    """An amount of money: rounded as it is spoken, or to the cent where it is asked for or paid."""
    return region.money(amount, cents=cents)


def counted(number: float, noun: str) -> str:
    """How many of something: `1 job`, `2 jobs`."""
    return f"{number:.0f} {noun}{'' if round(number) == 1 else 's'}"
