"""Prices, two steps ahead, habits and workings of the advice; the advice against the exact optimum."""

import math
from dataclasses import replace

from django.test import SimpleTestCase

from bench.problems import Optimum, advised, follow, problem
from chargepath.base.errors import KnowledgeError
from chargepath.decision import refcases
from chargepath.decision.advice import advise
from chargepath.decision.plan import route_table
from chargepath.decision.prices import Prices
from chargepath.decision.questions import every_question, value_questions
from chargepath.decision.schools import follow_school
from chargepath.decision.why import option_working, route_working, swings
from chargepath.knowledge.changes import Change
from chargepath.knowledge.loader import load, shipped
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.standin.answers import answer
from chargepath.standin.device import StandinDevice
from chargepath.standin.feed import ChargerFeed
from chargepath.standin.mending import MENDS
from tests.builders import believe

KNOWN = shipped()
WORN = ["i 0.0 5.1 20%", "port worn", "wiggle drops", "joint moves"]
THIN = ["i 0.08 5.1 12%"]
ASKED_APART = ("charger_current", "charge_wait", "wireless_charge")


def prices(value=160.0, **given):
    return Prices.of(KNOWN, value, **given)


def term(advice, name):
    return next(term for term in advice.routes if term.id == name)


class AgainstTheOptimum(SimpleTestCase):
    def test_the_advice_is_never_better_and_on_average_hardly_dearer_than_the_exact_optimum(self):
        costs = []
        for seed in range(300, 324):
            model, price = problem(seed, checks=2, routes=3)
            best, ours = Optimum(model, price).cost(), follow(model, price, advised(price))
            self.assertGreaterEqual(ours, best - 1e-6)
            costs.append((best, ours))
        self.assertLess(sum(ours for _, ours in costs) / sum(best for best, _ in costs), 1.05)


class TwoSteps(SimpleTestCase):
    def test_a_second_question_can_only_make_the_first_one_worth_more(self):
        belief, price = believe(THIN), prices()
        table = route_table(belief, price)
        asked = every_question(belief, price)
        one = {o.id: o for o in value_questions(belief, table, price, 100.0, asked, steps=1)}
        two = {o.id: o for o in value_questions(belief, table, price, 100.0, asked)}
        self.assertTrue(all(two[name].total <= one[name].total + 1e-9 for name in one))
        deeper = [option for option in two.values() if option.total < one[option.id].total - 0.5]
        self.assertTrue(deeper)
        for option in two.values():
            self.assertAlmostEqual(option.cost + sum(o.chance * o.total for o in option.outcomes), option.total, 6)
        self.assertTrue(any(option.then for option in deeper))


class Costs(SimpleTestCase):
    def test_terms_add_up_to_what_a_route_costs_and_to_the_whole_job(self):
        for row in advise(believe(WORN), prices()).routes:
            self.assertAlmostEqual(row.act.labour + row.act.part + row.act.harm + row.act.waiting, row.act.cost, 6)
            self.assertAlmostEqual(row.act.cost + row.comeback + row.later - row.spared, row.total, 6)
            self.assertAlmostEqual(sum(row.money.values()), row.total, 6)

    def test_harm_hurry_pace_minutes_and_parts_each_move_their_own_term(self):
        belief = believe(WORN)
        plain = term(advise(belief, prices()), "replace_port")
        dear = term(advise(belief, prices(value=500.0)), "replace_port")
        self.assertAlmostEqual(
            dear.act.harm - plain.act.harm, KNOWN.routes["replace_port"].harm * KNOWN.costs.harm_share * 340
        )
        fast = term(advise(belief, prices(hurry=True)), "replace_port")
        self.assertAlmostEqual(fast.act.waiting, KNOWN.costs.hurry_factor * plain.act.waiting)
        slow = term(advise(belief, prices(pace=1.5)), "replace_port")
        proof = KNOWN.costs.proof_minutes
        self.assertAlmostEqual(slow.act.minutes - proof, 1.5 * (plain.act.minutes - proof))
        mine = {"minutes": {"route:replace_port": 50.0}, "parts": {"replace_port": 9.0}, "days": {"replace_port": 0.0}}
        own = term(advise(belief, prices(**mine)), "replace_port")
        # No day of waiting for the part any more; the board still cools and dries for 3.5 minutes in the work itself.
        self.assertEqual((own.act.minutes - plain.act.minutes, own.act.part), (15.0, 9.0))
        self.assertAlmostEqual(own.act.waiting, 3.5 * KNOWN.costs.wait_per_minute)

    def test_a_part_that_only_works_with_another_pulls_it_in_with_its_cures(self):
        belief = believe(["i 0.0 5.1 20%", "inside burnt corroded", "vport 5.0", "vboard 0.2"])
        alone = term(advise(belief, prices()), "swap_carrier")
        both = term(advise(belief, prices(pulls={"swap_carrier": ("replace_link",)})), "swap_carrier")
        self.assertGreater(both.cure, alone.cure + 0.1)
        self.assertAlmostEqual(both.act.part, alone.act.part + KNOWN.routes["replace_link"].part)

    def test_a_route_that_requires_a_check_pays_for_it_until_it_was_done(self):
        before = term(advise(believe(THIN), prices()), "replace_port_ic")
        after = term(advise(believe([*THIN, "lines 505/520"]), prices()), "replace_port_ic")
        self.assertEqual((before.act.requires, after.act.requires), (("line_data",), ()))

    def test_stop_and_ask_at_the_limit_and_where_it_is_not_worth_it(self):
        belief = believe(WORN)
        self.assertEqual(advise(belief, prices(), limit=20.0).hold, "limit")
        self.assertEqual(advise(belief, prices(), limit=500.0).hold, "")
        self.assertEqual(advise(belief, prices(), limit=60.0, spent=55.0).hold, "limit")
        poor = advise(belief, replace(prices(), value=20.0))
        self.assertTrue(poor.hold == "not worth" or poor.next.id == REFER)


