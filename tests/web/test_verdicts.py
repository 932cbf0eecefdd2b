"""What was measured along the path, in words."""

import math

from django.test import SimpleTestCase

from chargepath.electrical.ladder import judge_ladder
from chargepath.electrical.lines import read_continuity, read_line, without_reference
from chargepath.electrical.references import given, summarise, usual
from chargepath.electrical.supply import judge_supply, plan_injection
from chargepath.grading.sheet import PinReading, events_of, judge_sheet
from chargepath.knowledge.loader import shipped
from chargepath.proving.sealing import Decay, judge_seal
from chargepath.repair.cell import Cell, Feed, refusals
from rainfront.cell.words import WORDS, refusal_words
from rainfront.proof.words import seal_words
from rainfront.web.verdicts import (
    hop_words,
    idle_words,
    injection_words,
    line_label,
    line_words,
    sheet_words,
    show_ohms,
    start_words,
    twin_words,
)

KNOWN = shipped()
OPENS = summarise([math.inf] * 4)
USB_C = KNOWN.connectors["usb_c"].map


class Lines(SimpleTestCase):
    def test_a_reading_says_what_it_was_held_against_and_what_explains_it(self):
        boards = summarise([500.0] * 6)
        for line, label, words in (
            (read_line(41.0, given(512)), "shorted", "41 mV against reference 512 mV: about 41 ohm to ground"),
            (read_line(0.0, given(512)), "shorted", "0 mV against reference 512 mV: under 1 ohm to ground"),
            (read_line(498.0, boards), "in band", "498 mV, 100% of 500 mV (6 good boards)"),
            (
                read_line(300.0, given(512)),
                "low",
                "300 mV, 59% of reference 512 mV: about 300 ohm to ground",
            ),
            (read_line(800.0, given(500)), "open, reads high", "in series"),
            (read_line(math.inf, given(500)), "open", "overrange: nothing conducts; reference 500 mV"),
            (read_line(math.inf, OPENS), "in band", "overrange, as on good boards"),
            (read_line(5.0, OPENS), "shorted", "5 mV; good boards read open here: about 5 ohm to ground"),
            (read_line(400.0, OPENS), "reads although good boards do not", "400 mV; good boards read open here"),
            (without_reference(250.0, usual(600), 490.0), "low", "51% of its twin's 490 mV, no reference"),
            (read_continuity(0.4), "in band", "it conducts"),
            (read_continuity(250.0), "open, reads high", "250 mV: about 250 ohm in it"),
            (read_continuity(math.inf), "open", "overrange: it does not conduct"),
        ):
            with self.subTest(words=words):
                self.assertEqual(line_label(line), label)
                self.assertIn(words, line_words(line).replace("\u00a0", " "))

    def test_resistances_are_spoken_with_two_figures(self):
        for ohms, words in (
            (0.2, "under 1 ohm"),
            (41.4, "41 ohm"),
            (999.6, "1 kohm"),
            (4.7e6, "4.7 Mohm"),
            (math.inf, "no leak"),
        ):
            self.assertEqual(show_ohms(ohms).replace("\u00a0", " "), words)


class Sheets(SimpleTestCase):
    def test_a_twin_is_named_with_how_far_this_line_lies_from_it(self):
        found = judge_sheet(USB_C, {"A6": PinReading(490), "B6": PinReading(250)}, {})
        self.assertEqual(twin_words(found["B6"]).replace("\u00a0", " "), "A6 490 mV, -49%")
        beyond = judge_sheet(USB_C, {"A6": PinReading(100), "B6": PinReading(490)}, {})
        self.assertNotIn("%", twin_words(beyond["B6"]))

    def test_a_check_is_told_by_its_worst_line(self):
        references = {pin: summarise([600.0] * 6) for pin in ("A4", "A9")}
        found = judge_sheet(USB_C, {"A4": PinReading(601), "A9": PinReading(44)}, references)
        (row,) = events_of(USB_C, "contact", found)
        self.assertRegex(
            sheet_words(USB_C, row), r"^A9 VBUS: 44.mV against 600.mV \(6 good boards\): about .*; worst of 2$"
        )


