"""Properties that hold for any case: order, mass, monotony, round trips of the quick line."""

import math
from itertools import permutations

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from chargepath.base.quantities import METERS, show
from chargepath.case.entries import Case, CheckEvent, RepairEvent, TryEvent
from chargepath.case.quickline import grammar, parse_line
from chargepath.decision.advice import advise
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model, noisy_max, noisy_or
from chargepath.diagnosis.states import build_states
from chargepath.grading.readings import grade_event
from chargepath.knowledge.loader import shipped
from rainfront.jobs.presenters.words import example_line
from tests.builders import believe, device
from tests.core.case.test_casefile import EVENTS

KNOWN = shipped()
FLEX = device("phone usb_c flex")
LINES = ("port lint", "i 0.0 5.0 20%", "wiggle drops", "data silent", "inside clean", "power low")


class AnyCase(SimpleTestCase):
    @given(EVENTS, st.lists(st.sampled_from(list(KNOWN.history)), unique=True, max_size=4))
    @settings(max_examples=40)
    def test_gives_a_belief_and_an_advice_that_hold_together(self, events, history):
        model = Model(KNOWN, FLEX, tuple(flag for flag in KNOWN.history if flag in history))
        belief = assess(model, Case(FLEX, model.history, tuple(events)))
        self.assertAlmostEqual(float(belief.mass.sum()), 1.0, places=9)
        chances = [chance for _, chance in belief.faults]
        self.assertTrue(all(0 < chance < 1 for chance in chances))
        self.assertEqual(len(belief.entries), len(events))
        for station, chance in belief.stations.items():
            inside = [c for name, c in belief.faults if KNOWN.faults[name].station == station]
            self.assertLessEqual(max(inside) - 1e-9, chance)
            self.assertLessEqual(chance, sum(inside) + 1e-9)
        advice = advise(belief, Prices.of(KNOWN, 180.0))
        self.assertTrue(math.isfinite(advice.next.total))
        self.assertLessEqual(advice.commit, advice.refer_cost + 1e-9)
        self.assertEqual(len({term.id for term in advice.routes}), len(advice.routes))
        self.assertTrue(all(0 <= term.cure <= 1 for term in advice.routes))

    def test_does_not_depend_on_the_order_of_checks_between_two_repairs(self):
        base = believe(list(LINES[:4])).mass
        for order in list(permutations(LINES[:4]))[1::5]:
            np.testing.assert_allclose(believe(list(order)).mass, base, atol=1e-12)

    def test_a_worse_grade_never_speaks_more_for_nothing_being_wrong(self):
        for check in KNOWN.checks.values():
            if not check.grades or check.needs_before or check.needs_wireless:
                continue
            cleans = [
                assess(Model(KNOWN, FLEX), Case(FLEX, (), (CheckEvent(check.id, grade=grade),))).clean
                for grade in (check.grades[0], check.grades[-1])
            ]
            with self.subTest(check=check.id):
                self.assertGreater(cleans[0], cleans[1])

    def test_history_raises_what_it_is_told_to_raise(self):
        plain = dict(believe([]).faults)
        for flag, fault in (
            ("liquid", "liquid_damage"),
            ("flat_long", "battery_flat"),
            ("port_replaced", "port_joint"),
            ("since_work", "solder_bridge"),
            ("since_work", "link_loose"),
            ("pocket_carried", "port_fouled"),
            ("battery_replaced", "battery_sense"),
        ):
            self.assertGreater(dict(believe([], history=(flag,)).faults)[fault], plain[fault] * 1.5)

    def test_each_repair_lowers_what_it_cures_even_unproved(self):
        for route in KNOWN.routes.values():
            cures = route.cures_on("flex")
            if not cures or (route.carriers and "flex" not in route.carriers):
                continue
            before = dict(believe(["data silent"], "phone usb_c flex").faults)
            model = Model(KNOWN, FLEX)
            events = (CheckEvent("data_link", grade="silent"), RepairEvent(route.id))
            after = dict(assess(model, Case(FLEX, (), events)).faults)
            for fault, chance in cures.items():
                with self.subTest(route=route.id, fault=fault):
                    left = before[fault] * (1 - chance)
                    if not route.leaves:
                        self.assertAlmostEqual(after[fault], left, places=9)
                    else:
                        self.assertLessEqual(after[fault], left + route.leaves.get(fault, 0.0) + 1e-9)

    def test_a_try_and_its_opposite_answer_average_to_the_belief_before(self):
        before = assess(Model(KNOWN, FLEX), Case(FLEX, (), ()))
        model, works = before.model, before.model.works_trying(KNOWN.routes["swap_battery"])
        chance = float(before.mass @ works)
        yes, no = (assess(model, Case(FLEX, (), (TryEvent("swap_battery", answer),))).mass for answer in (True, False))
        np.testing.assert_allclose(chance * yes + (1 - chance) * no, before.mass, atol=1e-12)


