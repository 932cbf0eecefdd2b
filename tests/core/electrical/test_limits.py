"""Limits and terms of the bench's arithmetic, worked by hand; limits are common practice as the knowledge has them."""

import math
from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.electrical.ladder import contact_resistance, judge_ladder
from chargepath.electrical.lines import read_continuity, recovered, weigh
from chargepath.electrical.references import given, summarise
from chargepath.electrical.sense import judge_level, judge_thermistor
from chargepath.electrical.steady import Steady
from chargepath.electrical.supply import idle_limits, judge_draws, judge_supply, plan_injection
from chargepath.knowledge.loader import shipped
from tests.inverses import ohms_by_beta

KNOWN = shipped()


class Lines(SimpleTestCase):
    def test_a_contact_conducts_up_to_20_mv_and_is_open_above(self):
        grades = [read_continuity(mv).grade for mv in (0.0, 20.0, 21.0, 60.0, 150.0, math.inf)]
        self.assertEqual(grades, ["in_band", "in_band", "open", "open", "open", "open"])

    def test_two_odd_readings_say_more_than_one(self):
        once, twice = (weigh(100.0, given(512.0), times)["in_band"] for times in (1, 2))
        self.assertTrue(30 < once / twice < 50, once / twice)

    def test_half_of_the_way_back_is_recovered(self):
        good = given(500.0)
        self.assertEqual([recovered(100.0, after, good) for after in (140.0, 299.0, 301.0)], [False, False, True])


class References(SimpleTestCase):
    def test_another_meters_readings_move_by_the_shift_and_widen_by_its_error(self):
        plain = summarise([500.0, 510.0, 505.0])
        moved = summarise([500.0, 510.0, 505.0], shift_mv=12.0, shift_error_mv=9.0)
        self.assertAlmostEqual(moved.median_mv, plain.median_mv + 12.0)
        self.assertAlmostEqual(moved.scale_mv**2, plain.scale_mv**2 + 81.0)


class Ladder(SimpleTestCase):
    def test_bridged_rungs_add_their_allowances_and_fixed_drops(self):
        hops = {(hop.start, hop.stop): hop for hop in KNOWN.hops}
        row = judge_ladder(KNOWN, {"plug": 5.0, "guard": 4.9}, 2.0)[0]
        between = [hops["plug", "carrier"], hops["carrier", "link"], hops["link", "guard"]]
        self.assertAlmostEqual(row.allowed_mv, sum(hop.ohms * 2000.0 + hop.fixed_mv for hop in between))
        self.assertEqual(row.bridged, ("carrier", "link"))

    def test_a_drop_that_does_not_depend_on_the_current_is_allowed_on_top(self):
        hops = tuple(replace(hop, fixed_mv=30.0) if hop.start == "guard" else hop for hop in KNOWN.hops)
        row = judge_ladder(replace(KNOWN, hops=hops), {"guard": 5.0, "charge_ic": 4.95}, 1.0)[0]
        self.assertEqual((round(row.allowed_mv), row.state), (60, "fine"))

    def test_the_guilty_hop_is_the_one_farthest_over_its_own_allowance(self):
        # 240 mV over the cable are allowed at 1 A (250); 120 mV over the board's track are 90 too many.
        rows = judge_ladder(KNOWN, {"source": 5.1, "plug": 4.86, "guard": 4.7, "charge_ic": 4.58}, 1.0)
        self.assertEqual([(row.start, row.guilty) for row in rows if row.guilty], [("guard", True)])

    def test_a_rail_under_the_cell_is_not_fed(self):
        rows = judge_ladder(KNOWN, {"charge_ic": 4.8, "rail": 3.7, "cell": 3.75}, 0.5)
        self.assertEqual((rows[0].state, rows[0].guilty), ("converter off", True))

    def test_two_readings_resolve_no_better_than_root_two_of_one(self):
        self.assertAlmostEqual(contact_resistance((0.0, 50.0), (0.0, 0.5))[1], math.sqrt(2) * 0.015 / 0.5)


class Supply(SimpleTestCase):
    def test_leads_take_their_share_and_the_rail_is_never_exceeded(self):
        made = plan_injection(KNOWN, 0.2, 4.0, 5.0, lead_ohms=0.3)
        # 1 W in 0.2 ohm: 0.447 V and 2.236 A; 0.5 ohm with the leads: 1.118 V.
        self.assertAlmostEqual(made.volts, 1.11)
        self.assertAlmostEqual(made.watts, (1.11 / 0.5) ** 2 * 0.2, places=2)
        self.assertLessEqual(plan_injection(KNOWN, 50.0, 1.1).volts, 1.1)

    def test_a_models_own_current_moves_the_first_limit(self):
        self.assertEqual(idle_limits(KNOWN, 0.004)[0], 0.012)
        self.assertEqual(judge_supply(KNOWN, 0.011, None, 0.004).grade, "quiet")
        self.assertEqual(judge_supply(KNOWN, 0.011, None).grade, "leaks")


class BatteryLines(SimpleTestCase):
    def test_a_thermistor_may_be_fifteen_kelvin_off_the_room(self):
        grades = [judge_thermistor(KNOWN, ohms_by_beta(22.0 + off), 22.0).grade for off in (-20, -14, 0, 14, 16, 40)]
        self.assertEqual(grades, ["faulty", "clean", "clean", "clean", "faulty", "faulty"])

    def test_a_line_that_sags_is_not_at_rest(self):
        levels = KNOWN.levels
        rest, high = levels["rest_share"] * 1.8, levels["high_share"] * 1.8
        self.assertEqual(judge_level(KNOWN, rest + 0.01).grade, "clean")
        self.assertEqual(judge_level(KNOWN, (rest + high) / 2).grade, "faulty")
        self.assertEqual(judge_level(KNOWN, levels["over_share"] * 1.8 + 0.05).grade, "faulty")


class StandingStill(SimpleTestCase):
    def test_a_reading_is_taken_after_half_a_second_not_at_once(self):
        steady = Steady()
        self.assertEqual([steady.feed(0.1 * k, 500.0) is not None for k in range(6)], [False] * 5 + [True])


class Draws(SimpleTestCase):
    def test_the_part_that_takes_most_is_blamed_only_where_it_takes_half_of_what_is_too_much(self):
        cases = (
            # all plugged, then without ...: what a good board takes is allowed to stay (common practice)
            (0.18, {"display": 0.02, "camera": 0.019}, "display"),
            (0.18, {"display": 0.17, "camera": 0.165}, ""),
            (0.18, {"display": 0.10, "camera": 0.02}, ""),
            (0.18, {"display": 0.17, "camera": 0.02}, "camera"),
            (0.18, {"display": 0.19, "sub_board": 0.012}, "sub_board"),
        )
        for plugged, without, blamed in cases:
            with self.subTest(without=without):
                found = [step.part for step in judge_draws(shipped(), plugged, without) if step.guilty]
                self.assertEqual("".join(found), blamed)

    def test_what_leaks_nothing_or_was_never_unplugged_is_refused(self):
        for plugged, without in ((0.004, {"display": 0.001}), (0.18, {}), (0.18, {"display": 11.0})):
            with self.subTest(plugged=plugged, without=without), self.assertRaises(ReadingError):
                judge_draws(shipped(), plugged, without)
