"""What the belief promises on the shipped knowledge."""

import tomllib
from dataclasses import replace
from itertools import combinations

import numpy as np
from django.test import SimpleTestCase

from chargepath.case.entries import Case, CheckEvent, PathEvent
from chargepath.decision.prices import Prices
from chargepath.decision.questions import questions
from chargepath.decision.refcases import CASES
from chargepath.diagnosis.belief import access_reached, assess, pushes
from chargepath.diagnosis.forward import likelihood
from chargepath.diagnosis.graded import read_events
from chargepath.diagnosis.model import Model, sharpened
from chargepath.diagnosis.states import build_states, set_prior, triples
from chargepath.knowledge.loader import shipped
from tests.builders import THREE_AT_ONCE, believe, case, device

KNOWN = shipped()
TYPICAL = tomllib.loads(CASES.read_text())["case"]


class TypicalEvidence(SimpleTestCase):
    def test_every_fault_is_ranked_first_on_its_own_typical_evidence(self):
        for row in TYPICAL:
            belief = believe(row["lines"], row["device"], tuple(row.get("history", ())))
            with self.subTest(fault=row["fault"], lines=row["lines"]):
                self.assertEqual(belief.faults[0][0], row["fault"])

    def test_the_table_has_a_case_for_each_fault(self):
        self.assertEqual({row["fault"] for row in TYPICAL}, set(shipped().faults))


class OneReading(SimpleTestCase):
    def test_excludes_no_cause_to_zero(self):
        known = shipped()
        for words in ("phone usb_c sub_board wireless", "tablet micro_b none"):
            made = device(words)
            model = Model(known, made, ())
            for check in known.checks.values():
                if not model.offers(check):
                    continue
                events = [CheckEvent(check.id, grade=grade) for grade in check.grades]
                if check.is_look:
                    events = [CheckEvent(check.id, signs=check.signs), CheckEvent(check.id)]
                for event in events:
                    belief = assess(model, Case(made, (), (event,)))
                    with self.subTest(check=check.id, grade=event.grade):
                        self.assertGreater(min(chance for _, chance in belief.faults), 1e-6)

    def test_an_open_link_hides_a_short_behind_it(self):
        known = shipped()
        model = Model(known, device(), ())
        table = model.table(known.checks["line_power"])
        index = {name: i for i, name in enumerate(model.fault_ids)}
        short = known.checks["line_power"].grades.index("short")

        def chance(*names):
            return table[model.states.index[frozenset(index[name] for name in names)], short]

        self.assertLess(chance("input_short", "link_loose"), chance("input_short") * 0.6)
        self.assertGreater(chance("input_short", "port_ic_fault"), chance("input_short") * 0.99)


