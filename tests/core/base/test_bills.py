"""Bills: 2,000 random ones in five regions against decimals by hand, and worked examples."""

import random
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

from django.test import SimpleTestCase

from chargepath.base.bills import bill_totals

# Decimals of the currency, rate of the tax [%], whether prices hold it: Ireland, Switzerland, Japan, a state of the
# USA, and a shop without tax (rates from memory).
REGIONS = ((2, "23", True), (2, "8.1", True), (0, "10", True), (2, "8.875", False), (2, "0", True))


def half_up(value, digits):
    """An exact fraction rounded half up, away from nothing."""
    scaled = abs(value) * 10**digits
    whole = int(scaled) + (scaled - int(scaled) >= Fraction(1, 2))
    return Decimal(whole if value >= 0 else -whole).scaleb(-digits)


class Totals(SimpleTestCase):
    def test_random_bills_add_up_to_the_cent(self):
        draw = random.Random(31)
        for number in range(2000):
            digits, rate, included = REGIONS[number % len(REGIONS)]
            lines = [Decimal(draw.randint(-500, 40_000)).scaleb(-2) for _ in range(draw.randint(1, 7))]
            found = bill_totals(lines, Decimal(rate), included=included, digits=digits)
            total = sum((half_up(Fraction(line), digits) for line in lines), Decimal(0))
            share = Fraction(rate) / (100 + Fraction(rate)) if included else Fraction(rate) / 100
            tax = half_up(Fraction(total) * share, digits)
            with self.subTest(lines=lines, rate=rate, digits=digits):
                self.assertEqual(found.tax, tax)
                self.assertEqual(found.gross, total if included else total + tax)
                self.assertEqual(found.net + found.tax, found.gross)
                self.assertEqual(found.gross, found.gross.quantize(Decimal(1).scaleb(-digits), ROUND_HALF_UP))
