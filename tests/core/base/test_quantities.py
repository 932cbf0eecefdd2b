"""Numbers with units, one row each; the factors are those of the SI prefixes."""

import math

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import METERS, parse_diode, parse_quantity, show


class Units(SimpleTestCase):
    ROWS = (
        ("0.02", "A", 0.02),
        ("0,02", "A", 0.02),
        ("20mA", "A", 0.02),
        ("20 ma", "A", 0.02),
        ("250uA", "A", 250e-6),
        ("250 µA", "A", 250e-6),
        ("3.7", "V", 3.7),
        ("3700mV", "V", 3.7),
        ("41mV", "mV", 41.0),
        (".041 V", "mV", 41.0),
        ("85%", "%", 85.0),
        ("85", "%", 85.0),
        ("90", "min", 90.0),
        ("90 min", "min", 90.0),
        ("1.5h", "min", 90.0),
        ("5m", "min", 5.0),
        ("-0.1", "V", -0.1),
    )
    REFUSED = (("3 mA", "V"), ("3 V", "A"), ("41", "mV"), ("five", "A"), ("1.2.3", "V"), ("", "A"), ("5 h", "%"))

    def test_each_unit_has_its_factor(self):
        for text, unit, value in self.ROWS:
            with self.subTest(text=text, unit=unit):
                self.assertAlmostEqual(parse_quantity(text, unit), value, places=12)

    def test_what_has_another_unit_or_is_no_number_is_refused(self):
        for text, unit in self.REFUSED:
            with self.subTest(text=text, unit=unit), self.assertRaises(ReadingError):
                parse_quantity(text, unit, "field")

    def test_a_number_is_shown_with_the_figures_that_matter(self):
        shown = [show(*pair) for pair in ((0.02, "A"), (0.15, "A"), (4.987, "V"), (41.4, "mV"), (math.inf, "mV"))]
        self.assertEqual(shown, ["20\u00a0mA", "0.15\u00a0A", "4.99\u00a0V", "41\u00a0mV", "OL"])


class OneMeterEach(SimpleTestCase):
    """What the same display means on each kind of meter; None where it has to be asked about or refused."""

    ROWS = (
        ("512", {"any": 512, "volts": 512, "millivolts": 512, "one_millivolts": 512, "one_volts": 512}),
        (".512", {"any": 512, "volts": 512, "millivolts": None, "one_millivolts": None, "one_volts": 512}),
        ("1", {"any": None, "volts": None, "millivolts": 1, "one_millivolts": math.inf, "one_volts": math.inf}),
        ("OL", dict.fromkeys(METERS, math.inf)),
        ("0", dict.fromkeys(METERS, 0)),
        ("-5", dict.fromkeys(METERS)),
        ("3100", dict.fromkeys(METERS)),
        ("2", {"any": 2, "volts": None, "millivolts": 2, "one_millivolts": 2, "one_volts": None}),
    )

    def test_each_display_on_each_meter(self):
        for text, meant in self.ROWS:
            for meter, value in meant.items():
                with self.subTest(text=text, meter=meter):
                    if value is None:
                        with self.assertRaises(ReadingError):
                            parse_diode(text, METERS[meter])
                    else:
                        self.assertEqual(parse_diode(text, METERS[meter]), value)


class Ohms(SimpleTestCase):
    def test_a_large_m_is_a_million_and_a_small_one_a_thousandth(self):
        for text, ohms in (
            ("2M", 2e6), ("2 MΩ", 2e6), ("2Mohm", 2e6), ("2 mΩ", 2e-3), ("2mohm", 2e-3), ("2K", 2e3), ("2 KOHM", 2e3),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertAlmostEqual(parse_quantity(text, "ohm"), ohms)
        self.assertRaises(ReadingError, parse_quantity, "2m", "ohm")
