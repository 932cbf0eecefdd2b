"""Vacuum decay against the ideal-gas law worked by hand."""

import math

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.proving.sealing import Decay, chamber_volume, judge_seal, leak_rate, stated

KNOWN = shipped()


class Sealing(SimpleTestCase):
    def test_a_leak_is_the_moles_that_came_in(self):
        """n = pV/RT before and after at 293.15 K, the difference as volume at one atmosphere (R = 8.314462618 J/mol K,
        2019 SI).
        """
        gas, kelvin, volume = 8.314462618, 293.15, 120e-6
        before, after = (101_325 - 20_000) * volume / (gas * kelvin), (101_325 - 18_500) * volume / (gas * kelvin)
        ml = (after - before) * gas * kelvin / 101_325 * 1e6
        self.assertAlmostEqual(leak_rate(Decay(20.0, 18.5, 20.0), 120.0), ml * 60 / 20, places=9)

    def test_a_known_leak_gives_its_decay_back_whatever_the_depth_and_the_time(self):
        """Fading with T = 90 s: at 20 kPa over 20 s 20 (1 - exp(-20/90)) = 3.9852 kPa are lost."""
        for start, seconds in ((20.0, 20.0), (15.0, 30.0), (30.0, 8.0)):
            decay = Decay(start, start * math.exp(-seconds / 90), seconds)
            self.assertAlmostEqual(stated(KNOWN, decay), 20 * (1 - math.exp(-20 / 90)), places=9)

    def test_the_chamber_by_boyles_law(self):
        """150 ml at 5 kPa below; 40 ml drawn: (101.325 - 5) 150 / 190 = 76.046 kPa, 25.279 below."""
        self.assertAlmostEqual(chamber_volume(40.0, 5.0, 101.325 - 96.325 * 150 / 190), 150.0, places=9)
        for wrong in ((0.0, 0.0, 20.0), (40.0, 20.0, 5.0), (40.0, 0.0, 120.0)):
            with self.assertRaises(ReadingError):
                chamber_volume(*wrong)

    def test_it_passes_by_comparison_with_before_and_with_the_model(self):
        tight, leaky = Decay(20.0, 19.8, 20.0), Decay(20.0, 17.0, 20.0)
        good = [Decay(20.0, 19.7, 20.0)] * 3
        rows = [
            (leaky, None, (), None),
            (leaky, None, good[:2], None),
            (tight, tight, (), True),
            (leaky, tight, (), False),
            (leaky, leaky, (), True),
            (leaky, leaky, good, False),
            (tight, None, good, True),
            (Decay(20.0, 19.9, 20.0), Decay(20.0, 20.0, 20.0), (), True),
        ]
        for now, before, others, holds in rows:
            with self.subTest(now=now, before=before, others=len(others)):
                self.assertIs(judge_seal(KNOWN, now, before, others).holds, holds)
        found = judge_seal(KNOWN, leaky, tight, good)
        self.assertEqual([(row.others, row.fits) for row in found.compared], [(0, False), (3, False)])
        self.assertEqual(found.most_kpa, min(row.most_kpa for row in found.compared))

    def test_the_impossible_is_refused(self):
        for wrong in (Decay(0.0, 0.0, 20.0), Decay(95.0, 90.0, 20.0), Decay(20.0, 21.0, 20.0), Decay(20.0, 19.0, 0.0)):
            with self.assertRaises(ReadingError):
                judge_seal(KNOWN, wrong, None)
