"""What cuts a case into segments, and what a repair makes out of date."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.case.entries import RepairEvent
from chargepath.case.timeline import Timeline
from chargepath.decision.situation import done_last
from chargepath.diagnosis.belief import assess, faults_at_intake
from chargepath.diagnosis.forward import likelihood
from chargepath.diagnosis.graded import read_events
from chargepath.diagnosis.model import Model
from chargepath.hazards.standing import dangers_of
from chargepath.knowledge.loader import shipped
from tests.builders import believe, case

KNOWN = shipped()

LINES = [
    "port lint",
    "did swap_battery other",
    "did clean_port no",
    "flip same",
    "did swap_carrier yes",
    "start starts",
]


def timeline(lines):
    return Timeline(case(lines).events)


class Segments(SimpleTestCase):
    def test_only_repairs_of_this_bench_cut_and_every_event_is_in_one_segment(self):
        found = timeline(LINES)
        self.assertEqual([list(one.indices) for one in found.segments], [[0, 1, 2], [3, 4], [5]])
        self.assertEqual([one.route for one in found.repairs], ["clean_port", "swap_carrier"])
        self.assertEqual(found.last_repair, RepairEvent("swap_carrier", True))
        self.assertEqual((len(found.before_repairs), len(found.since_repair)), (2, 1))

    def test_without_a_repair_of_this_bench_everything_is_as_it_came_in(self):
        for lines in ([], ["port lint"], ["port lint", "did clean_port other"]):
            found = timeline(lines)
            self.assertEqual((found.before_repairs, found.since_repair), (found.events, found.events))
            self.assertIsNone(found.last_repair)

    def test_a_reading_is_out_of_date_by_the_first_later_repair_that_can_have_changed_it(self):
        found = timeline(LINES)
        self.assertEqual(found.outdated_by(0, lambda _: True).route, "clean_port")
        self.assertEqual(found.outdated_by(0, lambda repair: repair.route == "swap_carrier").route, "swap_carrier")
        self.assertEqual(found.outdated_by(3, lambda _: True).route, "swap_carrier")
        self.assertIsNone(found.outdated_by(5, lambda _: True))
        self.assertIsNone(found.outdated_by(0, lambda repair: repair.route == "swap_battery"))

    def test_a_come_back_is_a_failed_proof_after_a_repair_that_charged(self):
        came = ["did clean_port yes", "did prove yes", "did prove no", "port worn"]
        self.assertEqual(timeline(came).come_backs, (2,))
        self.assertEqual(timeline(["did clean_port no", "did prove no"]).come_backs, ())
        self.assertEqual(timeline(["did clean_port yes", "did swap_battery no"]).come_backs, ())


class Mishaps(SimpleTestCase):
    def chance(self, fault, *lines):
        return dict(believe(list(lines)).faults)[fault]

    def test_cuts_what_was_read_from_what_is_read_after_it_and_is_no_repair(self):
        found = timeline(["port lint", "did clean_port no", "lines 530/540", "mishap pad", "lines OL/540"])
        self.assertEqual([list(one.indices) for one in found.segments], [[0, 1], [2, 3], [4]])
        self.assertEqual(([one.route for one in found.repairs], len(found.since_repair)), (["clean_port"], 3))
        self.assertEqual(len(timeline(["port lint", "mishap pad", "port worn"]).before_repairs), 1)

    def test_brings_what_it_leaves_behind_and_makes_readings_of_that_fresh(self):
        before = ("inside clean", "lines 530/540", "i 0.02 5.0 20%")
        left = KNOWN.mishaps["pad_torn"].leaves["torn_pad"]
        now = self.chance("torn_pad", *before, "mishap pad")
        # Where two faults are suspected together, a third is not added to them.
        self.assertTrue(0.8 < now < left + 0.01, now)
        fresh = believe([*before, "mishap pad"])
        self.assertNotIn("line_data", fresh.last_grades)
        self.assertIn("charger_current", believe([*before, "mishap key"]).last_grades)
        self.assertGreater(self.chance("torn_pad", *before, "mishap pad", "lines OL/540"), 0.95)
        both = believe([*before, "mishap pad", "lines 531/540"]).entries
        self.assertEqual([entry.state for entry in both], ["counts"] * 5)
        self.assertLess(dict(faults_at_intake(fresh))["torn_pad"], 0.05)

    def test_a_cell_that_was_hurt_is_a_danger_and_a_repair_before_it_is_not_handed_over(self):
        hurt = case(["mishap cell"])
        self.assertEqual([danger.hazard.id for danger in dangers_of(KNOWN, hurt)], ["cell_damaged"])
        done = believe(["port lint", "did clean_port yes", "did prove yes"])
        self.assertIsNotNone(done_last(done))
        self.assertIsNone(done_last(believe(["port lint", "did clean_port yes", "did prove yes", "mishap flex"])))


class AtIntake(SimpleTestCase):
    def test_is_what_enumerating_every_first_state_gives(self):
        """Bayes' rule state by state: each state the device may have come in with, carried through alone."""
        found = case(LINES)
        model = Model(shipped(), found.device)
        entries = read_events(model, found.events)
        chance = np.zeros(len(model.states))
        for state in range(len(model.states)):
            mass = np.eye(len(model.states))[state]
            for entry in entries:
                if isinstance(entry.event, RepairEvent) and not entry.event.other:
                    route = shipped().routes[entry.event.route]
                    mass = model.states.bring_in(
                        model.states.remove(mass, model.removes(route, failed=0)), model.brought_by(route.leaves)
                    )
                mass = mass * likelihood(model, entry)
            chance[state] = model.prior[state] * mass.sum()
        wanted = model.states.marginals(chance / chance.sum())
        ours = dict(faults_at_intake(assess(model, found)))
        np.testing.assert_allclose([ours[name] for name in model.fault_ids], wanted, atol=1e-12)

    def test_what_a_repair_took_away_was_there_and_what_it_did_not_cure_is_found_after_it(self):
        cured = believe(["port lint plug_proud", "wiggle drops", "did clean_port yes"])
        self.assertEqual(faults_at_intake(cured)[0][0], "port_fouled")
        self.assertNotEqual(cured.faults[0][0], "port_fouled")
        later = [
            "port lint",
            "did clean_port no",
            "vport 5.0",
            "vboard 0.1",
            "power 900/512 at board",
            "did replace_guard yes",
        ]
        self.assertEqual(faults_at_intake(believe(later))[0][0], "guard_open")
