"""What a diode reading means, and how far out it is, down to the belief."""

import math

from django.test import SimpleTestCase

from chargepath.case.entries import Case, CheckEvent
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model
from chargepath.electrical.lines import (
    read_continuity,
    read_line,
    recovered,
    weigh,
    without_reference,
    worse,
)
from chargepath.electrical.references import given, summarise, twin_of, usual
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.path import LINE_GRADES
from tests.builders import device

GOOD = summarise([508, 512, 515, 510, 514, 512])
OPENS = summarise([math.inf] * 4)


class Grades(SimpleTestCase):
    def test_grade_remark_and_resistance(self):
        table = [
            # reading, grade, remark, about so many ohm
            (511.0, "in_band", "", None),
            (41.0, "short", "", 41),
            (0.0, "short", "", 0),
            (300.0, "low", "", 304),
            (640.0, "in_band", "high", 128),
            (800.0, "open", "high", 288),
            (math.inf, "open", "", None),
        ]
        for reading, grade, remark, ohms in table:
            with self.subTest(reading=reading):
                found = read_line(reading, GOOD)
                self.assertEqual((found.grade, found.remark), (grade, remark))
                if ohms is None:
                    self.assertIsNone(found.ohms)
                else:
                    self.assertAlmostEqual(found.ohms, ohms, delta=max(2, 0.02 * ohms))

    def test_the_test_current_scales_the_resistance(self):
        self.assertAlmostEqual(read_line(40.0, GOOD, test_ma=0.5).ohms, 80, delta=1)

    def test_a_rail_that_fills_a_capacitor_may_read_open(self):
        self.assertEqual(read_line(math.inf, GOOD, can_open=False).grade, "in_band")
        self.assertEqual(read_line(math.inf, GOOD, can_open=False).weights["open"], 0.0)

    def test_a_line_that_good_boards_leave_open(self):
        self.assertEqual(read_line(math.inf, OPENS).grade, "in_band")
        extra = read_line(400.0, OPENS)
        self.assertEqual((extra.grade, extra.remark), ("low", "extra"))
        self.assertEqual(read_line(5.0, OPENS).grade, "short")

    def test_the_verdict_is_a_score_and_not_a_fixed_share(self):
        steady = summarise([500, 501, 499, 500, 500, 501, 500, 499, 500, 501] * 3)
        loose = summarise([500, 545, 450, 520, 470, 540, 460, 500, 530, 455] * 3)
        self.assertEqual(read_line(440, steady).grade, "low")
        self.assertEqual(read_line(440, loose).grade, "in_band")

    def test_continuity(self):
        self.assertEqual([read_continuity(mv).grade for mv in (0.4, 250.0, math.inf)], ["in_band", "open", "open"])

    def test_without_a_reference_the_twin_speaks_else_the_usual_band_and_both_say_they_are_weak(self):
        alone = without_reference(505, usual(500), None)
        self.assertTrue(alone.weak)
        against = without_reference(260, usual(500), 505)
        self.assertEqual((against.grade, against.weak), ("low", True))
        self.assertEqual(worse(alone, against), against)

    def test_lifted_chip(self):
        self.assertTrue(recovered(41, 505, GOOD))
        self.assertFalse(recovered(41, 44, GOOD))
        self.assertTrue(recovered(41, math.inf, GOOD), "a lifted chip may leave its line open")
        self.assertTrue(recovered(300, 720, GOOD), "or without the chip's own junction")


class Evidence(SimpleTestCase):
    def test_weights_are_a_likelihood_that_moves_with_the_reading(self):
        for reading in (0.0, 30.0, 200.0, 480.0, 512.0, 600.0, math.inf):
            self.assertAlmostEqual(sum(weigh(reading, GOOD).values()), 1.0, 12)
        low = [weigh(mv, GOOD)["in_band"] for mv in (505, 470, 440, 400, 350)]
        self.assertEqual(low, sorted(low, reverse=True))
        self.assertEqual(max(LINE_GRADES, key=weigh(512, GOOD).get), "in_band")

    def test_one_odd_touch_says_less_than_two(self):
        self.assertGreater(weigh(300, GOOD)["in_band"], 5 * weigh(300, GOOD, times=2)["in_band"])

    def suspicion(self, reading):
        known, made = shipped(), device()
        event = CheckEvent("line_power", values={"reading": reading, "reference": 512.0})
        belief = assess(Model(known, made, ()), Case(made, (), (event,)))
        chances = dict(belief.faults)
        return chances["input_short"] + chances["charge_ic_leak"]

    def test_the_belief_is_moved_by_how_far_out_a_reading_is_and_not_only_by_its_label(self):
        shares = [self.suspicion(mv) for mv in (512.0, 440.0, 400.0, 340.0, 200.0)]
        self.assertEqual(shares, sorted(shares))
        labels = [read_line(mv, given(512)).grade for mv in (400.0, 340.0)]
        self.assertEqual(labels, ["low", "low"])
        self.assertGreater(shares[3], shares[2] + 0.005)

    def test_a_twin_is_a_band_of_its_own(self):
        self.assertEqual(read_line(310, twin_of(505)).grade, "low")
        self.assertEqual(read_line(495, twin_of(505)).grade, "in_band")
