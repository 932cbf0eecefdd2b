"""Intervals against scipy, figures worked by hand."""

import math
import random

import numpy as np
from django.test import SimpleTestCase
from scipy import stats

from chargepath.insight import figures
from chargepath.insight.figures import Ended, Repaired
from chargepath.insight.intervals import FEW, mean_of, median_of, share_of, slope_of


class AgainstScipy(SimpleTestCase):
    """scipy 1.17: binomtest (Wilson), t.interval, quantile_test, linregress."""

    def test_shares(self):
        for hits, count in ((0, 5), (8, 10), (50, 50), (3, 400)):
            wanted, found = stats.binomtest(hits, count).proportion_ci(0.95, "wilson"), share_of(hits, count)
            self.assertAlmostEqual(found.low, wanted.low, 12)
            self.assertAlmostEqual(found.high, wanted.high, 12)

    def test_means_and_slopes(self):
        for n in (2, 3, 10, 200):
            x = np.random.default_rng(n).normal(3, 2, n)
            low, high = stats.t.interval(0.95, n - 1, x.mean(), stats.sem(x))
            found = mean_of(x.tolist())
            self.assertAlmostEqual(found.low, low, 9)
            self.assertAlmostEqual(found.high, high, 9)
        x = np.arange(12.0)
        y = 0.3 * x + np.random.default_rng(1).normal(0, 1, 12)
        wanted, found = stats.linregress(x, y), slope_of(x.tolist(), y.tolist())
        self.assertAlmostEqual(found.value, wanted.slope, 12)
        self.assertAlmostEqual(found.high, wanted.slope + stats.t.ppf(0.975, 10) * wanted.stderr, 9)

    def test_medians(self):
        for n in (6, 9, 30, 101, 400):
            x = np.random.default_rng(n).normal(3, 2, n).tolist()
            wanted, found = stats.quantile_test(x, p=0.5).confidence_interval(0.95), median_of(x)
            self.assertEqual((found.low, found.high), (wanted.low, wanted.high), n)
            self.assertEqual(found.value, float(np.median(x)))
        self.assertEqual(median_of([1.0, 2.0, 3.0, 4.0, 5.0]).low, -math.inf)

    def test_too_few_say_so(self):
        self.assertTrue(share_of(3, FEW - 1).thin)
        self.assertFalse(share_of(3, FEW).thin)
        self.assertTrue(math.isnan(share_of(0, 0).value))


def repair(job, route="clean_port", **more):
    return Repaired(job, route, more.pop("model", "Tarn"), more.pop("first", True), more.pop("worked", True), **more)


class Figures(SimpleTestCase):
    def test_the_first_route_counts_where_it_passed_and_stayed(self):
        rows = [repair(1), repair(2, worked=False), repair(2, "swap_carrier", first=False), repair(3, back=True)]
        whole, by_route = figures.first_route(rows)
        self.assertEqual((whole.value, whole.count), (1 / 3, 3))
        self.assertEqual([(line.name, line.found.count) for line in by_route], [("clean_port", 3)])

    def test_come_backs_are_of_repairs_that_passed(self):
        rows = [repair(n, back=n < 2, batch="7") for n in range(8)] + [repair(9, worked=False, batch="7")]
        (line,) = figures.come_backs(rows, lambda row: row.batch)
        self.assertEqual((line.name, line.found.value, line.found.count), ("7", 0.25, 8))

    def test_minutes_are_medians_of_ratios(self):
        rows = [repair(n, minutes=10.0, took=took) for n, took in enumerate((8.0, 20.0, 12.0))]
        self.assertEqual(figures.minutes_against_plan([*rows, repair(9)])[0].value, 1.2)

    def test_what_was_charged_over_what_was_quoted(self):
        jobs = [
            Ended(job=n, model="Tarn", faults=(), works=True, quoted=50.0, charged=charged)
            for n, charged in enumerate((50.0, 56.0, 47.0, None))
        ]
        gap, over = figures.cost_against_quote(jobs)
        self.assertEqual((gap.value, gap.count, over.value), (1.0, 3, 1 / 3))

    def test_what_is_said_so_often_comes_so_often_where_it_is_drawn_so(self):
        rng = random.Random(4)
        rows = [repair(n, cure=(cure := rng.random()), worked=rng.random() < cure) for n in range(4000)]
        bins = figures.calibration(rows)
        self.assertEqual(sum(found.came.count for found in bins), 4000)
        for found in bins:
            self.assertTrue(found.low <= found.said <= found.high)
            self.assertTrue(found.came.low - 0.02 < found.said < found.came.high + 0.02, found)

    def test_overruling_is_the_mean_of_what_came_over_what_was_expected(self):
        rows = [repair(n, followed=n % 2 == 0, said_total=40.0, real_total=40.0 + n) for n in range(6)]
        found = figures.against_advice(rows)
        self.assertEqual((found[True].value, found[False].value), (2.0, 3.0))
        self.assertEqual(figures.against_advice([repair(1)])[True].count, 0)

    def test_habits_and_faults(self):
        rows = [
            repair(1, habit="swap_first", habit_costs=6.0),
            repair(2, habit="swap_first", habit_costs=2.0),
            repair(3),
        ]
        (line,) = figures.habit_costs(rows)
        self.assertEqual((line.name, line.found.value, line.found.count), ("swap_first", 4.0, 2))
        jobs = [Ended(1, "Tarn", ("a", "b"), True), Ended(2, "Tarn", ("a",), True), Ended(3, "Orvane", (), True)]
        model, count, lines = figures.faults_by_model(jobs)[0]
        self.assertEqual((model, count), ("Tarn", 2))
        self.assertEqual([(line.name, line.found.value) for line in lines], [("a", 1.0), ("b", 0.5)])