class Hops(SimpleTestCase):
    def test_each_state_of_a_hop_has_its_words(self):
        for volts, amps, words in (
            ({"plug": 4.9, "carrier": 4.6}, 1.5, "300 mV from .*, 200 mΩ; good parts drop 68 mV at 1.50 A"),
            ({"plug": 4.9, "carrier": 4.89}, 1.5, "10 mV from .*; up to 68 mV at 1.50 A"),
            ({"plug": 5.1, "guard": 0.1}, 0.0, r"the voltage stops: 5000 mV .* \(.* and .* not measured, bridged\)"),
            ({"plug": 4.6, "carrier": 4.9}, 1.0, "-300 mV .*: higher behind than before"),
            ({"plug": 5.1, "carrier": 5.09}, 0.0, "without current no drop can be judged"),
            ({"charge_ic": 4.9, "rail": 3.2, "cell": 3.7}, 0.2, "rail at 3.2.* V, under the cell"),
            ({"charge_ic": 4.9, "rail": 4.0}, 0.2, "the charging IC converts here"),
        ):
            with self.subTest(words=words):
                row = judge_ladder(KNOWN, volts, amps)[0]
                self.assertRegex(hop_words(row, KNOWN).replace("\u00a0", " "), words)


class BenchSupply(SimpleTestCase):
    def test_what_flows_is_said_with_its_limits_and_where_they_come_from(self):
        for before, after, good, words in (
            (0.0004, 0.08, None, ("0.4 mA when off: no leakage current; leakage from", "common practice")),
            (
                0.004,
                None,
                0.0006,
                ("4.0 mA when off: a leakage current flows; leakage from 1.8 mA", "good board 0.6 mA"),
            ),
            (0.9, None, None, ("0.90 A when off: a rail is all but shorted",)),
        ):
            found = judge_supply(KNOWN, before, after, good)
            for part in words:
                self.assertIn(part, idle_words(found).replace("\u00a0", " "))
        for after, words in ((0.0, "0.0 mA with the key: the key does nothing"), (2.5, "2.50 A with the key: far too")):
            self.assertIn(words, start_words(judge_supply(KNOWN, 0.0, after)).replace("\u00a0", " "))
        self.assertEqual(start_words(judge_supply(KNOWN, 0.0, None)) + idle_words(judge_supply(KNOWN, None, 1)), "")

    def test_the_working_of_an_injection(self):
        rows = injection_words(plan_injection(KNOWN, 0.25, 4.4, 3.0, 0.05))
        self.assertEqual(rows[0], "1 W in 0.25 ohm wants 0.50 V and 2.00 A")
        self.assertEqual(rows[2], "with 50 mΩ of leads: 2.00 A, 1 W in the short")
        self.assertIn("freeze spray", rows[3])
        self.assertIn("measure along the rail", injection_words(plan_injection(KNOWN, 3000.0, 1.8))[3])


class Seals(SimpleTestCase):
    def test_a_test_says_what_it_was_held_against(self):
        tight, leaky = Decay(20.0, 19.8, 20.0), Decay(20.0, 17.0, 20.0)
        for now, before, others, words in (
            (leaky, tight, 0, ["worse than before it was opened: 3.00 kPa lost, 0.20 kPa then, up to"]),
            (tight, tight, 3, ["as before it was opened: 0.20 kPa lost", "as 3 others of this model: 0.20 kPa lost"]),
            (leaky, None, 0, ["3.00 kPa lost at 20 kPa in 20 s"]),
        ):
            found = seal_words(judge_seal(KNOWN, now, before, [tight] * others), KNOWN)
            self.assertEqual(len(found), len(words))
            for text, part in zip(found, words, strict=True):
                self.assertIn(part, text.replace("\u00a0", " "))


class Cells(SimpleTestCase):
    def test_every_refusal_says_what_is_so_and_what_to_do(self):
        kind = next(iter(KNOWN.cells.kinds.values()))
        looks = frozenset({"swollen", "wet", "dented", "hot"})
        cases = (
            (Cell(kind, 3000, 1.0, -5.0, looks), Feed(9.0, 9.0, then_amps=9.0)),
            (Cell(kind, 3000, 4.9, 60.0), Feed(9.0, 9.0, bare=True)),
            (Cell(kind, 3000, 7.4, series=2), None),
        )
        found = {row.id: refusal_words(row) for cell, feed in cases for row in refusals(cell, feed, KNOWN)}
        self.assertEqual(set(found), set(WORDS))
        self.assertTrue(all(row.says and row.instead and "{" not in row.says + row.instead for row in found.values()))
        needs = "9.00 A is over the 0.30 that a cell under the recovery threshold may have"
        self.assertEqual(found["amps"].says, needs)
        self.assertEqual(found["amps"].instead, "Set 0.30 A or less. It may have more from 3.0 V on.")
        self.assertEqual(found["cold"].says, "its temperature is -5 °C, under 0")