class NoisyGates(SimpleTestCase):
    """Worked by hand on two faults."""

    def test_max_of_two_faults_and_a_leak(self):
        states = build_states(2)
        effects = np.array([[0.2, 0.3, 0.5], [0.6, 0.4, 0.0]])
        leak = np.array([0.9, 0.05, 0.05])
        table = noisy_max(states, effects, leak, np.zeros(2), np.arange(2.0), 0)
        both = table[states.index[frozenset({0, 1})]]
        np.testing.assert_allclose(both, [0.9 * 0.2 * 0.6, 0.95 * 0.5 * 1.0 - 0.9 * 0.2 * 0.6, 1 - 0.95 * 0.5])
        np.testing.assert_allclose(table[0], leak)

    def test_an_open_place_hides_only_what_lies_behind_it(self):
        states = build_states(2)
        effects = np.array([[0.4, 0.6, 0.0], [0.1, 0.0, 0.9]])
        leak = np.array([1.0, 0.0, 0.0])
        first, behind = np.array([1.0, 0.0]), np.array([0.0, 1.0])
        both = states.index[frozenset({0, 1})]
        hidden = noisy_max(states, effects, leak, first, np.array([0.0, 1.0]), 1)[both]
        np.testing.assert_allclose(hidden, [0.4 * 0.1, 0.6, 0.4 * 0.9])
        seen = noisy_max(states, effects, leak, first, np.array([1.0, 0.0]), 1)[both]
        np.testing.assert_allclose(seen, [0.4 * 0.1, 0.6 * 0.1, 0.9])
        nobody_cuts = noisy_max(states, effects, leak, behind * 0, np.array([0.0, 1.0]), 1)[both]
        np.testing.assert_allclose(nobody_cuts, [0.4 * 0.1, 0.1 * 0.6, 0.9])

    def test_or_of_two_faults_and_a_leak(self):
        states = build_states(2)
        table = noisy_or(states, np.array([[0.5], [0.2]]), np.array([0.1]))
        np.testing.assert_allclose(table[:, 0], [0.1, 1 - 0.9 * 0.5, 1 - 0.9 * 0.8, 1 - 0.9 * 0.5 * 0.8])


class TheQuickLine(SimpleTestCase):
    def test_every_example_that_is_shown_can_be_typed(self):
        full = device("phone usb_c flex wireless")
        for check in KNOWN.checks.values():
            event = parse_line(example_line(check), KNOWN, full)
            self.assertEqual(event.check, check.id)

    def test_every_grade_and_sign_of_every_check_can_be_typed(self):
        full = device("phone usb_c flex wireless")
        self.assertEqual(len(grammar(KNOWN, full)), len(KNOWN.checks) + 4)
        for check in KNOWN.checks.values():
            for grade in check.grades:
                self.assertEqual(parse_line(f"{check.word} {grade}", KNOWN, full), CheckEvent(check.id, grade=grade))
            for sign in check.signs:
                self.assertEqual(parse_line(f"{check.word} {sign}", KNOWN, full), CheckEvent(check.id, signs=(sign,)))

    @given(st.integers(51, 3000), st.integers(50, 3000), st.sampled_from(["millivolts", "any"]))
    def test_a_pair_of_millivolts_reads_as_typed_and_grades_by_its_band(self, reading, reference, meter):
        event = parse_line(f"power {reading}/{reference}", KNOWN, FLEX, METERS[meter])
        self.assertEqual(dict(event.values), {"reading": reading, "reference": reference})
        grade = grade_event(KNOWN, FLEX, event).grade
        ratio = reading / reference
        for low, high, expected in ((0.0, 0.78, "low"), (0.85, 1.3, "in_band"), (1.4, 1e9, "open")):
            if low <= ratio < high:
                self.assertEqual(grade, expected)

    def test_numbers_are_shown_with_their_unit_and_never_split(self):
        rows = [
            (0.0213, "A", "21 mA"),
            (1.0, "A", "1.00 A"),
            (5.084, "V", "5.08 V"),
            (512.0, "mV", "512 mV"),
            (math.inf, "mV", "OL"),
        ]
        for value, unit, text in rows:
            self.assertEqual(show(value, unit).replace("\u00a0", " "), text)
            self.assertNotIn(" ", show(value, unit))
