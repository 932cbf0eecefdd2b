"""Jumper wires against ASTM B258 and Preece's fusing currents, both as tabulated (from memory)."""

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.repair.jumper import MOST_DROP_MV, fusing_current_a, jumper, thinnest

# Gauge, diameter [mm], resistance at 20 °C [ohm/km] (ASTM B258 as tabulated), fusing current [A] (Preece for copper).
TABLE = [
    (30, 0.2546, 338.6, 10.3),
    (32, 0.2019, 538.3, 7.3),
    (34, 0.1601, 856.0, 5.1),
    (36, 0.1270, 1361.0, 3.6),
    (40, 0.0799, 3441.0, 1.8),
]


class AgainstTables(SimpleTestCase):
    def test_the_step_names_the_gauges_that_the_sum_gives(self):
        step = next(step for step in shipped().procedures.steps() if step.id == "wire")
        for amps in (1, 2):
            found = thinnest(10.0, amps)
            self.assertIn(f"{found.gauge} for {amps} A", step.do)

    def test_diameter_resistance_and_fusing_current(self):
        for gauge, diameter, per_km, fuses in TABLE:
            with self.subTest(gauge=gauge):
                found = jumper(gauge, 10.0, 0.001)
                self.assertAlmostEqual(found.diameter_mm / diameter, 1, delta=0.002)
                # 25 °C: 1.96 % over the tabulated 20 °C.
                self.assertAlmostEqual(found.milliohms / (per_km / 100 * 1.01965), 1, delta=0.01)
                self.assertAlmostEqual(found.fuses_a / fuses, 1, delta=0.03)

    def test_drop_and_rise_by_hand(self):
        # Gauge 36, 20 mm, 1 A: fuses at 3.62 A, so 1060 · (1 / 3.62)² = 80.9 K warmer;
        # 27.2 mohm · (1 + 0.00393 · 85.9) = 36.4 mohm.
        found = jumper(36, 20.0, 1.0)
        self.assertAlmostEqual(found.rise_k, 80.9, delta=0.5)
        self.assertAlmostEqual(found.milliohms, 36.4, delta=0.3)
        self.assertAlmostEqual(found.drop_mv, 36.4, delta=0.3)
        self.assertFalse(found.fits)

    def test_a_wire_melts_at_its_fusing_current(self):
        self.assertAlmostEqual(jumper(34, 5.0, fusing_current_a(0.1601)).rise_k, 1060, delta=2)


class Choosing(SimpleTestCase):
    def test_the_thinnest_that_will_do_and_the_next_thinner_does_not(self):
        for length, amps in ((8.0, 0.5), (15.0, 2.0), (5.0, 2.2)):
            found = thinnest(length, amps)
            self.assertTrue(found.fits)
            self.assertFalse(jumper(found.gauge + 2, length, amps).fits)
        self.assertIsNone(thinnest(200.0, 10.0))
        self.assertLessEqual(thinnest(15.0, 2.0).drop_mv, MOST_DROP_MV)

    def test_what_cannot_be_is_refused(self):
        for gauge, length, amps in ((50, 10, 1), (36, 0, 1), (36, 10, 0), (36, 10, 99)):
            with self.assertRaises(ReadingError):
                jumper(gauge, length, amps)
