"""Volts along the path, cable and wire, bench supply, injection, battery lines."""

import math
import tomllib
from itertools import pairwise
from pathlib import Path

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.electrical.cable import TYPE_C_DROP_V, cable_drop_mv, wire_diameter_mm, wire_ohms
from chargepath.electrical.ladder import contact_resistance, judge_ladder
from chargepath.electrical.sense import (
    fit_steinhart,
    judge_clock,
    judge_level,
    judge_thermistor,
    temp_by_beta,
    temp_by_steinhart,
)
from chargepath.electrical.supply import idle_limits, judge_supply, plan_injection
from chargepath.knowledge.loader import shipped
from tests.inverses import ohms_by_beta

KNOWN = shipped()
DATA = Path(__file__).resolve().parents[2] / "data"


def table(name):
    return tomllib.loads((DATA / name).read_text(encoding="utf-8"))["rows"]


class Ladder(SimpleTestCase):
    # A good phone at 1.5 A, every hop at two thirds of its allowance.
    GOOD = {
        "source": 5.1,
        "plug": 4.85,
        "carrier": 4.81,
        "link": 4.73,
        "guard": 4.61,
        "charge_ic": 4.58,
        "rail": 4.05,
        "cell": 3.90,
    }

    def guilty(self, volts, amps=1.5):
        return [row for row in judge_ladder(KNOWN, volts, amps) if row.guilty]

    def test_a_good_ladder_has_no_guilty_hop(self):
        self.assertEqual(self.guilty(self.GOOD), [])
        self.assertTrue(all(row.mark == "good" for row in judge_ladder(KNOWN, self.GOOD, 1.5)))

    def test_each_hop_is_found_by_its_own_drop(self):
        order = list(self.GOOD)
        for start, stop in pairwise(order):
            if start == "charge_ic":
                continue
            worse = {rung: v - (0.5 if order.index(rung) > order.index(start) else 0) for rung, v in self.GOOD.items()}
            if start != "rail":
                worse |= {"rail": 4.05, "cell": 3.90}
            found = self.guilty(worse)
            with self.subTest(hop=start):
                self.assertEqual([(row.start, row.stop) for row in found], [(start, stop)])

    def test_the_guilty_hop_is_the_one_furthest_beyond_what_it_may_drop_not_the_largest_drop(self):
        # At 1.5 A the cable may drop 375 mV and the carrier 68 mV: 25 mV too much against 132.
        worse = {"source": 5.2, "plug": 4.8, "carrier": 4.6, "link": 4.55}
        self.assertEqual([(row.start, row.stop) for row in self.guilty(worse)], [("plug", "carrier")])

    def test_resistance_is_drop_over_current(self):
        row = judge_ladder(KNOWN, {"plug": 4.9, "carrier": 4.6}, 1.5)[0]
        self.assertAlmostEqual(row.ohms, 0.2)
        self.assertAlmostEqual(row.drop_mv, 300)

    def test_a_missing_rung_is_bridged_with_the_allowances_added_and_said(self):
        whole = judge_ladder(KNOWN, self.GOOD, 1.5)
        fewer = {rung: v for rung, v in self.GOOD.items() if rung not in ("carrier", "link")}
        row = next(row for row in judge_ladder(KNOWN, fewer, 1.5) if row.start == "plug")
        self.assertEqual(row.bridged, ("carrier", "link"))
        self.assertEqual(len(row.stations), 3)
        self.assertAlmostEqual(row.allowed_mv, sum(hop.allowed_mv for hop in whole[1:4]), delta=35)

    def test_where_the_voltage_stops_that_hop_is_guilty_even_without_current(self):
        row = self.guilty({"plug": 5.1, "carrier": 5.1, "link": 5.09, "guard": 0.1}, 0.0)[0]
        self.assertEqual((row.start, row.state, row.mark), ("link", "stopped", "open"))

    def test_without_current_a_small_drop_says_nothing_and_a_large_one_does(self):
        row = judge_ladder(KNOWN, {"plug": 5.1, "carrier": 5.09}, 0.0)[0]
        self.assertEqual((row.state, row.guilty, row.ohms), ("no current", False, None))
        self.assertEqual(self.guilty({"plug": 5.1, "carrier": 4.91}, 0.0)[0].start, "plug")

    def test_a_drop_that_the_meter_could_not_show_accuses_nobody_and_micro_b_has_its_own_parts(self):
        for volts, amps, accused in (
            ({"plug": 5.02, "carrier": 5.0}, 0.07, 0),
            ({"plug": 5.1, "carrier": 5.0}, 0.07, 0),
            ({"plug": 5.102, "carrier": 5.0}, 0.07, 1),
        ):
            self.assertEqual(len(self.guilty(volts, amps)), accused, volts)
        drop = {"plug": 5.0, "carrier": 4.93}
        self.assertTrue(judge_ladder(KNOWN, drop, 0.5)[0].guilty)
        self.assertFalse(judge_ladder(KNOWN, drop, 0.5, connector="micro_b")[0].guilty)
        cable = judge_ladder(KNOWN, {"source": 5.0, "plug": 4.75}, 0.5, connector="micro_b")[0]
        self.assertAlmostEqual(cable.allowed_mv, 250)

    def test_a_rail_that_nobody_feeds_is_the_clue(self):
        rows = judge_ladder(KNOWN, {"plug": 4.9, "carrier": 4.8, "charge_ic": 4.75, "rail": 3.2, "cell": 3.7}, 0.2)
        self.assertEqual([row.state for row in rows if row.guilty], ["converter off"])

    def test_a_controller_that_does_not_feed_the_rail(self):
        rows = judge_ladder(KNOWN, {"charge_ic": 4.9, "rail": 3.2, "cell": 3.7}, 0.2)
        self.assertEqual(rows[0].state, "converter off")

    def test_what_cannot_be_is_refused_with_what_would(self):
        for volts, amps, says in (
            ({"plug": 5.0, "moon": 4.0}, 1.0, "one of source"),
            ({"plug": 5.0, "rail": 12.0}, 1.0, "0 to 10 V"),
            ({"plug": 5.0, "carrier": 4.9}, 40.0, "0 to 10 A"),
            ({"plug": 5.0}, 1.0, "two places"),
        ):
            with self.subTest(volts=volts), self.assertRaisesMessage(ReadingError, says):
                judge_ladder(KNOWN, volts, amps)

    def test_two_currents_take_an_offset_out(self):
        ohms, error = contact_resistance((0.12 * 500 + 9, 0.12 * 1500 + 9), (0.5, 1.5))
        self.assertAlmostEqual(ohms, 0.12)
        self.assertLess(error, 0.03)
        with self.assertRaisesMessage(ReadingError, "apart"):
            contact_resistance((10, 11), (0.5, 0.55))
        with self.assertRaisesMessage(ReadingError, "falls"):
            contact_resistance((200, 20), (0.5, 1.5))


