"""Two readings of one path are one observation (physics of a series path)."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.diagnosis.forward import likelihood
from chargepath.diagnosis.graded import read_events
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped
from tests.builders import believe, case, device

KNOWN = shipped()


class Jointly(SimpleTestCase):
    def test_what_the_second_place_repeats_is_not_counted_twice(self):
        for lines, where in (
            (["vport 5.0", "vboard 0.1"], {"link", "guard"}),
            (["vport 0.1", "vboard 0.1"], {"port", "carrier"}),
            (["power 200/500", "power 500/500 at board"], {"port", "carrier", "link"}),
            (["power 200/500", "power 200/500 at board"], {"guard", "port_ic", "charge_ic", "board"}),
            (["power 3/500", "power 498/500 at board"], {"port", "carrier", "link"}),
        ):
            stations = believe(lines).stations
            inside = sum(stations[name] for name in where)
            outside = max(chance for name, chance in stations.items() if name not in where and name != "battery")
            with self.subTest(lines=lines):
                self.assertGreater(inside, 0.7)
                self.assertLess(outside, 0.15)

    def test_the_order_in_which_they_were_typed_does_not_matter(self):
        for lines in (["vport 4.1", "vboard 0.1"], ["power 200/500", "power 480/500 at board"]):
            one, other = dict(believe(lines).faults), dict(believe(lines[::-1]).faults)
            for name, chance in one.items():
                self.assertAlmostEqual(chance, other[name], places=9)

    def test_the_two_together_are_a_distribution_in_every_state(self):
        """Over all pairs of grades the joint chance adds up to 1, and summed over the second it is the first's own."""
        model = Model(KNOWN, device())
        first, second = KNOWN.checks["input_volts_port"], KNOWN.checks["input_volts_board"]
        total = np.zeros(len(model.states))
        for a in first.grades:
            alone = np.zeros(len(model.states))
            for b in second.grades:
                entries = read_events(model, case([f"vport {a}", f"vboard {b}"]).events)
                alone += likelihood(model, entries[0]) * likelihood(model, entries[1])
            np.testing.assert_allclose(alone, model.table(first)[:, first.grades.index(a)])
            total += alone
        np.testing.assert_allclose(total, 1.0)

    def test_a_repair_between_them_that_could_have_changed_it_makes_them_two(self):
        model = Model(KNOWN, device())
        lines = ["vport absent", "did swap_carrier no", "vboard absent"]
        self.assertEqual(read_events(model, case(lines).events)[-1].given, ())
