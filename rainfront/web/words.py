"""Amounts in words, the same on every page."""

from __future__ import annotations

from decimal import Decimal


def money(amount: Decimal | float, currency: str, *, cents: bool = False) -> str:
    """An amount of money: rounded as it is spoken, or to the cent where it is asked for or paid."""
    return f"{currency}{amount:,.2f}" if cents else f"{currency}{amount:,.0f}"