class Wire(SimpleTestCase):
    def test_gauge_table_of_astm_b258(self):
        for gauge, diameter, ohms_km in table("wire_gauge.toml"):
            with self.subTest(gauge=gauge):
                self.assertAlmostEqual(wire_diameter_mm(gauge) / diameter, 1.0, 3)
                self.assertAlmostEqual(wire_ohms(gauge, 1.0) * 1000 / ohms_km, 1.0, 2)

    def test_drop_of_a_cable(self):
        drop = cable_drop_mv(24, 1.0, 3.0)
        self.assertAlmostEqual(drop["vbus"], 252.7, delta=2)
        self.assertAlmostEqual(drop["both"], 2 * drop["ground"])
        with self.assertRaisesMessage(ReadingError, "from 0"):
            cable_drop_mv(60, 1.0, 3.0)

    def test_type_c_limits_and_the_ladders_first_hop(self):
        # USB Type-C Cable and Connector Specification: 500 mV on VBUS, 250 mV on ground at the rated current
        # (from memory).
        self.assertEqual(TYPE_C_DROP_V, {"vbus": 0.5, "ground": 0.25})
        first = next(hop for hop in KNOWN.hops if hop.start == "source")
        self.assertAlmostEqual(first.ohms * 3.0, sum(TYPE_C_DROP_V.values()))


