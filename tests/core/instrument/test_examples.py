"""The worked examples of docs/instrument-protocols.md are profiles, and read the lines that they speak of."""

import math
import re

from django.test import SimpleTestCase

from chargepath.instrument.profile import read_profile
from tests.runner import ROOT

LINES = {
    "Tarnholm TM40": (
        ("volts", "+4.98231E+00", 4.98231),
        ("diode", "+5.12E-01", 512.0),
        ("diode", "OL", math.inf),
        ("volts", "+9.91E+37", None),
    ),
    "Meter on the mat": (
        ("volts", "V= 5081 mV; I=512mA #17", 5.081),
        ("amps", "V= 5081 mV; I=512mA #17", 0.512),
        ("volts", "V= 99081 mV; I=512mA #17", None),
    ),
    "Quayside PS2": (("volts", "4.2", 4.2), ("amps", "nan", None)),
}


class OfTheDocument(SimpleTestCase):
    def test_each_example_reads_what_it_is_for(self):
        text = (ROOT / "docs" / "instrument-protocols.md").read_text(encoding="utf-8")
        found = {made.name: made for made in map(read_profile, re.findall(r"```toml\n(.*?)```", text, re.DOTALL))}
        self.assertEqual(set(found), set(LINES))
        for name, lines in LINES.items():
            for quantity, line, value in lines:
                with self.subTest(name, line=line):
                    read = found[name].read(line, quantity).get(quantity)
                    if value is None:
                        self.assertIsNone(read)
                    else:
                        self.assertAlmostEqual(read, value)
        self.assertTrue(found["Tarnholm TM40"].is_it("Tarnholm,TM40,001,1.2"))
