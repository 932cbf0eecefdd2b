"""The ratio rule against brute force, and what the advice promises."""

from itertools import permutations
from random import Random

import numpy as np
from django.test import SimpleTestCase

from chargepath.decision.acts import Act
from chargepath.decision.advice import advise
from chargepath.decision.kernel import get_ready, ratio_rule
from chargepath.decision.plan import CuredBy, RouteTable, job_costs, plan, route_table, route_terms
from chargepath.decision.prices import Prices
from chargepath.decision.questions import questions
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import build_states
from chargepath.knowledge.loader import shipped
from tests.builders import case
from tests.core.decision.plain_plan import plain_plan


def free_act(name: str) -> Act:
    """An act whose cost stands in the table alone."""
    return Act(id=name, minutes=0.0, opening_minutes=0.0, labour=0.0, part=0.0, harm=0.0, waiting=0.0, days=0.0)


def single_fault_table(rng: Random, n_routes: int) -> tuple[RouteTable, np.ndarray]:
    """One fault a route, imperfect cures, no opening, a referral so dear that it comes last."""
    states = build_states(n_routes)
    cures = [rng.uniform(0.4, 1.0) for _ in range(n_routes)]
    removes = tuple({index: cure} for index, cure in enumerate(cures))
    clean = np.zeros(n_routes)
    columns = []
    for index, cure in enumerate(cures):
        only = clean.copy()
        only[index] = cure
        columns.append(states.product(only))
    works = (np.arange(len(states)) == 0).astype(float)
    table = RouteTable(
        acts=tuple(free_act(f"r{i}") for i in range(n_routes)),
        states=states,
        cured=CuredBy(removes, np.stack(columns, axis=1)),
        act_cost=np.array([rng.uniform(1, 60) for _ in range(n_routes)]),
        levels=np.zeros(n_routes, dtype=np.int64),
        works=works,
        opening=np.zeros(1),
        comeback=np.zeros(n_routes),
        value=10_000.0,
        refer=free_act("refer"),
    )
    mass = np.zeros(len(states))
    weights = np.array([rng.random() + 0.01 for _ in range(n_routes)])
    for index, weight in enumerate(weights / weights.sum()):
        mass[states.index[frozenset([index])]] = weight
    return table, mass


def cost_of_order(table: RouteTable, mass: np.ndarray, order: tuple[int, ...]) -> float:
    """Expected cost of one fixed order, by hand: pay while it still fails, hand on where that is best."""
    chance = [mass[table.states.index[frozenset([i])]] for i in range(len(table.acts))]
    cured = [chance[i] * table.removes[i][i] for i in range(len(table.acts))]
    left, spent, best = 1.0, 0.0, table.value
    for route in order:
        spent += left * table.act_cost[route]
        left -= cured[route]
        best = min(best, spent + left * table.value)
    return best


class RatioRule(SimpleTestCase):
    def test_is_the_best_of_all_orders_for_single_faults(self):
        for seed in range(60):
            rng = Random(seed)
            table, mass = single_fault_table(rng, rng.randint(2, 6))
            best = min(cost_of_order(table, mass, order) for order in permutations(range(len(table.acts))))
            found = plan(table, mass[None, :], np.zeros(1, dtype=np.int64))
            with self.subTest(seed=seed):
                self.assertAlmostEqual(float(found.cost[0]), best, places=8)

    def test_hands_on_where_going_on_costs_more_than_the_device(self):
        table, mass = single_fault_table(Random(1), 3)
        cheap = RouteTable(**{**vars(table), "value": 0.5})
        found = plan(cheap, mass[None, :], np.zeros(1, dtype=np.int64))
        self.assertEqual((int(found.stop[0]), round(float(found.cost[0]), 9)), (0, 0.5))