class Habits(SimpleTestCase):
    def habit(self, name, lines, words="phone usb_c sub_board"):
        belief, price = believe(lines, words), prices()
        base = advise(belief, price)
        return follow_school(belief, price, KNOWN.schools[name], base), base

    def test_what_each_school_does(self):
        outside = [
            f"{check.word} {check.grades[0]}"
            for check in KNOWN.checks.values()
            if check.access == "outside"
            and check.grades
            and not check.unasked
            and check.id not in ("charger_current", "charge_wait", "wireless_charge")
        ]
        swap, _ = self.habit(
            "swap_first", [*THIN, "port clean", "message clean", "health worn", *outside, "wait rises"]
        )
        self.assertIn(swap.step.kind, ("try", "repair"))
        self.assertIn(swap.step.id, KNOWN.schools["swap_first"].first_routes)
        bare, _ = self.habit("bare_port", WORN)
        self.assertEqual((bare.ruled_out, bare.step.id != "swap_carrier"), (("swap_carrier",), True))
        whole, _ = self.habit("whole_board", WORN, "phone usb_c none")
        self.assertEqual(whole.ruled_out, ())
        lift, _ = self.habit("no_lift_without_short", THIN)
        self.assertEqual(set(lift.ruled_out), {"replace_port_ic", "replace_charge_ic"})
        seen, _ = self.habit("no_lift_without_short", [*THIN, "lines 120/560"])
        self.assertEqual((seen.ruled_out, seen.costs), ((), 0.0))

    def test_a_habit_never_comes_out_cheaper_than_the_numbers_by_more_than_a_tie(self):
        for name in KNOWN.schools:
            for lines in (WORN, THIN, ["rail 2/400", "idle 1.0"]):
                habit, _ = self.habit(name, lines)
                self.assertGreater(habit.costs, -15.0, (name, lines))

    def test_measure_first_measures_before_a_part_is_bought(self):
        habit, base = self.habit("measure_first", WORN)
        self.assertEqual(base.next.kind, "repair")
        self.assertEqual((habit.step.kind, habit.step.id), ("check", "battery_volts"))


class Workings(SimpleTestCase):
    def test_both_lists_add_up(self):
        for lines in (WORN, THIN, []):
            advice = advise(believe(lines), prices())
            with_it, without = option_working(advice.next, advice, prices())
            lead = min(advice.routes, key=lambda row: row.total)
            self.assertAlmostEqual(sum(row.money for row in without), lead.total, delta=0.05)
            self.assertAlmostEqual(sum(row.money for row in with_it), advice.next.total, delta=0.05)
            for row in advice.routes:
                self.assertAlmostEqual(sum(one.money for one in route_working(row, prices())), row.total, delta=0.05)

    def test_a_swing_is_what_entering_that_reading_does(self):
        belief = believe(THIN)
        swing = next(row for row in swings(belief, prices())["battery_flat"] if row.id == "battery_volts")
        self.assertEqual(swing.up, KNOWN.checks["battery_volts"].name("flat"))
        after = dict(believe([*THIN, "cell flat"]).faults)["battery_flat"]
        self.assertAlmostEqual(swing.up_to, after, 9)