class Supply(SimpleTestCase):
    def test_what_flows_before_the_key_and_with_it(self):
        table = [
            (0.0004, 0.08, "quiet", "starts"),
            (0.04, None, "leaks", ""),
            (0.9, None, "heavy", ""),
            (0.0, 0.0, "quiet", "dead"),
            (0.0, 0.03, "quiet", "stuck"),
            (0.0, 2.5, "quiet", "over"),
            (0.001, 0.0069, "quiet", "dead"),
            (0.001, 0.0071, "quiet", "stuck"),
        ]
        for before, after, grade, then in table:
            found = judge_supply(KNOWN, before, after)
            with self.subTest(before=before, after=after):
                self.assertEqual(found.grade, grade)
                self.assertEqual(found.start, then)

    def test_a_models_own_current_moves_the_limit(self):
        self.assertAlmostEqual(idle_limits(KNOWN, 0.0006)[0], 0.0018)
        self.assertEqual(judge_supply(KNOWN, 0.004, None, 0.0006).grade, "leaks")
        self.assertEqual(judge_supply(KNOWN, 0.004, None).grade, "quiet")

    def test_injection_never_exceeds_the_rail_nor_the_supply(self):
        for ohms in (0.0, 0.02, 0.3, 2.0, 40.0, 3000.0):
            for rail in (0.8, 1.8, 4.4, 9.0):
                for most in (0.1, 1.0, 5.0, 20.0):
                    plan = plan_injection(KNOWN, ohms, rail, most)
                    with self.subTest(ohms=ohms, rail=rail, most=most):
                        self.assertLessEqual(plan.volts, rail)
                        self.assertLessEqual(plan.amps, most + 0.01)
                        self.assertLessEqual(plan.watts, KNOWN.supply["aim_w"] * 1.001)
                        self.assertGreater(plan.volts, 0)

    def test_injection_by_hand(self):
        # 1 W in 0.25 ohm is 2 A and 0.5 V; 50 mohm of leads take 0.1 V more.
        plan = plan_injection(KNOWN, 0.25, 4.4, 3.0, 0.05)
        self.assertAlmostEqual(plan.volts, 0.6)
        self.assertAlmostEqual(plan.amps, 2.0)
        self.assertEqual(plan.method, "hand")
        self.assertEqual(plan_injection(KNOWN, 3000.0, 1.8).method, "none")
        with self.assertRaisesMessage(ReadingError, "0.3 to 20 V"):
            plan_injection(KNOWN, 0.25, 50.0)


class BatteryLines(SimpleTestCase):
    def test_published_table_by_steinhart_and_hart(self):
        for temp, ohms in table("thermistor_10k.toml"):
            with self.subTest(temp=temp):
                self.assertAlmostEqual(temp_by_steinhart(ohms), temp, delta=0.15)

    def test_three_points_of_the_table_give_its_curve(self):
        rows = dict(table("thermistor_10k.toml"))
        fitted = fit_steinhart([(0, rows[0]), (25, rows[25]), (70, rows[70])])
        for temp, ohms in rows.items():
            self.assertAlmostEqual(temp_by_steinhart(ohms, fitted), temp, delta=0.3)
        with self.assertRaisesMessage(ReadingError, "falling curve"):
            fit_steinhart([(0, 100), (25, 200), (50, 300)])

    def test_beta_is_exact_at_25_and_inverts(self):
        self.assertAlmostEqual(temp_by_beta(10_000.0), 25.0)
        # The table's own beta between 25 and 85 degrees; by hand ln(10000/1070)/(1/298.15-1/358.15) = 3978 K.
        beta = math.log(10_000 / 1070) / (1 / 298.15 - 1 / 358.15)
        self.assertAlmostEqual(temp_by_beta(1070.0, beta=beta), 85.0, 6)
        self.assertAlmostEqual(temp_by_beta(3603.0, beta=beta), 50.0, delta=0.5)
        self.assertAlmostEqual(temp_by_beta(ohms_by_beta(-5.0)), -5.0)
        with self.assertRaisesMessage(ReadingError, "no thermistor"):
            temp_by_beta(0.2)

    def test_thermistor_verdicts(self):
        for ohms, grade in ((10_400.0, "clean"), (math.inf, "faulty"), (0.0, "faulty"), (150_000.0, "faulty")):
            self.assertEqual(judge_thermistor(KNOWN, ohms, 22.0).grade, grade)

    def test_levels_of_the_low_voltage_lines(self):
        table = [
            (1.79, "clean", "rest"),
            (1.5, "faulty", "sags"),
            (0.9, "faulty", "between"),
            (0.05, "faulty", "low"),
            (3.3, "faulty", "above"),
        ]
        for volts, grade, why in table:
            found = judge_level(KNOWN, volts)
            with self.subTest(volts=volts):
                self.assertEqual((found.grade, found.why, found.numbers[0]), (grade, why, volts))

    def test_clock_on_both_sides(self):
        grades = [judge_clock(*sides).grade for sides in ((True, True), (True, False), (False, True), (False, False))]
        self.assertEqual(grades, ["clean", "faulty", "faulty", "faulty"])
        self.assertEqual((judge_clock(True, False).why, judge_clock(False, True).why), ("chip", "battery"))