def random_table(rng: Random, n_faults: int, n_routes: int) -> tuple[RouteTable, np.ndarray]:
    """Faults in pairs, routes that cure several behind three levels of opening, proofs that some faults pass."""
    states = build_states(n_faults)
    removes = tuple(
        {index: rng.uniform(0.3, 1.0) for index in rng.sample(range(n_faults), rng.randint(0, 2))}
        for _ in range(n_routes)
    )
    each = [[cures.get(index, 0.0) for index in range(n_faults)] for cures in removes]
    passes = np.array([rng.uniform(0.0, 0.4) for _ in range(n_faults)])
    table = RouteTable(
        acts=tuple(free_act(f"r{i}") for i in range(n_routes)),
        states=states,
        cured=CuredBy(removes, np.stack([states.product(np.array(chances)) for chances in each], axis=1)),
        act_cost=np.array([rng.uniform(2, 60) for _ in range(n_routes)]),
        levels=np.array([rng.randint(0, 2) for _ in range(n_routes)], dtype=np.int64),
        works=0.97 * states.product(passes) + 0.005,
        opening=np.array([0.0, rng.uniform(5, 20), rng.uniform(20, 40)]),
        comeback=np.array([rng.uniform(20, 80) for _ in range(n_routes)]),
        value=rng.uniform(60, 400),
        refer=Act(
            id="refer",
            minutes=0.0,
            opening_minutes=0.0,
            labour=rng.uniform(1, 10),
            part=0.0,
            harm=0.0,
            waiting=0.0,
            days=0.0,
        ),
    )
    mass = np.array([rng.random() for _ in range(len(states))])
    return table, mass / mass.sum()


def worth_by_hand(table: RouteTable, mass: dict[frozenset, float], level: int, left: tuple[int, ...]) -> float:
    """The ratio rule spelt out over sets of faults, without arrays: what the rest of a job costs, by its mass."""
    whole = sum(mass.values())
    hand_on = whole * table.refer.labour + table.value * sum(p for faults, p in mass.items() if faults)
    if not left:
        return hand_on

    def price(route: int) -> float:
        return table.act_cost[route] + max(table.opening[table.levels[route]] - table.opening[level], 0.0)

    def cures(route: int) -> float:
        total = 0.0
        for faults, p in mass.items():
            for fault in faults:
                p *= table.removes[route].get(fault, 0.0)
            total += p
        return total

    route = max(left, key=lambda one: (cures(one) / price(one), -one))
    after: dict[frozenset, float] = {}
    for faults, p in mass.items():
        ways = [(frozenset(), p)]
        for fault in faults:
            gone = table.removes[route].get(fault, 0.0)
            ways = [
                way for kept, chance in ways for way in ((kept, chance * gone), (kept | {fault}, chance * (1 - gone)))
            ]
        for kept, chance in ways:
            after[kept] = after.get(kept, 0.0) + chance
    works = {faults: table.works[table.states.index[faults]] for faults in after}
    wrong = sum(p * works[faults] for faults, p in after.items() if faults)
    failed = {faults: p * (1 - works[faults]) for faults, p in after.items()}
    rest = tuple(one for one in left if one != route)
    going_on = whole * price(route) + wrong * table.comeback[route]
    going_on += table.spared * (sum(wrong_or_not(after, works).values()))
    going_on += worth_by_hand(table, failed, max(level, int(table.levels[route])), rest)
    return min(hand_on, going_on)


def wrong_or_not(after, works):
    """What passes a proof after a repair, by what is left."""
    return {faults: p * works[faults] for faults, p in after.items()}