class OwnNumbers(SimpleTestCase):
    def test_a_change_is_validated_like_what_ships_and_names_its_place(self):
        self.assertEqual(load(changes=[Change("routes.clean_port.minutes", 9)]).routes["clean_port"].minutes, 9)
        for change, says in (
            (Change("faults.port_fouled.weight", 9), "from 1e-06 to 1"),
            (Change("faults.moon.weight", 0.1), "no number"),
        ):
            with self.assertRaisesMessage(KnowledgeError, says):
                load(changes=[change])

    def test_a_reference_case_that_changes_its_answer_is_named(self):
        self.assertEqual(refcases.differences(KNOWN, KNOWN), [])
        found = refcases.differences(KNOWN, load(changes=[Change("faults.battery_worn.weight", 0.9)]))
        self.assertTrue(found)
        self.assertNotEqual((found[0].before.fault, found[0].before.step), (found[0].after.fault, found[0].after.step))


class Feeds(SimpleTestCase):
    def feed(self, **parts):
        usual = {
            "source_ohm": 0.14,
            "source_amps": 2.4,
            "port": 0.05,
            "carrier": 0.03,
            "link": 0.05,
            "guard": 0.08,
            "carrier_leak": math.inf,
            "input_leak": math.inf,
        }
        return ChargerFeed(**{**usual, **parts})

    def test_a_good_path_drops_by_ohms_law(self):
        feed = self.feed(port=0.4)
        for at, ohms in (("plug", 0.14), ("port", 0.54), ("link", 0.62), ("guard", 0.70)):
            self.assertAlmostEqual(feed.volts(at, 0.5), 5.1 - 0.5 * ohms, 4)
        self.assertAlmostEqual(feed.able, (5.1 - 4.35) / 0.70, 3)

    def test_a_short_behind_the_path_makes_the_charger_fold_back_and_a_leak_divides_the_volts(self):
        feed = self.feed(input_leak=1.0)
        self.assertTrue(feed.folds)
        self.assertAlmostEqual(feed.idle["guard"], 0.4 * 1.0, 4)
        self.assertEqual((feed.able, feed.wasted), (0.0, 0.4))
        # Halfway along it is a divider as well: by hand, the leak beside nothing else.
        self.assertAlmostEqual(self.feed(carrier_leak=20.0).idle["link"], 5.1 * 20 / 20.22, 4)

    def test_diode_mode_shows_the_junction_a_leak_or_an_open_path(self):
        self.assertAlmostEqual(self.feed().diode("guard", 0.48), 0.48, 3)
        self.assertAlmostEqual(self.feed(port=120.0).diode("plug", 0.48), 0.48 + 0.120, 3)
        self.assertAlmostEqual(self.feed(input_leak=30.0).diode("plug", 0.48), 0.030, 3)
        self.assertEqual(self.feed(guard=math.inf).diode("plug", 0.48), math.inf)
        self.assertEqual(self.feed(port=5000.0).diode("plug", 0.48), math.inf)


class WholeDevices(SimpleTestCase):
    def test_a_device_answers_every_check_with_a_grade_or_signs_that_exist(self):
        for seed in range(40):
            whole = StandinDevice.arrive(seed)
            for check in KNOWN.checks.values():
                if check.fits(whole.device.connector, whole.device.wireless):
                    grade, signs = answer(whole, check.id)
                    self.assertTrue(grade in check.grades if check.grades else set(signs) <= set(check.signs), check.id)

    def test_it_charges_once_what_was_wrong_is_mended_and_hardly_before(self):
        sick = healthy = mended = 0
        for seed in range(400):
            whole = StandinDevice.arrive(seed)
            if not whole.faults:
                healthy += whole.charges()
                continue
            sick += whole.charges()
            whole.faults.clear()
            mended += whole.charges()
        self.assertGreater(mended, 370)
        self.assertLess(sick / 400, 0.2)
        self.assertGreater(healthy, 0)

    def test_every_fault_is_felt_by_itself_or_nobody_would_bring_the_device(self):
        silent = [
            (seed, fault)
            for seed in range(300)
            for fault in StandinDevice.arrive(seed).faults
            if not StandinDevice.arrive(seed).felt(fault)
        ]
        self.assertEqual(silent, [])

    def test_the_same_seed_is_the_same_device(self):
        first, second = StandinDevice.arrive(17), StandinDevice.arrive(17)
        self.assertEqual((first.faults, first.device, first.history), (second.faults, second.device, second.history))
        self.assertEqual(first.feed(), second.feed())

    def test_every_route_that_cures_has_something_it_mends(self):
        cures = {route.id for route in KNOWN.routes.values() if route.cures}
        self.assertEqual(cures - {PROVE}, set(MENDS))
