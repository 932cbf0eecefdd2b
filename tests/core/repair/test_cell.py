"""A flat cell on the bench supply, against a general battery library and limit by limit."""

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.repair.cell import (
    Cell,
    Feed,
    charge,
    checked,
    most_amps,
    new_cell_volts,
    recovery_v,
    refusals,
    share_at,
    usual_feed,
)  # fmt: skip

KNOWN = shipped()
CELLS = KNOWN.cells
KIND = CELLS.kinds["v420"]
CELL = Cell(KIND, 3000.0, 3.2)
REFERENCE = Path(__file__).resolve().parents[2] / "data" / "cell_reference.json"


def why(cell, feed=None):
    return {row.id for row in refusals(cell, feed, KNOWN)}


class Charging(SimpleTestCase):
    def test_time_and_charge_are_those_of_a_general_battery_library_within_a_tenth(self):
        # PyBaMM, its two cells that charge to 4.20 V, nine sizes and rates each (scripts/cell_reference.py).
        rows = json.loads(REFERENCE.read_text(encoding="utf-8"))["rows"]
        self.assertEqual(len(rows), 18)
        for row in rows:
            empty = float(np.interp(0.02, *np.array(CELLS.rest).T))
            found = charge(Cell(KIND, row["ah"] * 1000, empty), CELLS, row["rate"])
            with self.subTest(cell=row["set"], ah=row["ah"], rate=row["rate"]):
                self.assertAlmostEqual(found.times[-1] / 3600 / row["all_h"], 1, delta=0.1)
                self.assertAlmostEqual(found.moved_mah / 1000 / row["all_ah"], 1, delta=0.1)

    def test_the_three_stretches_follow_each_other_within_their_limits(self):
        found = charge(Cell(KIND, 3000.0, 2.2), CELLS)
        self.assertEqual([row.kind for row in found.stretches], ["pre", "steady", "limit"])
        pre, steady, limit = found.stretches
        during = [(found.times >= row.start) & (found.times < row.end) for row in (pre, steady, limit)]
        np.testing.assert_allclose(found.amps[during[0]], 0.3)
        np.testing.assert_allclose(found.amps[during[1]], 1.5)
        np.testing.assert_allclose(found.volts[during[2]], 4.2)
        self.assertLessEqual(found.volts.max(), 4.2)
        self.assertLess(found.amps[-1], 0.15)
        self.assertTrue((np.diff(found.percent) >= 0).all())

    def test_what_goes_in_is_what_the_percent_says(self):
        found = charge(Cell(KIND, 3000.0, 3.71), CELLS)
        self.assertAlmostEqual(found.percent[0], 30, delta=0.1)
        self.assertAlmostEqual(found.moved_mah, 30 * (found.percent[-1] - found.percent[0]), delta=5)
        self.assertEqual(found.boots_s, 0)

    def test_it_boots_sooner_with_more_and_never_before_it_rests_high_enough(self):
        slow, quick = (charge(Cell(KIND, 3000.0, 3.0), CELLS, rate) for rate in (0.2, 0.8))
        self.assertGreater(slow.boots_s, quick.boots_s)
        at = np.searchsorted(slow.times, slow.boots_s)
        self.assertAlmostEqual(slow.percent[at], 5, delta=0.3)

    def test_cold_cells_get_less(self):
        self.assertAlmostEqual(charge(replace(CELL, temp_c=5.0), CELLS).amps.max(), 0.6)
        self.assertAlmostEqual(usual_feed(replace(CELL, temp_c=5.0), CELLS).amps, 0.6)
        self.assertAlmostEqual(usual_feed(replace(CELL, volts=2.5), CELLS).amps, 0.3)
        self.assertEqual(usual_feed(CELL, CELLS), Feed(4.2, 1.5))

    def test_kinds_that_charge_further_rest_higher(self):
        for kind in CELLS.kinds.values():
            self.assertAlmostEqual(share_at(kind.limit_v, kind, CELLS), 1)
            self.assertAlmostEqual(share_at(3.0, kind, CELLS), 0)
            low, high = new_cell_volts(kind, CELLS)
            self.assertTrue(3.6 < low < high < kind.limit_v - 0.2)


