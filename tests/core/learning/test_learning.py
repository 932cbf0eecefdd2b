"""What a shop's closed jobs teach: shares, cures, minutes, with intervals that hold what they say."""

import math
import random
from collections import Counter

import numpy as np
from django.test import SimpleTestCase
from scipy import stats

from chargepath.base.distributions import beta_cdf, beta_quantile
from chargepath.case.entries import Case, CheckEvent, Outcome, RepairEvent
from chargepath.decision.plan import route_table
from chargepath.decision.prices import Prices
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped
from chargepath.learning.estimate import estimate, learn, median_of_counts
from chargepath.learning.examples import CURE_WORTH, SHARE_WORTH, SHOW_WORTH, Example, Timing, from_json, to_json
from chargepath.learning.overlay import apply
from chargepath.learning.tally import HARDLY, PARTS, add, from_plain, tally_of, to_plain
from tests.builders import believe, case, device

KNOWN = shipped()
PHONE = device("phone usb_c sub_board")


def example(fault="port_fouled", route="", works=True, history=(), came_back=False, timings=(), family=""):
    events = (RepairEvent(route, works),) if route else ()
    case = Case(PHONE, tuple(history), events, Outcome((fault,) if fault else (), (route,) if route else (), True))
    return Example(case, tuple(timings), family, came_back)


class Statistics(SimpleTestCase):
    def test_beta_is_scipys(self):
        for a, b in ((0.5, 0.5), (1, 3), (4.8, 35.2), (120, 7), (0.02, 40)):
            for x in (0.001, 0.1, 0.5, 0.93):
                self.assertAlmostEqual(beta_cdf(x, a, b), stats.beta.cdf(x, a, b), 10)
            for chance in (0.025, 0.5, 0.975):
                self.assertAlmostEqual(beta_quantile(chance, a, b), stats.beta.ppf(chance, a, b), 8)
        # What is smaller than any share that can be true is none: such an interval holds a cause that never came.
        self.assertEqual((beta_quantile(0.025, 0.05, 99), stats.beta.ppf(0.025, 0.05, 99) < 1e-30), (0.0, True))


class Shares(SimpleTestCase):
    def test_by_hand(self):
        weights = Model(KNOWN, PHONE).weights
        prior = float(weights[list(KNOWN.faults).index("port_fouled")] / weights.sum())
        found = learn(KNOWN, [example()] * 30 + [example("battery_worn")] * 15).shares["all"]["port_fouled"]
        self.assertAlmostEqual(found.prior, prior)
        self.assertAlmostEqual(found.here, (SHARE_WORTH * prior + 30) / (SHARE_WORTH + 45))
        self.assertTrue(found.low < found.here < found.high)

    def test_groups_by_family_kind_and_history(self):
        found = learn(KNOWN, [example(history=("pocket_carried",), family="Orvane")] * 4).shares
        self.assertEqual(set(found), {"all", "kind:phone", "family:Orvane", "history:pocket_carried"})

    def test_the_belief_follows_what_was_learned(self):
        after = apply(KNOWN, learn(KNOWN, [example("battery_worn")] * 80))
        index = list(KNOWN.faults).index("battery_worn")
        before, now = (Model(known, PHONE).weights for known in (KNOWN, after))
        self.assertGreater(now[index] / now.sum(), 1.5 * before[index] / before.sum())

    def test_counted_chances_are_drawn_apart_less_than_written_ones(self):
        ships = KNOWN.model.sharpness
        after = [apply(KNOWN, learn(KNOWN, [example()] * n)).model.sharpness for n in (0, 40, 400)]
        self.assertEqual(after[0], ships)
        self.assertTrue(ships > after[1] > after[2] > 1)
        self.assertAlmostEqual(after[2] - 1, (ships - 1) / 2)

    def test_nothing_closed_teaches_nothing(self):
        found = learn(KNOWN, [])
        self.assertEqual((found.shares, found.cures, found.jobs), ({}, {}, 0))
        self.assertEqual(apply(KNOWN, found).faults, KNOWN.faults)


