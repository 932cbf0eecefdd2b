"""Thousands as regions part them: a point, a comma, an apostrophe or a narrow space (CLDR, number symbols)."""

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import decimals_with, parse_quantity


class Thousands(SimpleTestCase):
    def test_are_read_where_something_is_counted_and_a_meter_keeps_its_decimals(self):
        for mark, text, unit, counted, wanted in (
            (",", "1.250", "", True, 1250),
            (",", "1.250", "A", False, 1.25),
            (".", "1.250", "", True, 1.25),
            (".", "1,250", "", True, 1250),
            (",", "3.200", "mAh", False, 3200),
            (".", "12,500.5", "", False, 12500.5),
            (",", "1.250.000", "", False, 1_250_000),
            (".", "1'250mV", "mV", False, 1250),
            (",", "1 250,5 mAh", "mAh", False, 1250.5),
        ):
            with self.subTest(mark=mark, text=text, unit=unit), decimals_with(mark):
                self.assertAlmostEqual(parse_quantity(text, unit, counted=counted), wanted)

    def test_and_marks_that_part_nothing_are_refused(self):
        for text in ("1,25,50", "12.50.00", "1,250,50", "1..2", "1 25"):
            with self.subTest(text=text), self.assertRaises(ReadingError):
                parse_quantity(text, "")
