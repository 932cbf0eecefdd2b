"""Profiles: what ships reads the lines it is for, in the unit that pages use; what does not hold together is named."""

import math

from django.test import SimpleTestCase

from chargepath.instrument.profile import ProfileError, read_profile, shipped_profiles

PROFILE = """
name = "A meter"
about = "For a test."
[connection]
ways = ["tcp"]
[acquire]
way = "stream"
[quantity.volts]
unit = "mV"
line = "{volts} mV"
overload = ["OL"]
low = 0
high = 20000
"""


class Shipped(SimpleTestCase):
    def test_each_reads_a_line_it_is_for_and_nothing_from_what_is_none(self):
        for profile, wanted, line, found in (
            ("remote_multimeter", "volts", "+5.08100000E+00", {"volts": 5.081}),
            ("remote_multimeter", "diode", "+4.98700000E-01", {"diode": 498.7}),
            ("remote_multimeter", "diode", "+9.90000000E+37", {"diode": math.inf}),
            ("remote_multimeter", "ohms", "+9.91000000E+37", {}),
            ("remote_multimeter", "volts", "9e99", {}),
            ("remote_multimeter", "volts", "nan", {}),
            ("remote_supply", "amps", "0.512", {"amps": 0.512}),
            ("usb_power_meter", "", "V: 5.08V A: 0.52A D+: 0.60 D-: 0.61", {"volts": 5.08, "amps": 0.52}),
            ("usb_power_meter", "", "V: 5.08V A: 99A D+: 0.60 D-: 0.61", {"volts": 5.08}),
            ("csv_lines", "", "12.5,5.08,0.52", {"seconds": 12.5, "volts": 5.08, "amps": 0.52}),
            ("csv_lines", "", "12.5,5.08", {"seconds": 12.5, "volts": 5.08}),
            ("thermocouple_reader", "", "T1: 217.5 C", {"celsius": 217.5}),
            ("pressure_reader", "", "P: -201.4 mbar", {"mbar": -201.4}),
            ("thermocouple_reader", "", "T1: OPEN C", {"celsius": math.inf}),
            ("json_lines", "", '{"t": 1.5, "v": 5.08, "a": 0.52}', {"seconds": 1.5, "volts": 5.08, "amps": 0.52}),
            ("json_lines", "", '{"t": 1.5, "v": NaN, "a": true}', {"seconds": 1.5}),
            ("json_lines", "", "[1, 2]", {}),
            ("json_multimeter", "", '{"t": 1, "mv": 512}', {"diode": 512.0}),
            ("json_multimeter", "", '{"t": 1, "ol": true}', {"diode": math.inf}),
            ("json_multimeter", "", '{"t": 1, "mv": 1' + "0" * 400 + "}", {}),
        ):
            with self.subTest(profile=profile, line=line):
                read = shipped_profiles()[profile].read(line, wanted)
                self.assertEqual(set(read), set(found))
                for name, value in found.items():
                    self.assertAlmostEqual(read[name], value)

    def test_who_it_is_is_known_by_a_pattern(self):
        made = read_profile(PROFILE.replace("about =", 'identify = "*IDN?"\nlike = "brin,*"\nabout ='))
        self.assertTrue(made.is_it("BRIN,QUAY-1,007,1.2\n"))
        self.assertFalse(made.is_it("OTHER,QUAY-1"))


class OwnProfile(SimpleTestCase):
    def test_a_number_is_given_in_the_unit_of_the_pages(self):
        made = read_profile(PROFILE)
        self.assertEqual(made.read("5080 mV"), {"volts": 5.08})
        self.assertEqual(made.read("OL mV"), {"volts": math.inf})
        self.assertEqual(made.read("-1 mV"), {})
        scaled = read_profile(PROFILE.replace('unit = "mV"', 'unit = "V"\nscale = 0.01'))
        self.assertEqual(scaled.read("508 mV"), {"volts": 5.08})

    def test_every_problem_is_named_with_its_place(self):
        for change, says in (
            (('ways = ["tcp"]', 'ways = ["smoke"]'), "[connection].ways"),
            (('way = "stream"', 'way = "guess"'), "[acquire].way"),
            (('way = "stream"', 'way = "ask"'), "[quantity.volts].ask"),
            (("[quantity.volts]", "[quantity.smell]"), "a quantity is one of"),
            (('unit = "mV"', 'unit = "ells"'), "its unit one of"),
            (('line = "{volts} mV"', 'line = "{amps} mV"'), "no field {volts}"),
            (('line = "{volts} mV"', 'line = "volts"'), "names no field"),
            (('line = "{volts} mV"', 'column = 2\njson = "v"'), "one of line, json and column"),
            (("low = 0", 'low = "none"'), "must be a number"),
            (("low = 0", "lowest = 0"), "not known here"),
            (('name = "A meter"', ""), "must be a text"),
            (('about = "For a test."', "about = "), "not readable as TOML"),
            (('[quantity.volts]', '[output]\non = "OUTP ON"\n[quantity.volts]'), "needs what switches off"),
            (
                ("[quantity.volts]", '[protection.heat]\nset = "T {c}"\nread = "T?"\n[quantity.volts]'),
                "over_volts, over_amps",
            ),
            (
                ("[quantity.volts]", '[protection.over_volts]\nset = "P 5"\nread = "P?"\n[quantity.volts]'),
                "set with {volts} in it",
            ),
            (('way = "stream"', 'way = "stream"\nstep = "*IDN?"'), "is that of identify"),
        ):  # fmt: skip
            with self.subTest(says=says), self.assertRaises(ProfileError) as caught:
                read_profile(PROFILE.replace(*change))
            self.assertIn(says, "; ".join(caught.exception.problems))
        self.assertRaises(ProfileError, read_profile, "#" * 50_000)
