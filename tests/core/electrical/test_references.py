"""Known-good readings made into expectations, against scipy and by simulation."""

import math
import random

from django.test import SimpleTestCase
from scipy import stats

from chargepath.base.distributions import t_cdf, t_density, t_quantile
from chargepath.electrical.references import (
    MAD_TO_SIGMA,
    given,
    mad_sigma,
    meter_shift,
    summarise,
    twin_of,
    usual,
)


class Statistics(SimpleTestCase):
    def test_students_t_is_scipys(self):
        for freedom in (1, 2, 3, 4, 7, 9, 30, 101):
            for chance in (0.5, 0.75, 0.975, 0.995):
                self.assertAlmostEqual(t_quantile(chance, freedom), stats.t.ppf(chance, freedom), 6)
            for z in (-6.0, -0.3, 0.0, 2.5, 40.0):
                self.assertAlmostEqual(t_cdf(z, freedom), stats.t.cdf(z, freedom), 10)
                self.assertAlmostEqual(t_density(z, freedom), stats.t.pdf(z, freedom), 12)

    def test_mad_is_scipys_before_the_small_sample_correction(self):
        rng = random.Random(5)
        for n in (12, 25, 80):
            values = [rng.gauss(500, 12) for _ in range(n)]
            expected = stats.median_abs_deviation(values, scale="normal")
            self.assertAlmostEqual(mad_sigma(values) / (n / (n - 0.8)), expected, 9)
        self.assertAlmostEqual(MAD_TO_SIGMA, 1 / stats.norm.ppf(0.75), 12)

    def test_the_small_sample_correction_takes_the_bias_out(self):
        rng = random.Random(11)
        for n in (2, 3, 4, 5, 6, 7, 8, 9, 12):
            drawn = [mad_sigma([rng.gauss(0, 1) for _ in range(n)]) for _ in range(20_000)]
            self.assertAlmostEqual(sum(drawn) / len(drawn), 1.0, delta=0.025, msg=f"{n} readings")

    def test_a_band_holds_at_least_99_of_100_new_boards_and_not_all_once_there_are_many(self):
        rng, inside = random.Random(3), {2: 0, 6: 0, 30: 0}
        for n in inside:
            for _ in range(4000):
                low, high = summarise([rng.gauss(500, 12.5) for _ in range(n)]).band_mv
                inside[n] += low <= rng.gauss(500, 12.5) <= high
        self.assertGreater(min(inside.values()), 0.985 * 4000)
        self.assertLess(inside[30], 0.998 * 4000)


class OneLine(SimpleTestCase):
    def test_one_bad_board_among_seven_hardly_moves_the_reference(self):
        clean = summarise([498, 503, 500, 506, 495, 501])
        spoilt = summarise([498, 503, 500, 506, 495, 501, 41])
        self.assertLess(abs(spoilt.median_mv - clean.median_mv), 3)
        self.assertLess(spoilt.score(41), -15)

    def test_few_boards_widen_the_band(self):
        wide, narrow = summarise([500]), summarise([498, 503, 500, 506, 495, 501] * 5)
        self.assertGreater(wide.half_band_mv, 1.5 * narrow.half_band_mv)

    def test_open_among_good_boards(self):
        self.assertTrue(summarise([math.inf, math.inf, 700]).expects_open)
        mixed = summarise([math.inf, 690, 700, 705])
        self.assertFalse(mixed.expects_open)
        self.assertIn("1 of 4", mixed.note)
        self.assertEqual(summarise([math.inf]).score(math.inf), 0.0)
        self.assertEqual(mixed.score(math.inf), math.inf)

    def test_what_nothing_measured_stands_behind_is_weaker_and_wider(self):
        self.assertLess(given(512).half_band_mv, usual(512).half_band_mv)
        self.assertLess(twin_of(512).half_band_mv, usual(512).half_band_mv)
        self.assertEqual([made(512).weak for made in (given, twin_of, usual)], [False, True, True])
        with self.assertRaises(ValueError):
            summarise([])


class TwoMeters(SimpleTestCase):
    def lines(self, step, scatter, n=10, seed=1):
        rng = random.Random(seed)
        return [(mv, mv + step + rng.gauss(0, scatter)) for mv in (rng.uniform(420, 720) for _ in range(n))]

    def test_a_steady_shift_is_found_within_its_error(self):
        inside = 0
        for seed in range(300):
            shift = meter_shift(self.lines(-22, 4, seed=seed))
            self.assertTrue(shift.known)
            inside += abs(shift.mv + 22) <= 2 * shift.error_mv
        self.assertGreater(inside / 300, 0.95)

    def test_too_few_lines_or_no_steady_shift_is_said(self):
        few = meter_shift(self.lines(-22, 4, n=3))
        self.assertFalse(few.known)
        self.assertIn("4 are needed", few.reason)
        wild = meter_shift(self.lines(-22, 60))
        self.assertFalse(wild.known)
        self.assertIn("no steady shift", wild.reason)

    def test_opens_and_shorts_are_no_pairs(self):
        self.assertEqual(meter_shift([(math.inf, 600), (12, 14), (500, math.inf)]).pairs, 0)

    def test_a_shift_that_no_test_current_explains_is_called_odd(self):
        self.assertNotIn("odd", meter_shift(self.lines(-20, 3), (1.0, 0.6)).reason)
        self.assertIn("odd", meter_shift(self.lines(+60, 3), (1.0, 0.6)).reason)