class ThePlanSpeltOut(SimpleTestCase):
    def test_many_beliefs_at_once_cost_what_the_whole_plan_says_within_a_few_cents(self):
        for lines in (["i 0.0 5.1 20%", "port clean"], ["start dead", "cell 3.2"], ["lines 120/600"]):
            made = case(lines)
            belief = assess(Model(shipped(), made.device, made.history), made)
            table = route_table(belief, Prices.of(shipped(), 160.0))
            asked = questions(belief, Prices.of(shipped(), 160.0))
            mass = np.concatenate([belief.mass * question.chances for question in asked])
            paid = np.zeros(len(mass), dtype=np.int64)
            whole, quick = plan(table, mass, paid).cost, job_costs(table, mass, paid)
            with self.subTest(lines=lines):
                np.testing.assert_allclose(quick, whole, atol=0.05)
                self.assertTrue((quick >= whole - 0.02).all())

    def test_the_compiled_rule_is_the_one_written_for_reading(self):
        for lines in (
            ["i 0.0 5.1 20%", "port clean"],
            ["start dead", "cell 3.2"],
            ["lines 120/600", "did clean_port no"],
        ):
            made = case(lines)
            belief = assess(Model(shipped(), made.device, made.history), made)
            table = route_table(belief, Prices.of(shipped(), 160.0))
            mass = np.concatenate([belief.mass * one.chances for one in questions(belief, Prices.of(shipped(), 160.0))])
            paid = np.arange(len(mass)) % 3
            failed = np.arange(len(mass)) % (len(table.acts) + 1) - 1
            for hardly_pays, again in ((-1.0, None), (0.4, None), (-1.0, failed), (0.4, failed)):
                found = plan(table, mass, paid, hardly_pays, again)
                cost, order, stop = plain_plan(table, mass, paid, hardly_pays, again)
                with self.subTest(lines=lines, hardly_pays=hardly_pays):
                    np.testing.assert_allclose(found.cost, cost, rtol=1e-12)
                    np.testing.assert_array_equal(found.stop, stop)
                    for row, end in enumerate(stop):
                        np.testing.assert_array_equal(found.order[row, :end], order[row, :end])

    def test_committing_to_the_rules_first_repair_costs_what_the_rule_costs(self):
        # Whatever is done first, what follows is not the same repair again as if it were a fresh chance.
        for lines in (["i 0.0 5.1 20%", "port clean"], ["start dead", "cell 3.2"], ["inside disturbed", "cell 3.8"]):
            made = case(lines)
            belief = assess(Model(shipped(), made.device, made.history), made)
            table = route_table(belief, Prices.of(shipped(), 400.0))
            found = plan(table, belief.mass[None, :], np.array([shipped().access[belief.access].level]))
            first = table.acts[int(found.order[0, 0])].id
            total = next(term.total for term in route_terms(belief, table) if term.id == first)
            with self.subTest(lines=lines, first=first):
                self.assertGreater(int(found.stop[0]), 0)
                self.assertAlmostEqual(total, float(found.cost[0]), delta=0.05)

    def test_the_rule_is_compiled_once_for_all_beliefs(self):
        get_ready()
        self.assertEqual(len(ratio_rule.signatures), 1)

    def test_openings_come_backs_pairs_and_handing_on_as_worked_by_hand(self):
        for seed in range(40):
            rng = Random(seed)
            table, mass = random_table(rng, rng.randint(2, 4), rng.randint(1, 6))
            level = rng.randint(0, 2)
            by_hand = worth_by_hand(
                table, dict(zip(table.states.sets, mass, strict=True)), level, tuple(range(len(table.acts)))
            )
            found = plan(table, np.stack([mass, 3 * mass]), np.array([level, level]))
            with self.subTest(seed=seed):
                self.assertAlmostEqual(float(found.cost[0]), by_hand, places=9)
                self.assertAlmostEqual(float(found.cost[1]), 3 * by_hand, places=8)