class CuresAndMinutes(SimpleTestCase):
    def test_a_come_back_takes_its_success_back(self):
        good = learn(KNOWN, [example(route="clean_port")] * 20).cures["clean_port", "port_fouled"]
        bad = learn(KNOWN, [example(route="clean_port", came_back=k < 10) for k in range(20)])
        self.assertGreater(good.here, good.prior)
        self.assertAlmostEqual(
            bad.cures["clean_port", "port_fouled"].here, (CURE_WORTH * 0.88 + 10) / (CURE_WORTH + 20)
        )
        self.assertGreater(bad.comebacks["clean_port"].here, 0.3)

    def test_minutes_and_a_persons_pace(self):
        rows = [Timing("route:clean_port", 12.0, "slow")] * 12 + [Timing("route:clean_port", 6.0, "quick")] * 12
        found = learn(KNOWN, [example(timings=rows)])
        self.assertTrue(6 < found.minutes["route:clean_port"].here < 12)
        self.assertGreater(found.pace["slow"].here, 1.1)
        self.assertLess(found.pace["quick"].here, 0.9)

    def test_a_lunch_break_is_no_timing(self):
        found = learn(KNOWN, [example(timings=[Timing("route:clean_port", 95.0), Timing("route:moon", 5.0)])])
        self.assertEqual(found.minutes, {})


def seen(fault, *events):
    return Example(Case(PHONE, (), events, Outcome((fault,), (), True)))


class Showing(SimpleTestCase):
    def test_a_sign_without_its_fault_counts_for_what_shows_anyway(self):
        jobs = [seen("battery_worn", CheckEvent("port_look", signs=("lint",) if k < 12 else ())) for k in range(30)]
        found = learn(KNOWN, jobs).shows["", "port_look", "lint"]
        shipped_leak = KNOWN.checks["port_look"].leak["lint"]
        self.assertEqual((found.prior, found.count), (shipped_leak, 30))
        self.assertAlmostEqual(found.here, (SHOW_WORTH * shipped_leak + 12) / (SHOW_WORTH + 30))
        after = apply(KNOWN, learn(KNOWN, jobs)).checks["port_look"]
        self.assertAlmostEqual(after.leak["lint"], found.here)

    def test_a_reading_is_shared_between_the_fault_and_what_shows_anyway(self):
        found = learn(KNOWN, [seen("port_fouled", CheckEvent("plug_wiggle", grade="drops"))] * 30).shows
        effect, leak = (
            KNOWN.faults["port_fouled"].grades["plug_wiggle"]["drops"],
            KNOWN.checks["plug_wiggle"].leak["drops"],
        )
        # "drops" is the worse grade: it shows where either makes it. By hand: effect alone or both, over either.
        share = effect / (1 - (1 - effect) * (1 - leak))
        by_fault = found["port_fouled", "plug_wiggle", "drops"].here
        self.assertAlmostEqual(by_fault, (SHOW_WORTH * effect + 30 * share) / (SHOW_WORTH + 30))

    def test_the_chances_of_a_checks_grades_add_up_and_the_model_accepts_them(self):
        grades = ("none", "trickle", "normal", "none", "cycling")
        jobs = [seen("guard_open", CheckEvent("charger_current", grade=grade)) for grade in grades * 8]
        after = apply(KNOWN, learn(KNOWN, jobs))
        self.assertAlmostEqual(sum(after.checks["charger_current"].leak.values()), 1.0, 6)
        table = Model(after, PHONE).table(after.checks["charger_current"])
        np.testing.assert_allclose(table.sum(axis=1), 1.0)
        # What the fault cannot do is put down to what shows anyway.
        self.assertNotIn("cycling", after.faults["guard_open"].grades["charger_current"])
        self.assertGreater(
            after.checks["charger_current"].leak["cycling"], KNOWN.checks["charger_current"].leak["cycling"]
        )

    def test_two_faults_at_once_and_readings_after_a_repair_teach_nothing_here(self):
        after = seen("port_fouled", RepairEvent("clean_port", False), CheckEvent("plug_wiggle", grade="drops"))
        both = Example(Case(PHONE, (), (CheckEvent("plug_wiggle", grade="drops"),), Outcome(("a", "b"), (), True)))
        self.assertEqual(learn(KNOWN, [after, both]).shows, {})

    def test_what_somebody_else_repaired_before_does_not_hide_what_was_read_here(self):
        read = (CheckEvent("port_look"), CheckEvent("plug_wiggle", grade="drops"))
        alone = seen("port_fouled", *read)
        entered_last = seen("port_fouled", *read, RepairEvent("clean_port", other=True))
        entered_first = seen("port_fouled", RepairEvent("clean_port", other=True), *read)
        self.assertGreater(len(learn(KNOWN, [alone]).shows), 1)
        for after in (entered_last, entered_first):
            self.assertEqual(set(learn(KNOWN, [after]).shows), set(learn(KNOWN, [alone]).shows))

    def test_true_chances_are_found_again(self):
        rng, jobs = np.random.default_rng(3), []
        for _ in range(600):
            lint = rng.random() < 0.45
            jobs.append(seen("battery_worn", CheckEvent("port_look", signs=("lint",) if lint else ())))
        found = learn(KNOWN, jobs).shows["", "port_look", "lint"]
        self.assertTrue(found.low < 0.45 < found.high)
        self.assertGreater(found.low, found.prior)


