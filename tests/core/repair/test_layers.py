"""A device in layers: what lies where by the facts of a plan, and that no hand works where a layer still lies."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.knowledge.layers import Where
from chargepath.knowledge.loader import shipped
from chargepath.repair.layers import covered, facts_at, said_of, view_of, views_along
from chargepath.repair.workplan import make_plan
from tests.builders import device

KNOWN = shipped()
COIL = replace(device("phone usb_c sub_board"), traits=("coil_over_board",))


def at(plan, step, subject):
    return next(view for row, view in views_along(KNOWN, subject, plan) if row.step.id == step)


class Layers(SimpleTestCase):
    def test_says_what_is_open_off_and_out_and_first_what_can_hurt(self):
        phone = device("phone usb_c sub_board")
        plan = make_plan(KNOWN, phone, "swap_carrier")
        facts = KNOWN.procedures.facts
        self.assertEqual(said_of(at(plan, "sim_out", phone), facts), ["the device is switched on", "cover on"])
        self.assertEqual(
            said_of(at(plan, "film_off", phone), facts),
            [
                "cover off",
                "battery disconnected",
                "connectors off",
                "the port's board out",
                "main board in its frame",
                "SIM tray out",
            ],
        )

    def test_a_plate_over_the_battery_connector_that_is_taken_off_under_the_coil_is_named(self):
        plan = make_plan(KNOWN, COIL, "swap_carrier")
        self.assertEqual(covered(KNOWN, COIL, plan), [])
        ids = [row.step.id for row in plan.steps]
        coil, plate = ids.index("coil_off"), ids.index("cell_plate")
        self.assertLess(coil, plate)
        steps = list(plan.steps)
        steps[coil], steps[plate] = steps[plate], steps[coil]
        wrong = covered(KNOWN, COIL, replace(plan, steps=tuple(steps)))
        self.assertEqual([(flaw.step, flaw.rule) for flaw in wrong], [("cell_plate", "covered")])
        self.assertIn("coil or antenna plate still lies over", wrong[0].says)

    def test_the_coil_goes_back_once_the_battery_is_on(self):
        ids = [row.step.id for row in make_plan(KNOWN, COIL, "swap_carrier").steps]
        self.assertLess(ids.index("cell_back_on"), ids.index("coil_back"))
        self.assertNotIn("screws_in", ids)

    def test_the_place_of_a_repair_is_that_of_its_route_and_moves_with_its_layer(self):
        phone = device("phone usb_c none")
        plan = make_plan(KNOWN, phone, "replace_port_ic")
        self.assertEqual(at(plan, "chip_lift", phone).place.id, "chip")
        self.assertEqual(at(plan, "chip_place", phone).where("chip"), Where.OUT)
        self.assertEqual(at(make_plan(KNOWN, phone, "replace_port"), "unmask", phone).place.id, "port")

    def test_what_carries_voltage_is_live_until_the_battery_is_off_and_the_device_with_it(self):
        phone = device("phone usb_c sub_board")
        plan = make_plan(KNOWN, phone, "swap_carrier")
        live = {
            step: {name for name, now in at(plan, step, phone).layers.items() if now.live}
            for step in ("sim_out", "cell_off", "plates_off", "rest_on")
        }
        self.assertEqual(live["sim_out"], {"battery_plug", "board", "carrier", "port"})
        self.assertEqual(live["cell_off"], {"battery_plug", "board"})
        self.assertEqual(live["plates_off"], set())
        self.assertEqual(live["rest_on"], set())

    def test_facts_follow_from_the_steps_that_are_settled_in_the_order_of_the_plan(self):
        phone = device("phone usb_c sub_board")
        plan = make_plan(KNOWN, phone, "swap_carrier")
        self.assertEqual(facts_at(plan, ()), plan.start)
        done = [row.step.id for row in plan.steps]
        now = facts_at(plan, reversed(done[: done.index("test")]))
        self.assertEqual((("cell_on" in now), ("closed" in now)), (True, False))
        self.assertEqual(view_of(KNOWN, phone, facts_at(plan, done)).where("cover"), Where.IN)

    def test_a_device_that_was_opened_for_measuring_has_its_plates_off_but_where_the_leads_are_soldered(self):
        begins = KNOWN.procedures.begins
        self.assertIn("cell_bare", begins("opened", frozenset({"phone"})))
        self.assertNotIn("coil_aside", begins("opened", frozenset({"phone"})))
        self.assertIn("coil_aside", begins("board_out", frozenset({"coil_over_board"})))
        soldered = begins("opened", frozenset({"cell_soldered", "coil_over_board"}))
        self.assertFalse({"plates_off", "screws_out", "coil_aside"} & soldered)
