"""A diode with a leak at the meter's current, against a general solver and a circuit simulator."""

import math
import subprocess
import tempfile
from pathlib import Path

from django.test import SimpleTestCase
from scipy.optimize import brentq
from scipy.special import wrightomega

from chargepath.electrical.junction import Junction, leak_of, reading_with_leak, series_of, wright_omega
from chargepath.standin.circuit import TINY_SIEMENS, Circuit

LEAKS = [10 ** (k / 2) for k in range(15)]  # 1 ohm to 10 Mohm
CURRENTS = [1e-4, 2e-4, 5e-4, 1e-3, 2e-3]
JUNCTIONS = [
    Junction.through(0.45, 1e-3),
    Junction.through(0.7, 1e-3, 1.0, 25.0),
    Junction.through(0.3, 5e-4, 2.0, 120.0),
]
GRID = [(junction, ohms, amps) for junction in JUNCTIONS for ohms in LEAKS for amps in CURRENTS]
MARGIN_V = 1e-4


def spice(rows: list[tuple[Junction, float, float]]) -> list[float]:
    """Volts of every case by ngspice, all in one deck of circuits that share nothing but ground."""
    deck = ["diodes with leaks", ".options gmin=1e-15 reltol=1e-7 abstol=1e-15 vntol=1e-9 temp=27 tnom=27"]
    for k, (junction, ohms, amps) in enumerate(rows):
        deck += [
            f"i{k} 0 n{k} {amps:.9g}",
            f"r{k} n{k} 0 {ohms:.9g}",
            f"d{k} n{k} 0 m{k}",
            f".model m{k} d(is={junction.saturation_a:.12g} n={junction.ideality} rs={junction.series_ohm})",
        ]
    prints = "\n".join(f"print v(n{k})" for k in range(len(rows)))
    deck += [".control", "set numdgt=12", "op", prints, "quit", ".endc", ".end"]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "deck.cir"
        file.write_text("\n".join(deck), encoding="ascii")
        said = subprocess.run(
            ["ngspice", "-b", str(file)], capture_output=True, text=True, timeout=60, check=False
        ).stdout
    found = dict(line.split(" = ") for line in said.splitlines() if line.startswith("v(n"))
    return [float(found[f"v(n{k})"]) for k in range(len(rows))]


class DiodeWithLeak(SimpleTestCase):
    def test_omega_is_scipys(self):
        for z in (-700.0, -50.0, -2.0, -1.0, 0.0, 0.7, 2.0, 10.0, 300.0, 1e6):
            self.assertAlmostEqual(wright_omega(z) / float(wrightomega(z).real), 1.0, 13)

    def test_solution_and_inverse_agree_with_a_general_root_finder(self):
        for junction, ohms, amps in GRID:

            def missing(volts, junction=junction, ohms=ohms, amps=amps):
                def loop(through):
                    return through * junction.series_ohm + junction.slope_v * math.log1p(
                        through / junction.saturation_a
                    )

                through = brentq(lambda i: loop(i) - volts, 0.0, 1.0, xtol=1e-18)
                return volts / ohms + through - amps

            volts = reading_with_leak(junction, ohms, amps)
            expected = brentq(missing, 0.0, junction.volts(amps) + 1e-3, xtol=1e-13)
            with self.subTest(ohms=ohms, amps=amps):
                self.assertLess(abs(volts - expected), MARGIN_V)
                back = leak_of(junction, volts, amps)
                self.assertLess(abs(reading_with_leak(junction, back, amps) - expected), MARGIN_V)

    def test_solution_agrees_with_ngspice(self):
        for (junction, ohms, amps), expected in zip(GRID, spice(GRID), strict=True):
            with self.subTest(ohms=ohms, amps=amps):
                self.assertLess(abs(reading_with_leak(junction, ohms, amps) - expected), MARGIN_V)

    def test_inverse_gives_the_resistance_that_was_put_in_where_the_reading_tells_it(self):
        for junction in JUNCTIONS:
            for ohms in (1.0, 41.0, 300.0, 2000.0):
                found = leak_of(junction, reading_with_leak(junction, ohms, 1e-3), 1e-3)
                self.assertAlmostEqual(found / ohms, 1.0, 6)

    def test_ends(self):
        junction = JUNCTIONS[1]
        self.assertEqual(reading_with_leak(junction, 0.0, 1e-3), 0.0)
        self.assertEqual(reading_with_leak(junction, math.inf, 1e-3), junction.volts(1e-3))
        self.assertEqual(leak_of(junction, 0.0, 1e-3), 0.0)
        self.assertEqual(leak_of(junction, junction.volts(1e-3) + 0.01, 1e-3), math.inf)
        self.assertAlmostEqual(series_of(junction, junction.volts(1e-3) + 0.2, 1e-3), 200.0, 6)
        self.assertEqual(series_of(junction, 0.1, 1e-3), 0.0)
        with self.assertRaises(ValueError):
            Junction.through(0.02, 1e-3, series_ohm=25.0)


class Circuits(SimpleTestCase):
    def test_the_stand_ins_solver_agrees_with_the_closed_form(self):
        for junction, ohms, amps in GRID:
            if junction.series_ohm:
                continue
            circuit = Circuit()
            circuit.resistor("line", "gnd", ohms)
            circuit.junction("line", "gnd", junction)
            expected = reading_with_leak(junction, 1 / (1 / ohms + TINY_SIEMENS), amps)
            self.assertAlmostEqual(circuit.solve("line", amps)["line"], expected, 6)
