"""What a shop's closed jobs teach: shares, cures, minutes, with intervals that hold what they say."""

import math
import random

import numpy as np
from django.test import SimpleTestCase
from scipy import stats

from chargepath.casefile import Case, Outcome, RepairEvent
from chargepath.knowledge import shipped
from chargepath.learning import (
    CURE_WORTH,
    SHARE_WORTH,
    Lesson,
    Timing,
    apply,
    beta_cdf,
    beta_quantile,
    learn,
    said,
)
from chargepath.model import Model
from tests.builders import device

KNOWN = shipped()
PHONE = device("phone usb_c sub_board")


def lesson(fault="port_fouled", route="", works=True, history=(), came_back=False, timings=(), family=""):
    events = (RepairEvent(route, works),) if route else ()
    case = Case(PHONE, tuple(history), events, Outcome((fault,) if fault else (), (route,) if route else (), works))
    return Lesson(case, tuple(timings), family, came_back)


class Statistics(SimpleTestCase):
    def test_beta_is_scipys(self):
        for a, b in ((0.5, 0.5), (1, 3), (4.8, 35.2), (120, 7), (0.02, 40)):
            for x in (0.001, 0.1, 0.5, 0.93):
                self.assertAlmostEqual(beta_cdf(x, a, b), stats.beta.cdf(x, a, b), 10)
            for chance in (0.025, 0.5, 0.975):
                self.assertAlmostEqual(beta_quantile(chance, a, b), stats.beta.ppf(chance, a, b), 8)


class Shares(SimpleTestCase):
    def test_by_hand(self):
        weights = Model(KNOWN, PHONE).weights
        prior = float(weights[list(KNOWN.faults).index("port_fouled")] / weights.sum())
        found = learn(KNOWN, [lesson()] * 30 + [lesson("battery_worn")] * 15).shares["all"]["port_fouled"]
        self.assertAlmostEqual(found.shipped, prior)
        self.assertAlmostEqual(found.here, (SHARE_WORTH * prior + 30) / (SHARE_WORTH + 45))
        self.assertTrue(found.low < found.here < found.high)
        self.assertRegex(said(KNOWN.faults["port_fouled"], found), r"shipped \d+%, here \d+% \(.*\) from 45 jobs")

    def test_groups_by_family_kind_and_history(self):
        found = learn(KNOWN, [lesson(history=("pocket_carried",), family="Orvane")] * 4).shares
        self.assertEqual(set(found), {"all", "kind:phone", "family:Orvane", "history:pocket_carried"})

    def test_the_belief_follows_what_was_learned(self):
        after = apply(KNOWN, learn(KNOWN, [lesson("battery_worn")] * 80))
        index = list(KNOWN.faults).index("battery_worn")
        before, now = (Model(known, PHONE).weights for known in (KNOWN, after))
        self.assertGreater(now[index] / now.sum(), 1.5 * before[index] / before.sum())

    def test_nothing_closed_teaches_nothing(self):
        found = learn(KNOWN, [])
        self.assertEqual((found.shares, found.cures, found.jobs), ({}, {}, 0))
        self.assertEqual(apply(KNOWN, found).faults, KNOWN.faults)


class CuresAndMinutes(SimpleTestCase):
    def test_a_come_back_takes_its_success_back(self):
        good = learn(KNOWN, [lesson(route="clean_port")] * 20).cures["clean_port", "port_fouled"]
        bad = learn(KNOWN, [lesson(route="clean_port", came_back=k < 10) for k in range(20)])
        self.assertGreater(good.here, good.shipped)
        self.assertAlmostEqual(
            bad.cures["clean_port", "port_fouled"].here, (CURE_WORTH * 0.88 + 10) / (CURE_WORTH + 20)
        )
        self.assertGreater(bad.comebacks["clean_port"].here, 0.3)

    def test_minutes_and_a_persons_pace(self):
        rows = [Timing("route:clean_port", 12.0, "slow")] * 12 + [Timing("route:clean_port", 6.0, "quick")] * 12
        found = learn(KNOWN, [lesson(timings=rows)])
        self.assertTrue(6 < found.minutes["route:clean_port"].here < 12)
        self.assertGreater(found.pace["slow"].here, 1.1)
        self.assertLess(found.pace["quick"].here, 0.9)

    def test_a_lunch_break_is_no_timing(self):
        found = learn(KNOWN, [lesson(timings=[Timing("route:clean_port", 95.0), Timing("route:moon", 5.0)])])
        self.assertEqual(found.minutes, {})


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
                jobs.append(lesson(fault, route, picker.random() < cure, timings=(timing,)))
            found = learn(KNOWN, jobs)
            for number, true in zip(found.shares["all"].values(), truth, strict=True):
                held, asked = held + (number.low <= true <= number.high), asked + 1
            for number, true in ((found.cures.get(("clean_port", "port_fouled")), cure),
                                 (found.minutes["route:clean_port"], 6.0 * math.exp(log_minutes))):  # fmt: skip
                if number:
                    held, asked = held + (number.low <= true <= number.high), asked + 1
        self.assertGreaterEqual(held / asked, 0.945)