class TheRecordOfALongCase(SimpleTestCase):
    def chance(self, belief, fault):
        return dict(belief.faults)[fault]

    def test_a_failed_repair_takes_away_what_it_cures_and_nothing_else(self):
        before = believe(["port lint"])
        after = believe(["port lint", "did clean_port no"])
        self.assertLess(self.chance(after, "port_fouled"), self.chance(before, "port_fouled") / 3)
        self.assertGreater(self.chance(after, "battery_worn"), self.chance(before, "battery_worn"))

    def test_a_repair_that_works_leaves_little_wrong(self):
        self.assertGreater(believe(["port lint plug_proud", "did clean_port yes"]).clean, 0.6)

    def test_a_try_that_charges_convicts_and_changes_nothing(self):
        belief = believe(["i 0.0 5.0 20%", "try swap_carrier yes"])
        self.assertGreater(dict(belief.stations)["port"] + dict(belief.stations)["carrier"], 0.8)
        self.assertLess(belief.clean, 0.05)

    def test_a_second_fault_surfaces_once_the_first_is_repaired(self):
        belief = believe(["port lint plug_proud", "did clean_port", "i 0.05 5.1 20%", "data silent", "lines 120/560"])
        self.assertEqual(belief.faults[0][0], "port_ic_fault")

    def test_a_repeated_check_replaces_the_earlier_one_unless_a_repair_lies_between(self):
        twice = believe(["wiggle drops", "wiggle steady"])
        once = believe(["wiggle steady"])
        np.testing.assert_allclose(twice.mass, once.mass)
        self.assertEqual([entry.state for entry in twice.entries], ["replaced", "counts"])
        between = believe(["wiggle drops", "did clean_port", "wiggle steady"])
        self.assertEqual([entry.state for entry in between.entries], ["counts"] * 3)

    def test_a_reading_stands_until_a_repair_could_have_changed_it(self):
        # A battery has nothing to do with data lines: what they read before stands, and a later reading takes
        # its place.
        lines = ["data silent", "did swap_battery no"]
        self.assertEqual(believe(lines).last_grades, {"data_link": "silent"})
        twice = believe([*lines, "data silent"])
        self.assertEqual([entry.state for entry in twice.entries], ["replaced", "counts", "counts"])
        np.testing.assert_allclose(twice.mass, believe(lines).mass, atol=1e-9)
        # The sub-board may have been what kept them silent: afterwards it is another question.
        after = believe(["data silent", "did swap_carrier no"])
        self.assertEqual(after.last_grades, {})
        again = believe(["data silent", "did swap_carrier no", "data silent"])
        self.assertEqual([entry.state for entry in again.entries], ["counts"] * 3)
        self.assertGreater(dict(again.faults)["port_ic_fault"], 1.1 * dict(after.faults)["port_ic_fault"])

    def test_the_same_reading_after_a_repair_that_failed_is_no_second_witness(self):
        # A restart that changed nothing leaves the lines as silent as they were: reading that again says nothing new.
        lines, chances = ["start starts", "data silent"], []
        for _ in range(3):
            chances.append(dict(believe(lines).faults)["port_ic_fault"])
            lines += ["did reset_software no", "data silent"]
        self.assertLess(chances[-1], 1.25 * chances[0])
        # Where it reads otherwise than before, it is a fresh reading, and says much.
        other = believe([*lines[:3], "data recognised"])
        self.assertLess(dict(other.faults)["port_ic_fault"], chances[0] / 3)
        # What the repair did take away is fresh: a port that was cleaned is looked into anew.
        self.assertLess(believe(["port lint", "did clean_port no"]).held["port_look"].share.min(), 0.2)

    def test_what_stands_is_not_asked_again(self):
        prices = Prices.of(shipped(), 160.0)

        def asked(*lines):
            return {question.id for question in questions(believe(list(lines)), prices) if question.kind == "check"}

        self.assertNotIn("data_link", asked("data silent", "did swap_battery no"))
        self.assertIn("data_link", asked("data silent", "did swap_carrier no"))
        # A low line that stands still lets the chip be lifted.
        self.assertIn("lift_port_ic", asked("lines 120/560", "did swap_battery no"))

    def test_a_dead_device_silences_what_only_a_running_one_can_say(self):
        silent = believe(["start dead", "data silent"])
        self.assertEqual(silent.entries[1].state, "void")
        np.testing.assert_allclose(silent.mass, believe(["start dead"]).mass)

    def test_a_lift_says_nothing_without_a_low_line_before_it(self):
        states = [
            believe(lines).entries[-1].state for lines in (["liftport recovers"], ["lines low", "liftport recovers"])
        ]
        self.assertEqual(states, ["void", "counts"])

    def test_a_percentage_shown_means_the_device_has_started(self):
        shown, hidden = believe(["i 0.08 5.1 12%"]), believe(["i 0.08 5.1"])
        self.assertLess(self.chance(shown, "battery_flat"), self.chance(hidden, "battery_flat") / 3)

    def test_own_charger_speaks_of_the_charger_and_the_shops_does_not(self):
        self.assertGreater(self.chance(believe(["i none own"]), "source_weak"), 0.05)
        prior = self.chance(believe([]), "source_weak")
        self.assertLess(self.chance(believe(["i none"]), "source_weak"), prior / 2)

    def test_three_faults_are_considered_where_two_cannot_explain_it(self):
        belief = believe(THREE_AT_ONCE)
        self.assertTrue(belief.widened)
        self.assertGreater(sum(chance for _, chance in belief.faults), 2.2)
        self.assertAlmostEqual(float(belief.mass.sum()), 1.0)
        self.assertFalse(believe(["i 0.0 5.0", "port lint"]).widened)

    def test_pushes_are_the_odds_with_over_the_odds_without(self):
        belief = believe(["i 0.0 5.1 20%", "port lint"])
        push = next(
            p for p in pushes(belief, case(["i 0.0 5.1 20%", "port lint"])) if p.index == 1 and p.fault == "port_fouled"
        )
        with_it, without = (self.chance(b, "port_fouled") for b in (belief, believe(["i 0.0 5.1 20%"])))
        self.assertAlmostEqual(push.factor, (with_it / (1 - with_it)) / (without / (1 - without)), places=6)


class Opened(SimpleTestCase):
    def test_a_device_is_as_open_as_the_place_of_its_deepest_reading(self):
        known = shipped()

        def reached(*events):
            return access_reached(known, Case(device(), (), events))

        line = CheckEvent("line_power", values={"reading": 500.0})
        through_the_plug = replace(line, access="outside")
        self.assertEqual([reached(line), reached(through_the_plug)], ["opened", "outside"])
        paths = [PathEvent({}, access=access) for access in ("", "outside", "opened")]
        self.assertEqual([reached(path) for path in paths], ["outside", "outside", "opened"])
        self.assertEqual(reached(paths[2], through_the_plug), "opened")


