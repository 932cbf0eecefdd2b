"""Planted slips are named, and every way back is an order of work that is right."""

import numpy as np
from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.proofs import CLOSED, OPEN
from chargepath.knowledge.traits import built
from chargepath.proving.asking import Subject, asked_of, phases_of
from chargepath.proving.slips import back_to, possible, slips_of
from chargepath.proving.verdict import Readings, judge_proof, take
from chargepath.repair.back import way_back
from chargepath.repair.checker import flaws
from chargepath.repair.figures import recipes_of
from chargepath.repair.workplan import after, make_plan
from chargepath.standin.device import StandinDevice
from chargepath.standin.proving import SLIPS, Proved
from tests.sizes import sized

KNOWN = shipped()
DEVICES = (
    Device("phone", "usb_c", "sub_board", wireless=True, traits=("rear_glass", "coil_over_board")),
    Device("phone", "eight_pad", "flex", wireless=True, traits=("display_first", "flex_in_way")),
    Device("tablet", "usb_c", "none", traits=("display_first",)),
    Device("phone", "usb_c", "none", traits=("clip_back", "battery_screwed")),
)


def routes_for(device):
    has = built(KNOWN.traits, device.kind, device.traits)
    return [
        name for name in recipes_of(KNOWN) if KNOWN.routes[name].fits(device.carrier, has, wireless=device.wireless)
    ]


def guessed(device, route, slip, seed):
    """The first guesses for a slip that a simulated device was given, None where it does not show."""
    subject = Subject(device, plan=make_plan(KNOWN, device, route), seen={("supply_idle", "leaks")})
    proved = Proved(StandinDevice.felt_with(device, set(), seed, percent=40.0), slip)
    for phase in phases_of(subject):
        if phase not in KNOWN.slips[slip].at:
            answered = tuple(item.id for item in asked_of(KNOWN, subject, phase))
            subject = Subject(device, plan=subject.plan, seen=subject.seen, answered=answered)
            continue
        asked, read = [item for item in asked_of(KNOWN, subject, phase) if not item.extra], Readings()
        for item in asked:
            for _ in range(2):
                numbers, answer = proved.show(item.id, tuple(item.values))
                answer = next(iter(item.answers), "") if answer not in item.answers else answer
                given = Readings(numbers, {item.id: answer} if answer else {})
                read = take(KNOWN, device, asked, read, given)
                if item.id not in read.doubts:
                    break
        result = judge_proof(KNOWN, device, asked, read)
        if result.failed:
            return [guess.slip.id for guess in slips_of(KNOWN, subject, phase, result)][:2]
    return None


