"""The steps that the advice gives one after another: none repeats itself, comes too late, or wastes an opening."""

from collections import Counter
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase

from bench.conduct import FIRST, play
from bench.devices import SimulatedShop, cell
from chargepath.case.timeline import Timeline
from chargepath.decision.acts import missing_checks
from chargepath.decision.advice import advise
from chargepath.decision.plan import job_costs, route_table, route_terms
from chargepath.decision.prices import Prices
from chargepath.decision.questions import ask_after_failure, every_question, price_of_asking, questions, value_questions
from chargepath.decision.situation import THENS
from chargepath.diagnosis.belief import assess, pushes
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import PROVE
from tests.builders import believe, case

KNOWN = shipped()
DROPS = ["port clean", "i 0.2 5.0 20%", "wiggle drops"]


def next_step(lines, value=160.0):
    return advise(believe(lines), Prices.of(KNOWN, value)).next.id


class SimulatedJobs(SimpleTestCase):
    def test_a_score_of_jobs_without_detours(self):
        shop, counts, steps = SimulatedShop(KNOWN), Counter(), 0
        for number in range(24):
            job = play(shop, FIRST + number, cell(number))
            counts.update(job.counts)
            steps += job.steps
        self.assertEqual((counts["proof_first"], counts["into_lint"]), (0, 0))
        self.assertLessEqual(counts["then_again"], 3)
        self.assertLessEqual(counts["again"], 12)
        self.assertLess(steps, 24 * 9.5)


class ThePort(SimpleTestCase):
    def test_what_lies_in_the_port_comes_out_before_a_plug_goes_in_however_sure_the_rest_is(self):
        sure = ["port lint plug_proud", "start starts", "fit pops_out"]
        self.assertGreater(believe(sure).faults[0][1], KNOWN.intake.decisive)
        self.assertEqual(next_step(sure), "clean_port")
        self.assertEqual(next_step(["port object"]), "clean_port")
        # After a repair that failed, too: what comes next would put a plug in.
        self.assertEqual(next_step(["port lint", "did reset_software no"], 400.0), "clean_port")
        # Once it was cleaned, the look of before says nothing any more.
        self.assertNotEqual(next_step([*sure, "did clean_port no"]), "clean_port")

    def test_lint_stays_seen_through_a_repair_that_does_not_take_it_out(self):
        for done, stays in (
            ("clean_board", True),
            ("swap_battery", True),
            ("clean_port", False),
            ("swap_carrier", False),
        ):
            seen = believe(["port lint corroded", "inside corroded", f"did {done}"]).last_signs
            self.assertEqual(("port_look", "lint") in seen, stays, done)
        self.assertNotIn(("port_look", "lint"), believe(["port lint", "port clean"]).last_signs)

    def test_putting_together_costs_the_cover_and_every_level_below_it_both_ways(self):
        prices, level = Prices.of(KNOWN, 160.0), KNOWN.access
        cover, board = (prices.putting_together(KNOWN, name) for name in ("opened", "board_out"))
        self.assertEqual((prices.putting_together(KNOWN, "outside"), cover), (0.0, prices.reassemble_minutes))
        self.assertEqual(board - cover, level["board_out"].open_minutes)
        asked = next(one for one in questions(believe([]), prices) if one.id == "charger_current")
        minutes, _ = price_of_asking(asked, "board_out", believe([]), prices)
        self.assertEqual(minutes, KNOWN.checks["charger_current"].minutes + board)
        # Switching it on takes its board in and its battery on, not its cover.
        asked = next(one for one in questions(believe([]), prices) if one.id == "power_up")
        for opened, more in (("opened", 0.0), ("board_out", board - cover)):
            minutes, _ = price_of_asking(asked, opened, believe([]), prices)
            self.assertEqual(minutes, KNOWN.checks["power_up"].minutes + more)


