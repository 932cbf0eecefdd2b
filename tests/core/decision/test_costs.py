"""What acts and questions cost, term by term against sums made by hand from the knowledge's own numbers."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.case.entries import Device, RepairEvent
from chargepath.decision.acts import act_of
from chargepath.decision.judgement import judge, spent_so_far
from chargepath.decision.plan import route_table
from chargepath.decision.prices import Prices
from chargepath.decision.questions import every_question, questions, value_questions
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import compiled
from chargepath.knowledge.loader import shipped
from tests.builders import believe, case, device

KNOWN = shipped()
OPENED = sum(level.open_minutes for level in list(KNOWN.access.values())[:2])


def prices(**details):
    return Prices.of(KNOWN, 160.0, 0.75, **details)


class Acts(SimpleTestCase):
    def test_a_part_costs_what_it_does_for_the_kind_of_device_or_in_this_shop(self):
        battery = KNOWN.routes["swap_battery"]
        phone, tablet = device("phone usb_c none"), device("tablet usb_c none")
        self.assertEqual(
            [Prices.of(shipped(), 150.0, device=one).part(battery) for one in (phone, tablet)], [16.0, 38.0]
        )
        ours = Prices.of(shipped(), 150.0, device=tablet, parts={"swap_battery": 52.0})
        self.assertEqual(ours.part(battery), 52.0)

    def test_two_routes_done_together_add_up_share_the_opening_and_wait_once(self):
        belief = believe(["port lint"])
        routes = [KNOWN.routes["swap_carrier"], KNOWN.routes["replace_link"]]
        made = act_of(
            routes[0],
            belief,
            prices(pulls={"swap_carrier": ("replace_link",)}, days={"swap_carrier": 2, "replace_link": 3}),
        )
        hands = sum(route.minutes for route in routes) + KNOWN.costs.proof_minutes
        hands += sum(KNOWN.checks[name].minutes for name in {*routes[0].requires, *routes[1].requires})
        self.assertAlmostEqual(made.minutes, hands + OPENED)
        self.assertAlmostEqual(made.labour, 0.75 * made.minutes)
        self.assertAlmostEqual(made.part, sum(route.part for route in routes))
        stays = (1 - routes[0].harm) * (1 - routes[1].harm)
        self.assertAlmostEqual(made.harm, (1 - stays) * (KNOWN.costs.harm_share * 160 + KNOWN.costs.comeback_handling))
        self.assertEqual((made.days, made.waiting), (3, 3 * KNOWN.costs.day_price))

    def test_an_opened_device_is_not_opened_again(self):
        before, after = (
            act_of(KNOWN.routes["swap_battery"], believe(lines), prices()) for lines in ([], ["inside clean"])
        )
        self.assertAlmostEqual(before.opening_minutes, OPENED)
        self.assertEqual(after.opening_minutes, 0.0)

    def test_a_required_check_is_paid_until_it_was_done(self):
        route = next(route for route in KNOWN.routes.values() if route.requires and route.fits("sub_board"))
        belief = believe(["inside clean"])
        made = act_of(route, belief, prices())
        self.assertEqual(made.requires, route.requires)
        asked = sum(KNOWN.checks[name].minutes for name in route.requires)
        opening = prices().opening(KNOWN, route.access_for("sub_board"), belief.access)
        self.assertAlmostEqual(made.minutes, route.minutes + KNOWN.costs.proof_minutes + asked + opening)


class Questions(SimpleTestCase):
    def valued(self, lines, steps=1):
        belief, money = believe(lines), prices()
        table = route_table(belief, money)
        return {
            option.id: option
            for option in value_questions(belief, table, money, 0.0, every_question(belief, money), steps=steps)
        }

    def test_waiting_is_priced_as_waiting_and_hands_as_labour(self):
        check, found = KNOWN.checks["charge_wait"], self.valued(["i 0.6 5.0 20%"])["charge_wait"]
        self.assertGreater(check.wait_minutes, 0)
        self.assertEqual(found.minutes, check.minutes)
        self.assertAlmostEqual(found.cost, 0.75 * check.minutes + KNOWN.costs.wait_per_minute * check.wait_minutes)

    def test_a_check_inside_pays_for_the_opening_once(self):
        closed, opened = self.valued(["i 0.6 5.0 20%"]), self.valued(["i 0.6 5.0 20%", "inside clean"])
        own = KNOWN.checks["battery_volts"].minutes
        self.assertAlmostEqual(closed["battery_volts"].minutes, own + OPENED)
        self.assertAlmostEqual(opened["battery_volts"].minutes, own)

    def test_the_outcomes_of_each_question_are_all_there_is(self):
        belief = believe(["i 0.6 5.0 20%"])
        for question in questions(belief, prices()):
            with self.subTest(question=question.id):
                self.assertAlmostEqual(float((belief.mass * question.chances).sum()), 1.0, places=9)
                self.assertEqual(len(question.chances), len(question.labels))

    def test_a_look_is_summed_up_to_nothing_each_sign_alone_and_several(self):
        belief = believe(["i 0.6 5.0 20%"])
        look = next(question for question in questions(belief, prices()) if question.id == "port_look")
        ways = belief.model.looks(KNOWN.checks["port_look"])
        self.assertAlmostEqual(sum(share for share, _ in ways), 1.0)
        nothing = sum(share * (1 - table).prod(axis=1) for share, table in ways)
        several = 1 - look.chances[:-1].sum(axis=0)
        self.assertTrue((several > 0).all())
        self.assertTrue((abs(look.chances[-1] - several) < 1e-12).all())
        self.assertTrue((abs(look.chances[0] - nothing) < 1e-12).all())

    def test_what_was_answered_is_not_asked_again(self):
        self.assertNotIn("plug_wiggle", self.valued(["wiggle steady"]))

    def test_a_second_question_is_never_free_and_never_opens_again(self):
        lines = ["i 0.0 5.0", "start dead", "port clean"]
        belief, money = believe(lines), prices()
        table = route_table(belief, money)
        one, two = self.valued(lines, 1), self.valued(lines, 2)
        looked = {question.id: question for question in questions(belief, money)}
        for name, option in two.items():
            with self.subTest(question=name):
                self.assertLessEqual(option.total, one[name].total + 1e-9)
        # The best second question after each outcome, spelt out for the first that two steps change, out- and inside.
        deeper = [name for name in two if two[name].then and looked[name].kind == "check"]
        inside = [name for name in deeper if looked[name].access != "outside"]
        self.assertTrue(inside)
        for name in (deeper[0], inside[0]):
            total = one[name].cost
            for row, grade in enumerate(looked[name].grades):
                total += self.best_after(belief, table, money, looked, name, row, grade)
            with self.subTest(question=name):
                self.assertAlmostEqual(two[name].total, total, delta=0.02 * total)

    def best_after(self, belief, table, money, looked, name, row, grade):
        import numpy as np

        from chargepath.decision.plan import plan

        levels = KNOWN.access
        mass = belief.mass * looked[name].chances[row]
        opened = max(belief.access, looked[name].access, key=lambda level: levels[level].level)
        best = float(plan(table, mass[None, :], np.array([levels[opened].level])).cost[0])
        for second in looked.values():
            if second.id == name:
                continue
            deeper = max(opened, second.access, key=lambda level: levels[level].level)
            minutes = second.minutes + money.opening(KNOWN, second.access, opened)
            cost = (minutes * 0.75 + second.wait * money.wait_per_minute) * float(mass.sum())
            paid = np.full(len(second.chances), levels[deeper].level)
            best = min(best, cost + float(plan(table, mass * second.chances, paid).cost.sum()))
        return best


class Bills(SimpleTestCase):
    def test_what_was_spent_is_minutes_parts_and_each_opening_once(self):
        made = case(["i 0.6 5.0 20%", "inside clean", "cell 3.8", "try swap_carrier no", "did swap_battery no"])
        checks, routes = KNOWN.checks, KNOWN.routes
        minutes = checks["charger_current"].minutes + checks["inside_look"].minutes + checks["battery_volts"].minutes
        minutes += routes["swap_carrier"].try_minutes + routes["swap_battery"].minutes + OPENED
        self.assertAlmostEqual(spent_so_far(made, prices(), KNOWN), 0.75 * minutes + routes["swap_battery"].part)

    def test_what_somebody_else_did_is_paid_nowhere_and_opens_nothing(self):
        made = case(["i 0.6 5.0 20%"])
        others = replace(made, events=(RepairEvent("swap_battery", False, other=True), *made.events))
        own = replace(made, events=(RepairEvent("swap_battery", False), *made.events))
        spent = [spent_so_far(one, prices(), KNOWN) for one in (made, others, own)]
        self.assertEqual(spent[0], spent[1])
        self.assertGreater(spent[2], spent[0] + KNOWN.routes["swap_battery"].part)

    def test_over_the_limit_is_what_is_spent_and_the_quote_together(self):
        made = case(["i 0.6 5.0 20%", "port lint"])
        free = judge(KNOWN, made, prices())
        term = free.term("replace_port")
        bill = free.spent + term.act.labour + term.act.part
        for limit, over in ((bill - 1, True), (bill + 1, False)):
            self.assertEqual(judge(KNOWN, made, prices(), limit=limit).over_limit(term), over)
        self.assertFalse(free.over_limit(term))

    def test_a_judgement_is_the_belief_and_the_advice_of_the_same_case(self):
        made = case(["i 0.6 5.0 20%", "port lint"])
        found = judge(KNOWN, made, prices())
        belief = assess(compiled(KNOWN, Device("phone", "usb_c", "sub_board")), made)
        self.assertEqual(found.belief.faults, belief.faults)
        self.assertEqual(set(found.habits), set(KNOWN.schools))
        self.assertTrue(found.pushes)