class Slips(SimpleTestCase):
    def test_each_planted_slip_is_among_the_first_two_guesses(self):
        """Slips of a simulated device that knows nothing of the likelihoods; common practice (no source)."""
        self.assertGreaterEqual(len(SLIPS), 15)
        for slip in list(SLIPS)[:: sized(4, 1)]:
            hits = []
            for seed, device in enumerate(DEVICES * 3):
                if seed % len(DEVICES) == 0 and len(hits) > sized(6, 20):
                    break
                for number, route in enumerate(routes_for(device)):
                    subject = Subject(device, plan=make_plan(KNOWN, device, route))
                    if not any(possible(KNOWN, KNOWN.slips[slip], subject, phase) for phase in phases_of(subject)):
                        continue
                    found = guessed(device, route, slip, 100 * seed + number)
                    hits += [slip in found] if found is not None else []
            with self.subTest(slip=slip):
                self.assertGreater(len(hits), 3)
                self.assertGreater(np.mean(hits), 0.85)

    def test_a_slip_that_closing_cannot_make_is_less_likely_where_it_was_good_before(self):
        device = DEVICES[2]
        plan = make_plan(KNOWN, device, "swap_battery")
        shares = []
        for answered in ((), ("display",)):
            subject = Subject(device, plan=plan, answered=answered)
            asked = asked_of(KNOWN, subject, CLOSED)
            result = judge_proof(KNOWN, device, asked, Readings(answers={"display": "part"}))
            found = {guess.slip.id: guess.share for guess in slips_of(KNOWN, subject, CLOSED, result)}
            shares.append((found["display_flex"], found["screw_wrong"]))
        self.assertLess(shares[1][0], shares[0][0])
        self.assertGreater(shares[1][1], shares[0][1])

    def test_a_cell_that_was_found_flat_is_named_before_any_connector_of_it(self):
        device = DEVICES[3]
        plan = make_plan(KNOWN, device, "clean_port" if device.carrier == "none" else "swap_carrier")
        for known_of in ({}, {"history": ("flat_long",)}, {"seen": {("charger_current", "trickle")}}):
            subject = Subject(device, plan=plan, **known_of)
            asked = asked_of(KNOWN, subject, CLOSED)
            dead = judge_proof(KNOWN, device, asked, Readings(answers={"start": "dead"}))
            found = [guess.slip.id for guess in slips_of(KNOWN, subject, CLOSED, dead)]
            self.assertEqual("cell_flat" in found[:1], bool(known_of), found)

    def test_nothing_failed_is_no_slip_and_nor_is_what_the_plan_cannot_have_done(self):
        device = DEVICES[3]
        subject = Subject(device, plan=make_plan(KNOWN, device, "clean_port"))
        asked = asked_of(KNOWN, subject, CLOSED)
        good = judge_proof(KNOWN, device, asked, Readings(answers={"clicks": "clicks"}))
        self.assertEqual(slips_of(KNOWN, subject, CLOSED, good), ())
        bad = judge_proof(KNOWN, device, asked, Readings(answers={"clicks": "pops_out"}))
        self.assertEqual([guess.slip.id for guess in slips_of(KNOWN, subject, CLOSED, bad)], ["residue_in_port"])
        self.assertEqual(slips_of(KNOWN, Subject(device), CLOSED, bad), ())


class WayBack(SimpleTestCase):
    def test_every_way_back_from_either_proof_is_an_order_of_work_that_is_right(self):
        checked, wrong = 0, []
        for device in DEVICES:
            for route in routes_for(device):
                plan = make_plan(KNOWN, device, route)
                ids = [row.step.id for row in plan.steps]
                test = next(number for number, row in enumerate(plan.steps) if row.phase == "test")
                for back in {back_to(slip, plan) for slip in KNOWN.slips.values()} - {""}:
                    for done in (ids[: test + 1], ids):
                        if back not in done:
                            continue
                        facts = set(plan.start)
                        for row in plan.steps[: len(done)]:
                            facts = after(facts, row.step)
                        facts.add("powered")
                        again = way_back(KNOWN.procedures, plan, done, back)
                        steps = [row.step for row in plan.steps if row.step.id in again]
                        found = [
                            flaw
                            for flaw in flaws(KNOWN.procedures, facts, steps)
                            if flaw.rule != "back" and "undoes" not in flaw.rule
                        ]
                        checked += 1
                        wrong += [(route, back, len(done) == len(ids), flaw.step, flaw.rule) for flaw in found]
                        self.assertIn(back, again)
        self.assertEqual(wrong[:3], [])
        self.assertGreater(checked, 400)

    def test_only_what_has_to_be_is_done_again(self):
        plan = make_plan(KNOWN, DEVICES[0], "swap_carrier")
        ids = [row.step.id for row in plan.steps]
        test = next(number for number, row in enumerate(plan.steps) if row.phase == "test")
        again = way_back(KNOWN.procedures, plan, ids[: test + 1], "film_off")
        self.assertIn("cell_off", again)
        self.assertNotIn("loose_try", again)
        self.assertNotIn("photo", again)
        self.assertFalse({row.step.id for row in plan.steps if row.slot == "opening"} & set(again))
        closed = way_back(KNOWN.procedures, plan, ids, "film_off")
        self.assertTrue({row.step.id for row in plan.steps if row.slot == "opening"} <= set(closed))
        self.assertEqual(closed[-1], ids[-1])
        covered = way_back(KNOWN.procedures, plan, ids, "rest_on")
        self.assertFalse({"old_out", "new_in"} & set(covered))
        self.assertTrue({"off", "sim_out", "cell_plate", "cell_off", "plates_off"} <= set(covered))
        self.assertEqual(phases_of(Subject(DEVICES[0], plan=plan)), (OPEN, CLOSED))
