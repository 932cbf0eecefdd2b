"""Dates and money in templates, as the shop writes them."""

from __future__ import annotations

import re
from datetime import datetime
from decimal import Decimal
from secrets import token_urlsafe
from typing import Any

from django import template
from django.template.defaultfilters import floatformat
from django.template.defaulttags import CsrfTokenNode
from django.utils.html import conditional_escape, format_html
from django.utils.safestring import SafeString

from chargepath.base.quantities import decimal_mark
from chargepath.base.sentences import inside
from rainfront.web.once import FIELD

register = template.Library()


class _FormTokens(CsrfTokenNode):
    """Django's token, and a key by which a form that is sent twice is stored once."""

    def render(self, context: template.Context) -> SafeString:
        """Both as hidden fields; nothing where Django has none."""
        token = super().render(context)
        if not token:
            return SafeString("")
        return format_html('{}<input type="hidden" name="{}" value="{}">', token, FIELD, token_urlsafe(15))


@register.tag("csrf_token")
def form_tokens(parser: Any, token: Any) -> _FormTokens:
    """`{% csrf_token %}`, as every form has it."""
    return _FormTokens()


MEMORY = re.compile(r"\s*\(from memory\)|,? from memory(?=[.;)]|$)")


@register.filter
def basis(text: str) -> SafeString:
    """A text with its sources: what was written down from memory bears a mark that opens instead of those words."""
    words, found = MEMORY.subn("", str(text))
    if not found:
        return conditional_escape(text)
    return format_html(
        '{}<details class="basis"><summary aria-label="How sure this is">≈</summary>'
        "<span>The figure was written down without the document at hand: look it up there before relying on it.</span>"
        "</details>",
        words,
    )


register.filter("inside", inside)


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
