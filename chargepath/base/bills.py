"""What a bill comes to: its lines, tax, and the sum that is paid, in decimals."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal


@dataclass(frozen=True)
class BillTotals:
    """What lines add up to.

    Attributes
    ----------
    net : Decimal
        Sum without tax (money).
    tax : Decimal
    gross : Decimal
        What the customer pays: net and tax together.

    """

    net: Decimal
    tax: Decimal
    gross: Decimal


def bill_totals(amounts: Iterable[Decimal], percent: Decimal, *, included: bool, digits: int = 2) -> BillTotals:
    """Add up the lines of a bill.

    Tax is reckoned once on the sum, never line by line, and rounded half up; what is not tax is what is left of the
    sum, so that net and tax always add up to what is paid.

    Parameters
    ----------
    amounts : iterable of Decimal
        One a line; a discount is negative.
    percent : Decimal
        Rate of the tax [%].
    included : bool
        Whether the amounts hold the tax already.
    digits : int
        Decimals of the currency (ISO 4217).

    Examples
    --------
    >>> bill_totals([Decimal("40"), Decimal("28.50")], Decimal(23), included=True)
    BillTotals(net=Decimal('55.69'), tax=Decimal('12.81'), gross=Decimal('68.50'))
    >>> bill_totals([Decimal("40"), Decimal("28.50")], Decimal("8.875"), included=False).gross
    Decimal('74.58')

    """
    step = Decimal(1).scaleb(-digits)
    total = sum((amount.quantize(step, ROUND_HALF_UP) for amount in amounts), Decimal(0)).quantize(step)
    if included:
        tax = (total * percent / (100 + percent)).quantize(step, ROUND_HALF_UP)
        return BillTotals(total - tax, tax, total)
    tax = (total * percent / 100).quantize(step, ROUND_HALF_UP)
    return BillTotals(total, tax, total + tax)
