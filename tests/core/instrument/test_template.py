"""Templates of lines: what they read, what they refuse, how long it takes, and what is proposed of raw lines."""

import math
import random

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.instrument.template import LineTemplate, fits, propose
from tests.sizes import sized


class Match(SimpleTestCase):
    def test_lines_as_instruments_send_them(self):
        for template, line, wanted in (
            ("V: {volts}V A: {amps}A", "V: 5.08V A: 0.52A", {"volts": 5.08, "amps": 0.52}),
            ("V: {volts}V A: {amps}A", "  V:   5.08 V   A:-0.02A\r", {"volts": 5.08, "amps": -0.02}),
            ("{volts}", "+4.98700000E-01", {"volts": 0.4987}),
            ("{volts} V, {amps} A", ".5V,1.A", {"volts": 0.5, "amps": 1.0}),
            ("CH1 {_} {ohms}", "CH1 DC 12.5", {"ohms": 12.5}),
            ("probe#{_} -> {celsius} C (n={_})", "probe#2 -> 182.5 C (n=7)", {"celsius": 182.5}),
            ("T1: {celsius} C", "T1: 23.5 C", {"celsius": 23.5}),
            ("V: {volts}V", "V: 5.08", None),
            ("V: {volts}V", "V: 5.08V and more", None),
            ("V: {volts}V", "v: 5.08V", None),
            ("V: {volts}V", "V: nanV", None),
            ("V: {volts}V", "V: 1e999V", None),
            ("V: {volts}V", "V: 5,08V", None),
            ("V: {volts}V", "V: " + "1" * 300 + "V", None),
            ("V: {volts}V", "", None),
        ):
            with self.subTest(template=template, line=line[:40]):
                self.assertEqual(LineTemplate(template).match(line), wanted)

    def test_a_word_for_an_overload_is_one_and_stands_only_where_a_number_would(self):
        template = LineTemplate("R {ohms} ohm", ("OL", "OVLD"))
        self.assertEqual(template.match("R OVLD ohm"), {"ohms": math.inf})
        self.assertIsNone(template.match("OL 5 ohm"))
        self.assertIsNone(LineTemplate("R {ohms} ohm").match("R OL ohm"))

    def test_what_was_read_can_be_marked_in_the_line(self):
        line = "V: 5.08V A: 0.52A"
        spans = LineTemplate("V: {volts}V A: {amps}A").spans(line)
        self.assertEqual(
            [(name, line[start:end]) for name, _, start, end in spans], [("volts", "5.08"), ("amps", "0.52")]
        )

    def test_a_template_that_cannot_be_is_refused_in_words(self):
        for text, says in (
            ("volts", "names no field"),
            ("{_} V", "names no field"),
            ("{volts} {volts}", "a field twice"),
            ("{volts}{amps}", "nothing stands between"),
            ("{volts} {", "does not enclose"),
            ("{9}", "names no field"),
            ("x" * 300 + "{volts}", "longer than"),
        ):
            with self.subTest(text=text[:20]), self.assertRaisesMessage(ReadingError, says):
                LineTemplate(text)

    def test_a_damaged_line_never_gives_a_number_that_is_not_in_it(self):
        draw, template = random.Random(4), LineTemplate("V: {volts}V A: {amps}A", ("OL",))
        read = 0
        for _ in range(sized(2000, 30_000)):
            volts, amps = f"{draw.uniform(0, 20):.3f}", f"{draw.uniform(0, 3):.3f}"
            line = f"V: {volts}V A: {amps}A"
            for _ in range(draw.randrange(3)):
                at = draw.randrange(len(line) + 1)
                line = draw.choice(
                    (line[:at], line[:at] + draw.choice("VA:. x\0") + line[at:], line[:at] + line[at + 1 :])
                )
            found = template.match(line)
            if found is not None:
                read += 1
                self.assertEqual(len(found), 2)
                self.assertTrue(all(math.isfinite(value) for value in found.values()), line)
        self.assertGreater(read, 300)

    def test_long_and_hostile_lines_are_no_reading(self):
        """What tries every way of splitting a line would never end on these."""
        template = LineTemplate("V: {volts}V A: {amps}A {_} {_} {_}")
        for line in ("1" * 256, "V: " * 80, "{" * 256, "1e" * 128, "V: 5V A: " + "9" * 240, "V: 5V" + " " * 250):
            with self.subTest(line=line[:12]):
                self.assertIsNone(template.match(line))


class Proposed(SimpleTestCase):
    def test_numbers_become_fields_that_are_named_by_their_unit(self):
        for lines, wanted in (
            (["V: 5.08V A: 0.52A", "V: 5.10V A: 0.50A"], "V: {volts}V A: {amps}A"),
            (["CH1 +05.021 V +0.340 A\r\n"] * 3, "CH1 {volts} V {amps} A"),
            (["5.02,0.34,22.1"] * 3, "{value},{value_2},{value_3}"),
            (["temp=23.4C"] * 3, "temp={celsius}C"),
            (["ready", "R 12.5 Ohm", "R 12.6 Ohm"], "R {ohms} Ohm"),
            (["hello", ""], ""),
            (["a{1 2.5V"] * 3, "a({amps} {volts}V"),
        ):
            with self.subTest(lines=lines[:1]):
                self.assertEqual(propose(lines), wanted)

    def test_what_is_proposed_reads_the_lines_it_came_from(self):
        lines = [f"V: {5 + n / 100:.2f}V A: {n / 50:.2f}A D+: 0.6{n}V D-: 0.61V" for n in range(9)]
        template = LineTemplate(propose(lines))
        self.assertTrue(fits(template, lines))
        self.assertEqual(template.match(lines[3])["amps"], 0.06)

    def test_a_template_fits_from_three_of_the_last_eight_lines_on(self):
        template = LineTemplate("{volts} V")
        for right, wanted in ((2, False), (3, True)):
            lines = ["5 V"] * 20 + ["?"] * (8 - right) + ["5 V"] * right
            self.assertEqual(fits(template, lines), wanted)
