"""What a live meter sees of a proof, on records of the stand-in device."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped
from chargepath.proving.watching import amps_at_end, charge_mah, observe, overlay
from chargepath.standin.device import StandinDevice, play
from chargepath.trace.model import Trace, make_trace

KNOWN = shipped()


WARM = 2.0


def record(seconds, *acts, fault="good", percent=40.0, rate=10.0):
    """What the meter gives from `WARM` seconds after the plug went in."""
    made = StandinDevice.broken(fault, 3, percent)
    rows = np.array(list(play(made, rate, [(t + WARM, dict(c)) for t, *c in acts], seconds + WARM)))
    rows = rows[rows[:, 0] >= WARM]
    return make_trace(rows[:, 0], rows[:, 2], rows[:, 1])


def out(at):
    return (at, ("plugged", False))


def back(at, flipped=None):
    return (at, ("plugged", True)) if flipped is None else (at, ("plugged", True), ("flipped", flipped))


class Charge(SimpleTestCase):
    def test_charge_is_that_of_numpys_trapezoid(self):
        rng = np.random.default_rng(5)
        seconds = np.sort(rng.uniform(0, 900, 4000))
        seconds[0], amps = 0.0, rng.uniform(0, 2, 4000)
        trace = Trace(seconds, np.full(4000, 5.0), amps)
        self.assertAlmostEqual(charge_mah(trace), np.trapezoid(amps, seconds) / 3.6, places=6)

    def test_a_gap_counts_nothing_and_no_sample_is_no_charge(self):
        seconds = np.array([0.0, 1.0, 2.0, 602.0, 603.0])
        trace = Trace(seconds, np.full(5, 5.0), np.ones(5))
        self.assertAlmostEqual(charge_mah(trace), 3.0 / 3.6)
        self.assertEqual(charge_mah(Trace(*(np.zeros(1),) * 3)), 0.0)


class Watched(SimpleTestCase):
    def seen(self, watch, trace, usual=1.35):
        return observe(KNOWN, watch, trace, usual)

    def test_a_current_that_has_settled_is_taken_and_one_that_never_does_is_taken_in_the_end(self):
        self.assertFalse(self.seen("settle", record(5)).done)
        found = self.seen("settle", record(12))
        self.assertTrue(found.done)
        self.assertAlmostEqual(found.numbers["amps"], 1.35, places=2)
        self.assertAlmostEqual(found.numbers["volts"], 4.91, places=1)
        dead = self.seen("settle", record(20, fault="charge_ic_fault.stopped"))
        self.assertFalse(dead.done)
        self.assertAlmostEqual(self.seen("settle", record(31, fault="charge_ic_fault.stopped")).numbers["amps"], 0.03)
        self.assertFalse(self.seen("settle", record(40, fault="battery_worn.dead")).done)
        self.assertTrue(self.seen("settle", record(61, fault="battery_worn.dead")).done)

    def test_leaning_goes_through_four_ways_and_ends_at_the_first_dropout(self):
        says = [self.seen("wiggle", record(seconds)).say for seconds in (2, 8, 14, 20)]
        for way, say in zip(("up", "down", "left", "right"), says, strict=True):
            self.assertIn(f"{way} and let go, twice", say)
        self.assertEqual(self.seen("wiggle", record(24.2)).answers, {"wiggle": "steady"})
        loose = self.seen("wiggle", record(20, (8.5, ("lean", "up")), fault="port_joint.cracked"))
        self.assertEqual((loose.done, loose.answers), (True, {"wiggle": "drops"}))
        self.assertIn("leant down", loose.say)

    def test_turned_over_it_has_to_leave_come_back_settle_and_hold(self):
        self.assertIn("turn it over", self.seen("turn", record(10)).say)
        self.assertIn("other way round", self.seen("turn", record(10, out(8))).say)
        acts = (out(4), back(8, flipped=True))
        self.assertFalse(self.seen("turn", record(15, *acts)).done)
        good = self.seen("turn", record(36, *acts))
        self.assertTrue(good.done)
        self.assertAlmostEqual(good.numbers["amps_flipped"], 1.35, places=2)
        self.assertEqual(good.answers, {})
        dead = self.seen("turn", record(45, *acts, fault="port_worn.one_side"))
        self.assertEqual((dead.done, dead.numbers), (True, {"amps_flipped": 0.0}))
        loose = record(36, *acts, (20, ("lean", "up")), fault="port_joint.cracked")
        self.assertEqual(self.seen("turn", loose).answers, {"wiggle": "drops"})

    def test_plugged_in_again_three_times(self):
        twice = (out(2), back(4), out(8), back(10))
        self.assertIn("2 of 3", self.seen("replug", record(14, *twice)).say)
        self.assertEqual(self.seen("replug", record(22, *twice, out(15), back(17))).answers, {"replug": "returns"})

    def test_the_gain_is_charge_and_minutes_until_it_says_something(self):
        short = self.seen("gain", record(60))
        self.assertIn("Leave it on charge", short.say)
        self.assertFalse(short.done)
        long = self.seen("gain", record(400, rate=2.0))
        self.assertIn("Read the percent", long.say)
        self.assertAlmostEqual(long.numbers["charge_mah"], 1.35 * 400 / 3.6, delta=1.0)

    def test_nothing_is_said_of_no_samples(self):
        self.assertFalse(self.seen("settle", Trace(*(np.zeros(1),) * 3)).done)
        self.assertAlmostEqual(amps_at_end(record(20))[0], 1.35, places=2)

    def test_two_records_begin_where_their_current_first_flows(self):
        before, after = overlay(record(30, out(0), back(12)), record(30), 10.0)
        self.assertEqual((before[0, 0], after[0, 0]), (0.0, 0.0))
        self.assertLess(abs(int((before[:, 1] > 0.02).argmax()) - 10), 3)
        self.assertLessEqual(before[-1, 0], 10.0)
