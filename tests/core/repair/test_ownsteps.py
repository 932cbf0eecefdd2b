"""A shop's own steps in the plans: where they come, what they may not do, what one that comes instead keeps."""

import tomllib
from dataclasses import replace
from itertools import product
from pathlib import Path

from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.procedures import literals
from chargepath.knowledge.traits import built
from chargepath.repair.ownsteps import Goes, OwnStep, beyond, comes_in, lifts, own_minutes, with_own, wrong_with
from chargepath.repair.workplan import make_plan
from tests.core.repair.test_workplan import devices, wrong
from tests.sizes import sized

KNOWN = shipped()
DEMO = Path(__file__).parents[3] / "rainfront" / "demo" / "brinholm_quay.toml"
PHONE = Device("phone", "usb_c", "sub_board")


def own(at, side=Goes.AFTER, do="Peel the heat spreader off whole and keep it.", **more):
    return OwnStep(id=f"own_{at}_{side}", at=at, side=side, do=do, **more)


def ids(plan):
    return [row.step.id for row in plan.steps]


class Places(SimpleTestCase):
    plan = make_plan(KNOWN, PHONE, "swap_carrier")

    def test_it_stands_before_after_or_in_the_place_of_the_shipped_step(self):
        steps = [own("cell_off", side, f"Step {side}.") for side in Goes]
        found = with_own(self.plan, steps)
        at = ids(found).index("cell_off")
        self.assertEqual([row.step.do for row in found.steps[at - 1 : at + 2]], [
            "Step before.", "Step instead.", "Step after.",
        ])  # fmt: skip
        self.assertEqual(len(found.steps), len(self.plan.steps) + 2)
        self.assertEqual({row.phase for row in found.steps[at - 1 : at + 2]}, {"open"})
        self.assertEqual(with_own(self.plan, []), self.plan)

    def test_one_that_comes_instead_keeps_what_the_shipped_one_guards(self):
        usual = next(row.step for row in self.plan.steps if row.step.id == "plate_warm")
        new = own("plate_warm", Goes.INSTEAD, "Lay it on the plate.", minutes=1, wait=4.0, settings={"plate_c": 65})
        step = next(row.step for row in with_own(self.plan, [new]).steps if row.step.id == "plate_warm")
        self.assertEqual((step.makes, step.needs, step.acts), (usual.makes, usual.needs, usual.acts))
        self.assertEqual((step.wait, step.settings["plate_c"], step.settings["time_min"]), (usual.wait, 65, 10))
        self.assertLessEqual(set(usual.cautions), set(step.cautions))
        self.assertEqual((step.check, step.do), (usual.check, "Lay it on the plate."))

    def test_its_minutes_count_with_the_repair_or_with_the_opening_that_it_belongs_to(self):
        steps = [own("cell_off", minutes=2.0), own("new_in", minutes=1.5), own("plate_warm", Goes.INSTEAD, minutes=3.0)]
        usual = next(row.step.minutes for row in self.plan.steps if row.step.id == "plate_warm")
        found = own_minutes(KNOWN, PHONE, steps)
        self.assertEqual({key: round(value, 6) for key, value in found.items()}, {
            "open:opened": 2.0 + 3.0 - usual, "route:swap_carrier": 1.5,
        })  # fmt: skip
        self.assertEqual(own_minutes(KNOWN, PHONE, []), {})

    def test_it_is_for_a_kind_or_a_model_or_for_all(self):
        for more, phone, other in (
            ({}, True, True),
            ({"kind": "tablet"}, False, False),
            ({"model": "tarn 4"}, True, False),
        ):
            step = own("off", **more)
            self.assertEqual((step.is_for("phone", "Tarn 4"), step.is_for("phone", "Tarn 5")), (phone, other))


