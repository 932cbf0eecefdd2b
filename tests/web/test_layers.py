"""The drawing of a device in layers: facts read off it are those of the plan, and everything is where the eye looks."""

from itertools import product
from xml.etree import ElementTree

from django.template.loader import render_to_string
from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.repair.layers import said_of, views_along
from chargepath.repair.workplan import make_plan
from rainfront.web.scenes.layers import HEIGHT, WIDTH, draw
from tests.sizes import sized

KNOWN = shipped()
BUILT = (
    (),
    ("clip_back", "cell_soldered", "battery_screwed"),
    ("display_first", "stacked_board", "chip_between"),
    ("flex_in_way", "coil_over_board", "port_screws_held"),
)
DEVICES = [
    Device(kind, connector, carrier, traits=traits)
    for kind, connector, carrier, traits in product(
        ("phone", "tablet"), ("usb_c", "micro_b"), ("sub_board", "flex", "none"), BUILT
    )
]


def facts_seen(scene):
    """What somebody reads off the drawing, by hand: where a layer is drawn says what was done with it."""
    x, _, wide, _ = scene.frame.box
    right = x + wide
    seen = {}
    for shape in scene.shapes:
        left, _, w, _ = shape.box
        where = "out" if left >= right else "aside" if left + w <= x else "in"
        seen[shape.id] = where
    return seen


# A layer, and the facts that its place on the drawing stands for.
READ = {
    "board": lambda facts: "out" if "board_out" in facts else "in",
    "carrier": lambda facts: "out" if "carrier_out" in facts else "in",
    "battery": lambda facts: "out" if "cell_out" in facts or "modules_in" not in facts else "in",
    "coil": lambda facts: "aside" if "coil_aside" in facts else "in",
    "sim": lambda facts: "in" if "sim_in" in facts else "out",
    "plates": lambda facts: "out" if {"plates_off", "board_out"} & facts else "in",
    "shield": lambda facts: "out" if {"shield_off", "lids_up", "board_out"} & facts else "in",
}


class EveryStep(SimpleTestCase):
    def test_facts_read_off_the_drawing_are_those_of_the_plan(self):
        self.assertEqual(len(DEVICES), 48)
        drawn = 0
        grid = list(product(DEVICES, KNOWN.procedures.recipes))
        for device, route in grid[:: sized(11, 1)]:
            if not KNOWN.routes[route].fits(device.carrier):
                continue
            plan = make_plan(KNOWN, device, route)
            for row, view in views_along(KNOWN, device, plan):
                where = (device, route, row.step.id)
                scene = draw(device.kind, view, said_of(view, KNOWN.procedures.facts))
                seen = facts_seen(scene)
                cover = "screen" if "display_first" in device.traits or device.kind == "tablet" else "cover"
                cover = cover if cover in seen else "cover"
                self.assertEqual(seen[cover], "in" if "closed" in view.facts else "aside", where)
                if "closed" not in view.facts:
                    for layer, reads in READ.items():
                        if layer in seen:
                            self.assertEqual(seen[layer], reads(view.facts), (*where, layer))
                    plug = scene.shape("battery_plug")
                    self.assertEqual(plug.where == "in", "cell_on" in view.facts, where)
                self.assertEqual(any(shape.live for shape in scene.shapes), self.is_live(view), where)
                self.assertEqual(bool(scene.screws), "screws_out" in view.facts, where)
                self.assertIsNotNone(scene.lit, where)
                for left, top, w, h in (scene.lit.box, *(shape.box for shape in scene.shapes)):
                    inside = left > -6 and top > -6 and left + w < WIDTH + 6 and top + h < HEIGHT + 6
                    self.assertTrue(inside, (*where, left, top, w, h))
                drawn += 1
        self.assertGreater(drawn, sized(2_000, 30_000))

    @staticmethod
    def is_live(view):
        """Current flows where the battery is connected, in a closed device as far as its port shows it."""
        return "powered" in view.facts or ("closed" not in view.facts and "cell_on" in view.facts)


class Drawn(SimpleTestCase):
    def test_it_says_aloud_what_it_shows_and_marks_every_layer_for_who_reads_the_page(self):
        device = DEVICES[0]
        plan = make_plan(KNOWN, device, "swap_carrier")
        view = next(view for row, view in views_along(KNOWN, device, plan) if row.step.id == "old_out")
        page = render_to_string(
            "web/_layers.html", {"scene": draw("phone", view, said_of(view, KNOWN.procedures.facts))}
        )
        svg = ElementTree.fromstring(page)
        self.assertEqual(svg.get("role"), "img")
        self.assertIn("cover off; battery disconnected", svg.get("aria-label"))
        where = {one.get("data-layer"): one.get("data-where") for one in svg.iter() if one.get("data-layer")}
        self.assertEqual((where["board"], where["cover"], where["battery_plug"]), ("in", "aside", "aside"))
        self.assertEqual([one.get("class") for one in svg.iter() if one.get("class") == "lit"], ["lit"])

    def test_a_layer_that_is_out_shows_where_it_goes_back_and_what_is_worked_on_beside_the_device_does_not(self):
        device = Device("phone", "usb_c", "none")
        plan = make_plan(KNOWN, device, "replace_guard")
        lit = {row.step.id: draw("phone", view, ()).lit for row, view in views_along(KNOWN, device, plan)}
        self.assertTrue(lit["board_in"].target)
        self.assertFalse(lit["flux_off"].target)
        self.assertFalse(lit["cell_off"].target)