class AdviceOnTheShippedKnowledge(SimpleTestCase):
    def advise(self, lines, words="phone usb_c sub_board", history=(), value=None):
        made = case(lines, words, history)
        belief = assess(Model(shipped(), made.device, made.history), made)
        return advise(belief, Prices.of(shipped(), made.device.value if value is None else value)), belief

    def test_a_seen_and_felt_fouled_port_is_cleaned_not_measured_further(self):
        advice, _ = self.advise(["i 0.0 5.1 20%", "port lint plug_proud", "wiggle drops"], history=("pocket_carried",))
        self.assertEqual((advice.next.kind, advice.next.id), ("repair", "clean_port"))

    def test_thin_evidence_is_measured_before_the_device_is_opened_up(self):
        advice, _ = self.advise(["i 0.08 5.1 12%"])
        self.assertIn(advice.next.kind, ("check", "try"))
        self.assertGreater(advice.next.saves, shipped().costs.tie)

    def test_a_worthless_device_is_handed_on(self):
        advice, _ = self.advise(["rail 2/400", "idle 1.0"], value=5)
        self.assertEqual(advice.next.id, "refer")

    def test_an_opening_is_paid_once(self):
        closed, _ = self.advise(["i 0.0 5.1 20%"])
        opened, _ = self.advise(["i 0.0 5.1 20%", "inside clean"])
        swap = [next(t for t in advice.routes if t.id == "swap_carrier") for advice in (closed, opened)]
        self.assertEqual(swap[0].act.minutes - swap[1].act.minutes, shipped().access["opened"].open_minutes)

    def test_outcome_chances_of_every_option_add_up_and_totals_average(self):
        advice, _ = self.advise(["i 0.02 5.1 3%", "port clean"], words="phone usb_c flex wireless")
        for option in advice.options:
            with self.subTest(option=option.id):
                self.assertAlmostEqual(sum(o.chance for o in option.outcomes), 1.0, places=9)
                after = sum(o.chance * o.total for o in option.outcomes)
                self.assertAlmostEqual(option.cost + after, option.total, places=6)

    def test_nothing_is_asked_twice_nor_where_it_says_nothing(self):
        advice, _ = self.advise(["start dead", "power 505/512"], words="phone micro_b none")
        offered = {option.id for option in advice.options}
        self.assertFalse(offered & {"power_up", "line_power", "data_link", "off_current", "plug_flip", "lift_port_ic"})
        self.assertFalse(offered & {"wireless_charge", "swap_carrier"})

    def test_a_known_good_charger_is_not_tried_once_its_current_was_read(self):
        for lines, tried in (([], True), (["i own 0.1 5.0"], True), (["i 0.0 5.1 30%"], False)):
            made = case(lines)
            belief = assess(Model(shipped(), made.device, made.history), made)
            asked = {(one.kind, one.id) for one in questions(belief, Prices.of(shipped(), 160.0))}
            with self.subTest(lines=lines):
                self.assertEqual(("try", "advise_source") in asked, tried)

    def test_a_cheap_long_shot_stands_beside_the_plausible_repair(self):
        share = shipped().costs.plausible_share
        advice, _ = self.advise(["port clean", "i 0.0 5.1 30%", "message clean"], "phone usb_c none")
        cures = {term.id: term.cure for term in advice.routes}
        plausible = [term for term in advice.routes if term.cure >= share * max(cures.values())]
        self.assertLess(cures[advice.beside.id], share * max(cures.values()))
        self.assertLess(advice.beside.total, min(term.total for term in plausible))

    def test_the_one_order_begins_with_the_plausible_repair(self):
        for lines in (["port clean", "i 0.0 5.1 30%", "wiggle steady"], ["port clean", "i 0.08 5.1 12%"]):
            advice, _ = self.advise(lines, "phone usb_c none")
            best = max(term.cure for term in advice.routes)
            self.assertEqual({term.id for term in advice.plan}, {term.id for term in advice.routes})
            self.assertGreaterEqual(advice.plan[0].cure, shipped().costs.plausible_share * best)

    def test_the_repair_that_leads_is_never_the_long_shot(self):
        lines = ["joint moves", "wiggle drops", "port clean", "i cycling"]
        advice, _ = self.advise(lines, "tablet micro_b none", ("drop",))
        cures = {term.id: term.cure for term in advice.routes}
        self.assertEqual(advice.next.kind, "repair")
        self.assertGreaterEqual(cures[advice.next.id], shipped().costs.plausible_share * max(cures.values()))