class Checked(SimpleTestCase):
    def refused(self, step, others=()):
        return wrong_with(KNOWN, others, step, [PHONE])

    def test_what_would_make_a_plan_wrong_is_named_by_its_rule(self):
        rows = [
            (own("off", do="Lever the plate up.", acts=("pry",)), "pry_live"),
            (own("cell_on", do="Measure the line.", acts=("probe",)), "probe_live"),
            (own("lens_look", do="Wipe the lens.", acts=("solvent",)), "close_solvent"),
            (own("test", do="Touch the joint up.", acts=("solder",)), "solder_live"),
        ]
        for step, rule in rows:
            with self.subTest(do=step.do):
                found = self.refused(step)
                self.assertIn(rule, found.flaw.rule)
                self.assertTrue(found.flaw.says)

    def test_what_is_right_is_right_in_every_plan_of_every_device(self):
        """Typical steps of a shop (common practice, no source)."""
        steps = [
            own("cell_off", do="Peel the heat spreader off whole and keep it."),
            own("plates_off", Goes.BEFORE, "Lift the tape over the corner screws.", acts=("pry",)),
            own("pattern_lay", Goes.BEFORE, "Try cover and frame on the fixture."),
            own("rest_on", do="Put the heat spreader and the tapes back."),
        ]
        before = 0
        for device in list(devices())[:: sized(5, 1)]:
            for number, step in enumerate(steps):
                self.assertIsNone(wrong_with(KNOWN, steps[:number], step, [device]), (device, step.do))
            for route in comes_in(KNOWN, "cell_off", [device]):
                plan = with_own(make_plan(KNOWN, device, route), steps)
                self.assertEqual(wrong(plan), [])
                before += 1
        self.assertGreater(before, 100)

    def test_every_plan_of_every_device_by_every_way_is_right_with_the_demos_own_steps(self):
        scenario = tomllib.loads(DEMO.read_text(encoding="utf-8"))["own_step"]
        steps = [
            replace(
                own(row["at"], Goes(row["goes"]), row["do"]),
                acts=tuple(row.get("acts", ())),
                makes=literals(tuple(row.get("makes", ()))),
            )
            for row in scenario
        ]
        self.assertEqual(len(steps), 6)
        made, grid = 0, list(product(devices(), KNOWN.procedures.recipes))
        for device, route in grid[:: sized(23, 1)]:
            has = built(KNOWN.traits, device.kind, device.traits)
            if not KNOWN.routes[route].fits(device.carrier, has, wireless=device.wireless):
                continue
            base = make_plan(KNOWN, device, route)
            ways = [{choice.slot: row.option.id} for choice in base.choices for row in choice.others]
            for picks in ({}, *ways):
                plan = with_own(make_plan(KNOWN, device, route, picks=picks), steps)
                self.assertEqual(wrong(plan), [], (device, route, picks))
                made += 1
        self.assertGreater(made, sized(300, 9000))

    def test_no_setting_is_more_than_a_shipped_step_of_the_same_act_sets(self):
        warm = {"acts": ("warm",)}
        for settings, more, most in (
            ({"plate_c": 100.0}, warm, "fits"), ({"plate_c": 101.0}, warm, 100.0), ({"plate_c": 60.0}, {}, None),
            ({"torque_ncm": 3.5}, {}, 3.0), ({"plate_c": 140.0}, {"acts": ("hot_air",)}, "fits"),
        ):  # fmt: skip
            with self.subTest(settings=settings, more=more):
                found = beyond(KNOWN, own("cell_off", settings=settings, **more))
                self.assertEqual("fits" if found is None else found.most, most)

    def test_it_may_make_more_to_do_and_never_say_that_a_guard_is_seen_to(self):
        """What frees an act (the cell is off, the board is dry, every joint was looked at) only shipped steps make."""
        foam, back = own("cell_off", makes=(("unmoved", True),)), own("rest_on", makes=(("unmoved", False),))
        rows = [
            (own("off", makes=(("cell_on", False),)), [], ("cell_on", False)),
            (own("off", makes=(("warm", True),)), [], ("warm", True)),
            (own("nudge", Goes.BEFORE, makes=(("unlooked", False),)), [], ("unlooked", False)),
            (foam, [], None),
            (back, [], None),
            (own("old_out", makes=(("unmoved", False),)), [], ("unmoved", False)),
            (own("off", makes=(("solvent", False),)), [], ("solvent", False)),
            (own("off", wait=2.0, makes=(("solvent", False),)), [own("off", acts=("solvent",))], None),
        ]
        for step, others, lifted in rows:
            with self.subTest(step=step.id, makes=step.makes, others=len(others)):
                self.assertEqual(lifts(KNOWN, step, others, [PHONE]), lifted)
        self.assertIn("close_unmoved", self.refused(foam).flaw.rule)
        self.assertIsNone(wrong_with(KNOWN, [back], foam, [PHONE]))
        needs = own("off", needs=(("cell_on", False),))
        self.assertEqual(self.refused(needs).flaw.rule, "needs cell_on")

    def test_it_says_where_it_comes(self):
        self.assertIn("swap_carrier", comes_in(KNOWN, "film_off", [PHONE]))
        self.assertNotIn("clean_port", comes_in(KNOWN, "film_off", [PHONE]))
        self.assertEqual(comes_in(KNOWN, "no_such_step", [PHONE]), [])
        picked = comes_in(KNOWN, "part_low_off", [PHONE])
        self.assertTrue("replace_charge_part" in picked and "replace_guard" not in picked, picked)
