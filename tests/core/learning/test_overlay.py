"""Each thing that is learned, put on top of the knowledge: by how much it moves what, worked by hand."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.case.entries import Case, CheckEvent, Outcome, RepairEvent
from chargepath.knowledge.changes import Change
from chargepath.knowledge.loader import load, shipped
from chargepath.learning.betas import LEVEL, LearnedNumber, learned_share
from chargepath.learning.estimate import learn, log_normal, minutes_on
from chargepath.learning.examples import CURE_WORTH, MINUTES_WORTH, Estimates, Example, Timing
from chargepath.learning.overlay import HEDGE_WORTH, apply
from chargepath.learning.tally import TIMING_HIGH, TIMING_LOW
from tests.builders import device

KNOWN = shipped()
NOTHING = Estimates(shares={}, cures={}, comebacks={}, minutes={}, pace={}, jobs=0)


def moved(prior, here, count=10):
    return LearnedNumber(prior, here, count, CURE_WORTH)


def repaired(*routes, carrier="sub_board", fault="port_fouled", came_back=False):
    """A closed job with those repairs, each (route, works)."""
    events = tuple(RepairEvent(route, works) for route, works in routes)
    made = Case(device(f"phone usb_c {carrier}"), (), events, Outcome((fault,), tuple(r for r, _ in routes), True))
    return Example(made, came_back=came_back)


class Weights(SimpleTestCase):
    def test_all_jobs_move_the_weight_and_a_group_moves_its_factor_against_them(self):
        shares = {
            "all": {"port_joint": moved(0.10, 0.15)},
            "history:drop": {"port_joint": moved(0.20, 0.60)},
            "kind:tablet": {"port_joint": moved(0.10, 0.10)},
        }
        fault, before = apply(KNOWN, replace(NOTHING, shares=shares)).faults["port_joint"], KNOWN.faults["port_joint"]
        self.assertAlmostEqual(fault.weight, before.weight * 1.5)
        told = before.factors["history"]["drop"]
        self.assertNotEqual(told, 1.0)
        self.assertAlmostEqual(fault.factors["history"]["drop"], told * 3 / 1.5)
        self.assertAlmostEqual(fault.factors["kind"]["tablet"], before.factors["kind"].get("tablet", 1.0) / 1.5)

    def test_a_models_own_share_stands_in_for_all(self):
        shares = {"all": {"port_joint": moved(0.1, 0.15)}, "family:Orvane D2": {"port_joint": moved(0.1, 0.4)}}
        estimates = replace(NOTHING, shares=shares)
        weights = [apply(KNOWN, estimates, family).faults["port_joint"].weight for family in ("", "Orvane D2")]
        self.assertAlmostEqual(weights[1] / weights[0], 4 / 1.5)

    def test_written_chances_are_hedged_half_as_much_after_so_many_jobs(self):
        after = apply(KNOWN, replace(NOTHING, jobs=int(HEDGE_WORTH))).model.sharpness
        self.assertAlmostEqual(after - 1, (KNOWN.model.sharpness - 1) / 2)


class Cures(SimpleTestCase):
    def test_each_carriers_own_chance_is_the_prior_and_the_counts_are_shared(self):
        flex = KNOWN.routes["swap_carrier"].cures_on("flex")["link_loose"]
        estimates = learn(
            KNOWN, [repaired(("swap_carrier", False), ("swap_carrier", True), carrier="flex", fault="link_loose")]
        )
        found = estimates.cures["swap_carrier", "link_loose"]
        self.assertAlmostEqual(found.here, (CURE_WORTH * flex + 1) / (CURE_WORTH + 2))
        after = apply(KNOWN, estimates).routes["swap_carrier"]
        self.assertAlmostEqual(after.cures_on("flex")["link_loose"], found.here)
        self.assertNotIn("link_loose", after.cures_on("sub_board"))

    def test_the_prior_is_the_mean_over_the_carriers_that_were_repaired_in_any_order(self):
        known = load(changes=[Change("routes.swap_carrier.plan_cures.flex.link_loose", 0.50)])
        route = replace(known.routes["swap_carrier"], cures={**known.routes["swap_carrier"].cures, "link_loose": 0.90})
        known = replace(known, routes={**known.routes, "swap_carrier": route})
        jobs = [repaired(("swap_carrier", True), carrier=name, fault="link_loose") for name in ("sub_board", "flex")]
        for order in (jobs, jobs[::-1]):
            estimates = learn(known, order)
            self.assertAlmostEqual(estimates.cures["swap_carrier", "link_loose"].prior, 0.70)
            after = apply(known, estimates).routes["swap_carrier"]
            for carrier, prior in (("sub_board", 0.90), ("flex", 0.50)):
                expected = (CURE_WORTH * prior + 2) / (CURE_WORTH + 2)
                self.assertAlmostEqual(after.cures_on(carrier)["link_loose"], expected, places=6)

    def test_a_come_back_undoes_the_last_success_not_the_first(self):
        example = repaired(("swap_carrier", True), ("clean_port", True), came_back=True)
        found = learn(KNOWN, [example])
        self.assertGreater(
            found.cures["swap_carrier", "port_fouled"].here, found.cures["swap_carrier", "port_fouled"].prior
        )
        self.assertEqual(list(found.comebacks), ["clean_port"])
        self.assertGreater(found.comebacks["clean_port"].here, found.comebacks["clean_port"].prior)
        alone = learn(KNOWN, [repaired(("clean_port", True), came_back=True)])
        self.assertLess(alone.cures["clean_port", "port_fouled"].here, alone.cures["clean_port", "port_fouled"].prior)

    def test_a_number_set_by_hand_after_the_jobs_is_their_prior(self):
        estimates = learn(KNOWN, [repaired(("clean_port", True))] * 3)
        path = "routes.clean_port.cures.port_fouled"
        for value in (0.2, 0.4, 0.9):
            cure = apply(load(changes=[Change(path, value)]), estimates).routes["clean_port"].cures["port_fouled"]
            self.assertAlmostEqual(cure, (CURE_WORTH * value + 3) / (CURE_WORTH + 3), places=6)


class Minutes(SimpleTestCase):
    def test_timings_beyond_a_fifth_and_five_times_are_left_out(self):
        usual = KNOWN.routes["clean_port"].minutes
        timings = [Timing("route:clean_port", usual * times) for times in (0.19, 0.21, 1.0, 4.9, 5.1)]
        example = replace(repaired(("clean_port", True)), timings=tuple(timings))
        self.assertEqual(learn(KNOWN, [example]).minutes["route:clean_port"].count, 3)
        self.assertEqual((TIMING_LOW, TIMING_HIGH), (0.2, 5.0))

    def test_minutes_set_by_hand_are_the_prior_of_the_same_timings(self):
        found = log_normal(10.0, {0.5: 6})
        again = log_normal(4.0, {0.5 + 0.9162907: 6})
        self.assertAlmostEqual(minutes_on(found, 4.0), again.here, places=5)
        self.assertAlmostEqual(minutes_on(found, 10.0), found.here)
        self.assertEqual(MINUTES_WORTH, 4.0)


class Intervals(SimpleTestCase):
    def test_nineteen_of_twenty(self):
        self.assertEqual(LEVEL, 0.95)
        found = learned_share(0.5, 20, 20, 40)
        # A normal distribution of the same spread: 0.5 ± 1.96 · sqrt(0.25 / 61).
        self.assertAlmostEqual(found.high - found.low, 2 * 1.96 * (0.25 / 61) ** 0.5, delta=0.004)


class Shown(SimpleTestCase):
    def test_a_grade_under_the_worst_is_shared_between_the_fault_and_what_shows_anyway(self):
        # The middle grade comes of the fault (with a leak no worse) or of the leak (with the fault no worse).
        made = Case(
            device("phone usb_c sub_board"),
            (),
            (CheckEvent("charger_current", grade="reduced"),),
            Outcome(("port_worn",), (), True),
        )
        shows = learn(KNOWN, [Example(made)] * 50).shows
        fault = {
            name: found for (who, key, name), found in shows.items() if (who, key) == ("port_worn", "charger_current")
        }
        anyway = {name: found for (who, key, name), found in shows.items() if (who, key) == ("", "charger_current")}
        self.assertGreater(fault["reduced"].here, fault["reduced"].prior)
        self.assertLess(fault["none"].here, fault["none"].prior)
        self.assertGreater(anyway["reduced"].here, anyway["reduced"].prior)
        self.assertAlmostEqual(sum(found.here for found in fault.values()), 1.0, delta=0.02)
        effect = KNOWN.faults["port_worn"].grades["charger_current"]
        healthy = 1 - sum(effect.values())
        leak = KNOWN.checks["charger_current"].leak
        by_fault = effect["reduced"] * (leak["normal"] + leak["high"] + leak["reduced"])
        by_leak = leak["reduced"] * healthy
        share = by_fault / (by_fault + by_leak)
        self.assertAlmostEqual(fault["reduced"].here, (20 * effect["reduced"] + 50 * share) / 70, places=6)