class OneByOne(SimpleTestCase):
    def jobs(self):
        rng, names = random.Random(8), ["port_fouled", "battery_worn", "port_joint", "port_worn"]
        for number in range(120):
            look = CheckEvent("port_look", signs=("lint",) if rng.random() < 0.5 else ())
            events = (look, CheckEvent("plug_wiggle", grade=rng.choice(("steady", "drops"))))
            route = rng.choice(("clean_port", "swap_carrier", "replace_port"))
            faults = tuple(rng.sample(names, rng.choice((1, 1, 2, 3))))
            where = rng.choice(("phone usb_c sub_board", "tablet micro_b none", "phone eight_pad flex"))
            events = (*events, RepairEvent(route, rng.random() < 0.7))
            case = Case(device(where), ("pocket_carried",) * (number % 2), events, Outcome(faults, (route,), True))
            rows = [Timing(f"route:{route}", rng.uniform(4, 30), rng.choice("ab")) for _ in range(3)]
            yield Example(case, tuple(rows), rng.choice(("Orvane", "Tarn")), rng.random() < 0.1)

    def test_added_in_any_order_withdrawn_and_added_again_is_as_from_scratch(self):
        jobs = [tally_of(KNOWN, [job]) for job in self.jobs()]
        total = Counter()
        for number in random.Random(3).sample(range(120), 120):
            add(total, jobs[number])
        for number in (5, 77, 5, 12):
            add(total, jobs[number], -1)
            total = from_plain(to_plain(total))
            add(total, jobs[number])
        scratch = learn(KNOWN, list(self.jobs()))
        self.assertEqual(to_json(estimate(KNOWN, total)), to_json(scratch))
        add(total, jobs[0], -1)
        self.assertNotEqual(to_json(estimate(KNOWN, total)), to_json(scratch))

    def test_nothing_is_left_of_what_was_withdrawn(self):
        total = Counter()
        for sign in (1, -1):
            for job in self.jobs():
                add(total, tally_of(KNOWN, [job]), sign)
        self.assertEqual(total, Counter())

    def test_the_median_is_numpys(self):
        rng = random.Random(2)
        for size in (1, 2, 7, 40):
            values = [rng.choice((-0.4, 0.1, 0.2, 0.7)) for _ in range(size)]
            self.assertAlmostEqual(median_of_counts(Counter(values)), float(np.median(values)))


class TwoFaultsAtOnce(SimpleTestCase):
    def test_a_reading_teaches_of_the_one_that_it_can_speak_of_and_none_where_both_do(self):
        lines = ["port lint", "report erratic", "wait no_rise", "tester power"]
        read = case(lines).events
        found = Outcome(("port_fouled", "battery_worn"), (), True)
        out = tally_of(KNOWN, [Example(Case(PHONE, (), read, found))])
        shown = {key[1:] for key in out if key[0] == "shown" and key[1]}
        self.assertEqual(
            shown, {("port_fouled", "port_look"), ("port_fouled", "port_tester"), ("battery_worn", "battery_report")}
        )
        alone = tally_of(KNOWN, [Example(Case(PHONE, (), read[:1], Outcome(("port_fouled",), (), True)))])
        of_look = {key: count for key, count in out.items() if key[0] == "shows" and key[2] == "port_look"}
        self.assertEqual(of_look, {key: count for key, count in alone.items() if key[0] == "shows"})


class InTheAdvice(SimpleTestCase):
    def test_a_models_own_share_moves_its_belief_and_no_other(self):
        jobs = [example("battery_worn", family="Orvane")] * 30 + [example("port_fouled", family="Tarn")] * 30
        found = from_json(to_json(learn(KNOWN, jobs)))
        index = list(KNOWN.faults).index("battery_worn")
        shares = {}
        for family in ("", "Orvane", "Tarn", "never seen"):
            weights = Model(apply(KNOWN, found, family), PHONE).weights
            shares[family] = weights[index] / weights.sum()
        self.assertTrue(shares["Orvane"] > 1.3 * shares[""] > 1.3 * 1.3 * shares["Tarn"])
        self.assertEqual(shares[""], shares["never seen"])

    def test_what_the_first_version_kept_still_reads(self):
        found = learn(KNOWN, [example(route="clean_port", timings=[Timing("check:port_look", 3.0)] * 5)] * 4)
        first = to_json(found) | {
            "version": 1,
            "cures": {" ".join(key): [n.prior, n.here, n.low, n.high, n.count] for key, n in found.cures.items()},
            "minutes": {key: [n.prior, n.here, n.low, n.high, n.count] for key, n in found.minutes.items()},
            "shares": {},
            "comebacks": {},
            "shows": {},
        }
        again = from_json(first)
        for table, kept in ((again.cures, found.cures), (again.minutes, found.minutes)):
            self.assertEqual(set(table), set(kept))
            for key, n in table.items():
                self.assertAlmostEqual(n.low, kept[key].low)
                self.assertAlmostEqual(n.high, kept[key].high)

    def test_a_repair_that_comes_back_oftener_is_priced_dearer_by_as_much(self):
        belief = believe(["i 0.0 5.1 20%"])
        tables = [route_table(belief, Prices.of(KNOWN, 160.0, comebacks=rates)) for rates in ({}, {"clean_port": 2.0})]
        ratio = tables[1].comeback / tables[0].comeback
        at = [act.id for act in tables[0].acts].index("clean_port")
        self.assertAlmostEqual(ratio[at], 2.0)
        self.assertEqual(set(np.delete(ratio, at)), {1.0})


