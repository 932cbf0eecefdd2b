"""What has to lie on the bench: by what a step names, sets and says; minutes and settings over a whole plan."""

from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.repair.layout import layout_of, tools_of
from chargepath.repair.workplan import make_plan

KNOWN = shipped()
WORK = KNOWN.procedures
PHONE = Device("phone", "usb_c", "sub_board")


class Layouts(SimpleTestCase):
    def test_a_tool_is_needed_where_a_step_names_it_sets_it_or_says_it(self):
        steps = {step.id: step for step in WORK.steps()}
        for name, wanted in (
            ("plate_warm", {"hot plate", "suction cup"}),
            ("cell_off", {"plastic stick"}),
            ("plates_off", {"screwdriver", "map for the screws"}),
            ("sim_in", set()),
        ):
            with self.subTest(step=name):
                self.assertEqual(set(tools_of(WORK, steps[name])), wanted)

    def test_minutes_and_waits_add_up_and_each_setting_stands_once(self):
        plan = make_plan(KNOWN, PHONE, "swap_carrier")
        found = layout_of(WORK, plan)
        plate = next(tool for tool in found.tools if tool.label == "hot plate")
        by_hand = sum(row.step.minutes + row.step.wait for row in plan.steps if "plate_c" in row.step.settings)
        self.assertAlmostEqual(plate.minutes, by_hand)
        self.assertEqual(plate.settings, (("plate_c", 70.0), ("plate_c", 60.0)))
        self.assertAlmostEqual(found.minutes, plan.minutes())
        self.assertEqual(found.materials, plan.materials)

    def test_what_is_done_needs_nothing_any_more(self):
        plan = make_plan(KNOWN, PHONE, "swap_carrier")
        opened = {row.step.id for row in plan.steps if row.phase == "open"}
        rest = layout_of(WORK, plan, opened)
        self.assertNotIn(("plate_c", 70.0), [pair for tool in rest.tools for pair in tool.settings])
        self.assertEqual(layout_of(WORK, plan, {row.step.id for row in plan.steps}).tools, ())

    def test_every_setting_of_a_tool_belongs_to_one(self):
        """Times are nobody's tool, and so are depth and force."""
        by_tool = {name for tool in WORK.tools.values() for name in tool.settings}
        self.assertEqual(
            set(WORK.settings) - by_tool, {"time_s", "time_min", "depth_mm", "press_n", "past_melt_s", "dry_c"}
        )