class Again(SimpleTestCase):
    def test_half_an_hour_without_a_rise_is_a_failure_of_leaving_it_on_charge(self):
        belief = believe(["start dead", "wait no_rise"])
        self.assertEqual(belief.failures, {"leave_on_charge": 1})
        cures = [
            next(term.cure for term in advise(found, Prices.of(KNOWN, 160.0)).routes if term.id == "leave_on_charge")
            for found in (believe(["start dead"]), belief)
        ]
        self.assertLess(cures[1], 0.2 * cures[0])

    def test_what_was_done_in_vain_is_not_tried(self):
        for lines in (["did swap_battery no"], ["try swap_battery no"]):
            asked = {one.id for one in questions(believe(["inside loose", *lines]), Prices.of(KNOWN, 160.0))}
            self.assertNotIn("swap_battery", asked)
        self.assertIn("swap_battery", {one.id for one in questions(believe(DROPS), Prices.of(KNOWN, 160.0))})

    def test_nothing_is_proved_where_nothing_was_done_and_something_may_be_wrong(self):
        for lines in (["port clean"], ["port clean", "i 1.3 5.0 40%"], ["port clean", "i 0.6 5.0 40%"]):
            with self.subTest(lines=lines):
                self.assertNotEqual(next_step(lines), PROVE)
        self.assertEqual(next_step([*DROPS, "did resolder_port yes"]), PROVE)


class ComeBacks(SimpleTestCase):
    BACK = (*DROPS, "did resolder_port yes", "did prove yes", "did prove no")

    def test_the_repair_that_had_worked_has_failed_and_something_is_wrong(self):
        there = believe([*DROPS, "did resolder_port yes", "did prove yes"])
        back = believe(list(self.BACK))
        self.assertGreater(there.clean, 0.8)
        self.assertLess(back.clean, 0.1)
        self.assertEqual(back.failures["resolder_port"], 1)
        self.assertEqual(Timeline([entry.event for entry in back.entries]).came_back_after, {5: "resolder_port"})
        self.assertEqual(back.faults[0][0], "port_joint")
        self.assertEqual(back.access, "outside")
        self.assertNotEqual(next_step(list(self.BACK)), "resolder_port")

    def test_another_charger_is_not_blamed_a_second_time(self):
        back = dict(believe([*DROPS, "did advise_source yes", "did prove yes", "did prove no"]).faults)
        first = dict(believe(DROPS).faults)
        self.assertLess(back["source_weak"], first["source_weak"] / 2)


class AQuestionAfterARepair(SimpleTestCase):
    def test_what_follows_a_failure_is_the_cheaper_of_the_next_repair_and_the_best_question(self):
        belief, prices = believe(["i 0.0 5.1 20%", "port worn"]), Prices.of(KNOWN, 160.0)
        table = route_table(belief, prices)
        terms = route_terms(belief, table)
        commit = min(term.total for term in terms)
        options = value_questions(belief, table, prices, commit, every_question(belief, prices))
        found = ask_after_failure(belief, table, prices, terms, options, questions(belief, prices))
        deeper = [(term, new) for term, new in zip(terms, found, strict=True) if new.then]
        self.assertTrue(deeper)
        asked = {one.id: one for one in questions(belief, prices)}
        for term, new in deeper:
            index = [act.id for act in table.acts].index(term.id)
            mass = table.states.remove(belief.mass, table.removes[index]) * (1 - table.works)
            second, reached = asked[new.then], list(KNOWN.access)[int(table.levels[index])]
            level = max(KNOWN.access[reached].level, KNOWN.access[second.access].level)
            each = [
                float(job_costs(table, (mass * row)[None], np.array([level]), np.array([index]))[0])
                for row in second.chances
            ]
            price = price_of_asking(second, reached, belief, prices)[1]
            self.assertAlmostEqual(new.later, sum(each) + price * mass.sum(), places=9)
            self.assertLess(new.later, term.later)


class WhatAQuestionWasToLeadTo(SimpleTestCase):
    def test_the_advice_is_the_same_whether_that_is_remembered_or_worked_out_again(self):
        found = Counter()
        for lines in (
            DROPS,
            ["port clean", "i 0.0 5.1 20%", "message clean", "plugline in_band"],
            ["start dead", "i 0.0 5.0"],
        ):
            prices = Prices.of(KNOWN, 160.0)
            for size in range(1, len(lines) + 1):
                belief = believe(lines[:size])
                known = THENS.recall(belief, prices, frozenset(), tuple(one.event for one in belief.entries)[:-1])
                found[known is not None] += 1
                remembered = advise(belief, prices)
                THENS.forget()
                again = advise(belief, prices)
                self.assertEqual(remembered.next, again.next, lines[:size])
        self.assertGreater(found[True], 3)


