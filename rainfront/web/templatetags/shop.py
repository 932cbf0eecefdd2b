"""Dates and money in templates, as the shop writes them."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Any

from django import template
from django.template.defaultfilters import floatformat

from chargepath.base.quantities import decimal_mark

register = template.Library()


@register.filter
def figure(value: float | None, digits: int | str = -1) -> str:
    """A number as `floatformat` rounds it, with the shop's decimal mark."""
    return "" if value is None else str(floatformat(value, f"{digits}u")).replace(".", decimal_mark())


@register.simple_tag(takes_context=True)
def at(context: Any, value: datetime | None, shape: str = "moment") -> str:
    """A moment in one of the shapes of `regional.SHAPES`; nothing for none."""
    return context["workshop"].region.at(value, shape) if value else ""


@register.simple_tag(takes_context=True)
def amount(context: Any, value: Decimal | float | None) -> str:
    """An amount to the cent; nothing for none."""
    return "" if value is None else str(context["workshop"].region.money(value, cents=True))
