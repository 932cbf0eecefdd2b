"""Amounts and counts in words, the same on every page."""

from __future__ import annotations

from decimal import Decimal

from rainfront.web.regional import Region


def money(amount: Decimal | float, region: Region, *, cents: bool = False) -> str:
    """An amount of money: rounded as it is spoken, or to the cent where it is asked for or paid."""
    return region.money(amount, cents=cents)


def counted(number: float, noun: str, several: str = "") -> str:
    """How many of something: `1 job`, `2 jobs`; `several` where an s is not all that makes many of it."""
    return f"{number:.0f} {noun if round(number) == 1 else several or f'{noun}s'}"