class WhatARepairHasAltered(SimpleTestCase):
    def test_a_reading_is_as_good_as_fresh_only_where_the_repair_took_away_what_it_depends_on(self):
        before, after = believe(["fit clicks"]), believe(["fit clicks", "did swap_carrier no"])
        depends = before.model.affecting("plug_fit")
        moved = {True: 0.0, False: 0.0}
        for index, chance in before.model.removes(KNOWN.routes["swap_carrier"]).items():
            moved[before.model.fault_ids[index] in depends] += chance * before.mass[1 + index]
        self.assertTrue(min(moved.values()) > 0.02)
        still = (before.mass[0] + moved[False]) / (before.mass[0] + sum(moved.values()))
        self.assertAlmostEqual(after.held["plug_fit"].share[0], still, delta=0.02)


class BackWithTheSameTrouble(SimpleTestCase):
    LINES = ["port clean", "i 0.2 5.0 20%", "wiggle drops", "joint moves", "did resolder_port yes", "did prove yes"]

    def setUp(self):
        made = case(self.LINES)
        self.model = Model(KNOWN, made.device, ())
        self.before = made.events

    def back(self, lines, earlier):
        now = replace(case(lines), earlier=earlier)
        return assess(self.model, now), now

    def test_its_fault_comes_to_the_front_and_its_repair_counts_as_failed(self):
        fresh, _ = self.back([], ())
        found, _ = self.back([], self.before)
        self.assertEqual((found.faults[0][0], found.failures["resolder_port"]), ("port_joint", 1))
        self.assertTrue(found.faults[0][1] > 0.5 > 4 * dict(fresh.faults)["port_joint"])
        self.assertLess(found.clean, 0.06)
        cures = [
            next(term.cure for term in advise(one, Prices.of(KNOWN, 160.0)).routes if term.id == "resolder_port")
            / dict(one.faults)["port_joint"]
            for one in (fresh, found)
        ]
        self.assertLess(cures[1], 0.5 * cures[0])

    def test_done_again_it_is_no_fresh_chance(self):
        before, after = (dict(self.back(lines, self.before)[0].faults) for lines in ([], ["did resolder_port"]))
        route = KNOWN.routes["resolder_port"]
        left = after["port_joint"] / before["port_joint"]
        self.assertAlmostEqual(left, 1 - route.cures["port_joint"] * route.again, places=6)

    def test_it_may_be_another_trouble_all_the_same(self):
        found = dict(self.back(["cell 0.1", "tabs 3.1", "wiggle steady"], self.before)[0].faults)
        self.assertGreater(found["cell_cut_off"], found["port_joint"])

    def test_what_is_read_now_is_weighed_on_that_and_taken_away_from_that(self):
        found, now = self.back(["wiggle steady"], self.before)
        without = dict(self.back([], self.before)[0].faults)["port_joint"]
        push = next(push for push in pushes(found, now) if push.fault == "port_joint")
        chance = dict(found.faults)["port_joint"]
        self.assertAlmostEqual(push.factor, chance / (1 - chance) / (without / (1 - without)), places=6)
        self.assertLess(push.factor, 0.5)


class WhatCanBeAsked(SimpleTestCase):
    def test_what_a_dead_device_shows_in_the_dark_is_no_good_mark(self):
        check = KNOWN.checks["runs_dark"]
        self.assertEqual([check.mark_of(grade) for grade in ("silent", "runs")], ["off", "off"])

    def test_a_device_that_stayed_dead_through_a_restart_is_not_asked_what_a_running_one_tells(self):
        running = {"screen_message", "charge_settings", "device_report", "data_link", "battery_report"}
        for lines in (["start dead"], ["start dead", "did reset_software no"]):
            found = believe(["port clean", "i 0.0 5.1", *lines])
            asked = {one.id for one in questions(found, Prices.of(KNOWN, 160.0))}
            self.assertEqual((asked & running, "runs_dark" in asked), (set(), True))
        again = believe(["port clean", "i 0.0 5.1", "start dead", "did reset_software yes"])
        self.assertLessEqual(running, {one.id for one in questions(again, Prices.of(KNOWN, 160.0))})

    def test_what_a_repair_requires_is_asked_for_in_the_order_in_which_it_speaks(self):
        screen, dark = KNOWN.routes["replace_screen_flex"], ["port clean", "i 1.2 5.0"]
        for lines, wanted in (
            (dark, ("power_up",)),
            ([*dark, "start dead"], ("runs_dark",)),
            ([*dark, "start dead", "runs runs"], ()),
            ([*dark, "start starts"], ()),
        ):
            self.assertEqual(missing_checks(screen, believe(lines)), wanted, lines)