class HandedOn(SimpleTestCase):
    """A device whose fault was never found: a failed repair counts by the chance that its fault was there."""

    LINES = ("port lint", "i 0.02 5.0 20%", "did clean_port no")

    def example(self, *lines, named=(), works=False):
        made = case(list(lines or self.LINES))
        return Example(Case(made.device, made.history, made.events, Outcome(tuple(named), (), works)))

    def test_teaches_by_what_its_readings_and_its_failed_repairs_make_likely_whatever_was_named(self):
        chances = {name: chance for name, chance in believe(list(self.LINES)).faults if chance >= HARDLY}
        tally = tally_of(KNOWN, [self.example()])
        self.assertEqual(tally, tally_of(KNOWN, [self.example(named=("rail_short",))]))
        shares = {key[2]: count / PARTS for key, count in tally.items() if key[:2] == ("found", "all")}
        whole = sum(chances.values())
        self.assertEqual(set(shares), set(chances))
        self.assertAlmostEqual(shares["port_fouled"], chances["port_fouled"] / whole, places=8)
        self.assertAlmostEqual(sum(shares.values()), 1, places=7)
        vain = {key[1:3]: count / PARTS for key, count in tally.items() if key[0] == "vain"}
        self.assertAlmostEqual(vain["clean_port", "port_fouled"], chances["port_fouled"], places=8)
        self.assertNotIn(("clean_port", "battery_worn"), vain)
        self.assertFalse([key for key in tally if key[0] in ("shown", "cured", "uncured", "stayed")])

    def test_a_repair_that_only_its_successes_teach_of_is_taken_for_too_good(self):
        rng = random.Random(3)
        solved = [example("port_fouled", "clean_port") for _ in range(60) if rng.random() < 0.5]
        unsolved = [self.example("port lint", "flip one_side", "i 0.02 5.0 20%", "did clean_port no")] * (
            60 - len(solved)
        )
        true, alone = (learn(KNOWN, jobs).cures["clean_port", "port_fouled"] for jobs in (solved + unsolved, solved))
        self.assertGreater(alone.low, 0.8)
        self.assertLess(true.here, alone.here - 0.1)
        self.assertLess(true.count, 60)


class Intervals(SimpleTestCase):
    def test_hold_the_true_rates_of_simulated_shops_in_95_of_100_numbers(self):
        weights = Model(KNOWN, PHONE).weights
        prior, names = weights / weights.sum(), list(KNOWN.faults)
        rng, held, asked = np.random.default_rng(5), 0, 0
        picker = random.Random(5)
        for _ in range(200):
            truth, cure = rng.dirichlet(SHARE_WORTH * prior), rng.beta(CURE_WORTH * 0.88, CURE_WORTH * 0.12)
            log_minutes = rng.normal(0, 0.5 / math.sqrt(4))
            jobs = []
            for _ in range(60):
                fault = names[int(rng.choice(len(names), p=truth))]
                timing = Timing("route:clean_port", 6.0 * math.exp(log_minutes + rng.normal(0, 0.3)))
                route = "clean_port" if fault == "port_fouled" else ""
                jobs.append(example(fault, route, picker.random() < cure, timings=(timing,)))
            found = learn(KNOWN, jobs)
            for number, true in zip(found.shares["all"].values(), truth, strict=True):
                held, asked = held + (number.low <= true <= number.high), asked + 1
            for number, true in (
                (found.cures.get(("clean_port", "port_fouled")), cure),
                (found.minutes["route:clean_port"], 6.0 * math.exp(log_minutes)),
            ):
                if number:
                    held, asked = held + (number.low <= true <= number.high), asked + 1
        self.assertGreaterEqual(held / asked, 0.93)
