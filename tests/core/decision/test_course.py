"""How the work goes, act after act: against devices drawn one by one, and its money and minutes by hand."""

from random import Random

from django.test import SimpleTestCase

from chargepath.decision.judgement import judge
from chargepath.decision.plan import route_table
from chargepath.decision.prices import Prices
from chargepath.decision.why import levels_after
from chargepath.diagnosis.belief import assess
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import REFER
from tests.builders import case

LINES = ["i 0.02 5.1 3%", "port lint", "flip same"]
# How many devices are drawn; two standard errors of a share are then 0.9 in 100.
DRAWN = 12_000


def judged(lines=LINES, words="phone usb_c sub_board", history=()):
    made = case(lines, words, history)
    return judge(shipped(), made, Prices.of(shipped(), made.device.value, device=made.device), steps=1)


class Course(SimpleTestCase):
    def test_the_chance_is_the_share_of_drawn_devices_that_are_well_by_then(self):
        found, rng = judged(), Random(7)
        table = route_table(found.belief, found.prices)
        acts = {act.id: number for number, act in enumerate(table.acts)}
        members = [
            [fault for fault in range(table.states.n_faults) if table.states.has[state, fault]]
            for state in range(len(table.states))
        ]
        stops = [stop for stop in found.course if stop.kind == "repair"]
        well = [0] * len(stops)
        for state in rng.choices(range(len(members)), weights=found.belief.mass, k=DRAWN):
            present = set(members[state])
            for number, stop in enumerate(stops):
                route = acts[stop.id]
                for fault, chance in table.removes[route].items():
                    if fault in present and rng.random() < chance:
                        present.remove(fault)
                key = next(row for row, there in enumerate(members) if set(there) == present)
                if rng.random() < table.works[key]:
                    if not present:
                        for later in range(number, len(stops)):
                            well[later] += 1
                    break
        self.assertGreaterEqual(len(stops), 2)
        for stop, count in zip(stops, well, strict=True):
            self.assertAlmostEqual(stop.solved, count / DRAWN, delta=0.012, msg=stop.id)

    def test_the_first_act_costs_its_quote_and_the_opening_is_paid_once(self):
        found = judged(["i 0.0 5.1 20%", "port worn", "flip one_side"])
        first, second = found.course[:2]
        known, prices = found.known, found.prices
        act = found.term(first.id).act
        self.assertAlmostEqual(first.money, found.spent + act.quote)
        self.assertAlmostEqual(first.minutes, act.minutes)
        open_for = [known.routes[stop.id].access_for("sub_board") for stop in (first, second)]
        hands = prices.route_minutes(known.routes[second.id]) + prices.proof_minutes
        hands += prices.opening(known, open_for[1], open_for[0])
        self.assertAlmostEqual(second.minutes - first.minutes, hands)

    def test_a_check_that_comes_first_takes_its_minutes_and_solves_nothing(self):
        found = judged(["wiggle drops"])
        self.assertEqual(found.advice.next.kind, "check")
        first = found.course[0]
        self.assertEqual((first.kind, first.solved), ("check", 0.0))
        self.assertAlmostEqual(first.money, found.spent + first.minutes * found.prices.rate_per_minute)

    def test_a_forced_restart_does_not_follow_a_repair_that_has_unplugged_the_battery(self):
        dead = ["port clean", "start dead", "i none"]
        done = [stop.id for stop in judged(dead, history=("no_sign",)).course]
        self.assertIn("swap_carrier", done)
        self.assertNotIn("reset_software", done)

    def test_it_follows_the_plan_up_to_where_the_device_is_handed_on(self):
        found = judged()
        order = [term.id for term in found.advice.plan]
        done = [stop.id for stop in found.course if stop.kind == "repair"]
        self.assertEqual(done, [name for name in order[: order.index(REFER)] if name in done])
        self.assertEqual(order[0], found.advice.next.id)
        self.assertEqual(len(set(order)), len(order))

    def test_a_habit_goes_its_own_way_and_leaves_out_what_it_rules_out(self):
        found = judged(["i 0.0 5.1 20%", "port clean", "flip one_side"])
        for habit in found.habits.values():
            stops = found.course_by(habit)
            self.assertFalse({stop.id for stop in stops} & set(habit.ruled_out))
            self.assertEqual(stops[0].id, habit.step.id)


class Levels(SimpleTestCase):
    def test_an_answer_leaves_the_gauges_where_the_belief_is_once_it_is_given(self):
        lines, words = ["i 0.4 5.0 20%", "port loose", "wiggle drops"], "phone usb_c none"
        found = judged(lines, words)
        step = found.advice.next
        check = found.known.checks[step.id]
        after = levels_after(found.belief, found.prices, "check", step.id)
        self.assertTrue(check.grades and set(after) == {check.name(grade) for grade in check.grades})
        for grade in check.grades:
            given = assess(found.belief.model, case([*lines, f"{check.word} {grade}"], words))
            for station, chance in given.stations.items():
                self.assertAlmostEqual(after[check.name(grade)][station], chance, places=6)

    def test_nothing_is_said_of_what_cannot_be_asked(self):
        found = judged()
        self.assertEqual(levels_after(found.belief, found.prices, "check", "charger_current"), {})


class AskedOnce(SimpleTestCase):
    def test_a_check_that_two_acts_need_is_paid_once(self):
        found = judged(["i trickle", "start dead", "port clean", "wait rises"], "phone micro_b none", ("flat_long",))
        stops = {stop.id: stop for stop in found.course}
        order = list(stops)
        later = max("recover_battery", "swap_battery", key=order.index)
        before = stops[order[order.index(later) - 1]]
        known, prices = found.known, found.prices
        self.assertIn("battery_volts", found.term(later).act.requires)
        hands = prices.route_minutes(known.routes[later]) + prices.proof_minutes
        self.assertAlmostEqual(stops[later].minutes - before.minutes, hands)