class States(SimpleTestCase):
    def test_removing_faults_matches_the_enumeration_by_hand(self):
        states = build_states(3, triples(3))
        mass = np.zeros(len(states))
        mass[states.index[frozenset({0, 1, 2})]] = 1.0
        after = states.remove(mass, {0: 0.5, 1: 0.25})
        expected = {(0, 1, 2): 0.375, (1, 2): 0.375, (0, 2): 0.125, (2,): 0.125}
        for members, chance in expected.items():
            self.assertAlmostEqual(after[states.index[frozenset(members)]], chance)
        self.assertAlmostEqual(after.sum(), 1.0)

    def test_the_prior_shares_pairs_by_the_product_of_weights(self):
        states = build_states(3)
        prior = set_prior(states, np.array([1.0, 2.0, 3.0]), 0.03, 0.15, 0.02)
        got = [prior[states.index[frozenset(pair)]] for pair in ((), (0,), (0, 1), (1, 2))]
        np.testing.assert_allclose(got, [0.03, 0.82 / 6, 0.15 * 2 / 11, 0.15 * 6 / 11])

    def test_history_moves_the_prior_within_its_limits(self):
        known = shipped()
        told = Model(known, device(), ("opened_before", "screen_replaced", "battery_replaced"))
        plain = Model(known, device(), ())
        index = plain.fault_ids.index("battery_sense")
        self.assertAlmostEqual(told.weights[index] / plain.weights[index], known.model.history_high)

    def test_likelihoods_of_all_grades_add_up_to_one(self):
        known = shipped()
        model = Model(known, device("phone usb_c flex wireless"), ("liquid",))
        for check in known.checks.values():
            for variant in check.variants or ("",):
                if check.grades:
                    np.testing.assert_allclose(model.table(check, variant).sum(axis=1), 1.0, atol=1e-12)

    def test_chances_are_drawn_apart_in_their_order_and_still_add_up(self):
        rng = np.random.default_rng(2)
        rows = rng.dirichlet([0.4] * 4, 50)
        np.testing.assert_allclose(sharpened(rows, 1.0), rows)
        apart = sharpened(rows, 1.3)
        np.testing.assert_allclose(apart.sum(axis=1), 1.0)
        np.testing.assert_array_equal(apart.argsort(axis=1), rows.argsort(axis=1))
        self.assertTrue((apart.max(axis=1) >= rows.max(axis=1)).all())
        signs = np.array([[0.2, 0.5, 0.9, 0.0, 1.0]])
        by_hand = [0.2**1.3 / (0.2**1.3 + 0.8**1.3), 0.5, 0.9**1.3 / (0.9**1.3 + 0.1**1.3), 0.0, 1.0]
        np.testing.assert_allclose(sharpened(signs, 1.3, each=True)[0], by_hand)

    def test_entries_that_do_not_count_leave_every_state_alone(self):
        made = case(["start dead", "data silent"])
        model = Model(shipped(), made.device, ())
        self.assertTrue((likelihood(model, read_events(model, made.events)[1]) == 1).all())


class WaysAndAgain(SimpleTestCase):
    def test_a_look_shows_something_with_certainty_whatever_its_ways(self):
        """Over every set of signs the chances add up to one in each state: ways exclude each other."""
        model = Model(KNOWN, device("phone usb_c sub_board"))
        look = KNOWN.checks["port_look"]
        every = [signs for n in range(len(look.signs) + 1) for signs in combinations(look.signs, n)]
        np.testing.assert_allclose(sum(model.seen(look, signs) for signs in every), 1.0, atol=1e-9)

    def test_the_same_work_that_failed_here_is_no_fresh_chance(self):
        model = Model(KNOWN, device("phone usb_c sub_board"))
        route = KNOWN.routes["resolder_port"]
        first, second = (model.removes(route, failed=failed) for failed in (0, 2))
        for index, chance in first.items():
            self.assertAlmostEqual(second[index], chance * route.again**2)
        self.assertLess(route.again, 1)
        # In the belief too: the second failure says less against the joint than a fresh chance would.
        lines = ["wiggle drops", "joint moves", "did resolder_port no"]
        once, twice = (dict(believe([*lines, *more]).faults)["port_joint"] for more in ([], ["did resolder_port no"]))
        fresh = 1 - KNOWN.routes["resolder_port"].cures["port_joint"]
        self.assertGreater(twice / (1 - twice), fresh * once / (1 - once))