class Refused(SimpleTestCase):
    """Each limit: at it, just below and just above."""

    def test_a_cell_that_may_be_charged_is_not_refused(self):
        self.assertEqual(why(CELL, usual_feed(CELL, CELLS)), set())

    def test_under_the_recovery_voltage(self):
        least = recovery_v(KNOWN)
        self.assertEqual(least, 2.0)
        for volts, refused in ((least - 0.01, True), (least, False), (least + 0.01, False)):
            self.assertEqual("deep" in why(replace(CELL, volts=volts)), refused, volts)

    def test_over_its_limit(self):
        for volts, refused in ((4.22, False), (4.23, False), (4.24, True)):
            self.assertEqual("over" in why(replace(CELL, volts=volts)), refused, volts)

    def test_two_in_series_are_held_against_each_and_never_charged_from_a_supply(self):
        for volts, also in ((7.4, set()), (3.9, {"deep"}), (8.6, {"over"})):
            self.assertEqual(why(replace(CELL, volts=volts, series=2)), {"series", *also}, volts)
        self.assertEqual(checked(replace(CELL, volts=9.0, series=2)).each_v, 4.5)
        with self.assertRaises(ReadingError):
            checked(replace(CELL, volts=9.0))

    def test_outside_0_to_45_degrees(self):
        for temp, refused in (
            (-0.1, {"cold"}),
            (0.0, set()),
            (0.1, set()),
            (44.9, set()),
            (45.0, set()),
            (45.1, {"warm"}),
        ):
            self.assertEqual(why(replace(CELL, temp_c=temp)), refused, temp)

    def test_a_supply_set_over_the_cells_limit(self):
        for volts, refused in ((4.19, False), (4.2, False), (4.21, True)):
            self.assertEqual("volts" in why(CELL, Feed(volts, 0.5)), refused, volts)

    def test_more_than_a_tenth_under_the_threshold_and_more_than_all_of_it_over_it(self):
        self.assertAlmostEqual(most_amps(replace(CELL, volts=2.99), CELLS), 0.3)
        self.assertAlmostEqual(most_amps(replace(CELL, volts=3.0), CELLS), 3.0)
        for volts, amps, refused in ((2.99, 0.30, False), (2.99, 0.31, True), (3.0, 3.0, False), (3.0, 3.01, True)):
            self.assertEqual("amps" in why(replace(CELL, volts=volts), Feed(4.2, amps)), refused, (volts, amps))

    def test_more_than_all_of_it_once_it_is_over_the_threshold(self):
        for then, refused in ((2.99, False), (3.0, False), (3.01, True)):
            found = why(replace(CELL, volts=2.6), Feed(4.2, 0.3, then_amps=then))
            self.assertEqual("then" in found, refused, then)

    def test_swollen_wet_dented_hot_and_a_bare_lead(self):
        for look in ("swollen", "wet", "dented", "hot"):
            self.assertEqual(why(replace(CELL, looks=frozenset({look}))), {look})
        self.assertEqual(why(CELL, Feed(5.0, 2.0, bare=True)), {"bare"})
        found = {row.id: row for row in refusals(replace(CELL, volts=1.0, looks=frozenset({"wet"})), Feed(5, 9), KNOWN)}
        self.assertEqual(set(found), {"wet", "deep", "volts", "amps"})
        self.assertEqual((found["volts"].value, found["volts"].limit), (5, CELL.kind.limit_v))
        self.assertAlmostEqual(found["amps"].limit, 0.3)
        self.assertEqual(found["amps"].recovers_v, 3.0)

    def test_impossible_figures_say_what_is_possible(self):
        for cell in (replace(CELL, capacity_mah=10), replace(CELL, volts=7.0), replace(CELL, temp_c=200.0)):
            with self.assertRaisesMessage(ReadingError, "is not possible"):
                checked(cell)
        with self.assertRaises(ReadingError):
            charge(CELL, CELLS, 1.5)
