"""Every step that heats solder agrees with the heat desk."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped
from chargepath.knowledge.procedures import ALLOY, LEAD_FREE, LEADED
from chargepath.knowledge.traits import built
from chargepath.repair.heat import IRON_S
from chargepath.repair.stepheat import heat_of, target_of
from chargepath.repair.workplan import make_plan
from tests.builders import device
from tests.core.repair.test_workplan import devices
from tests.sizes import sized

KNOWN = shipped()
WORK = KNOWN.procedures


def heated_steps():
    """Every step that heats solder, by its solder and what it heats, as the plans of all devices and ways have it.

    In the sample of a seventh of the devices, which have every such step in some plan.
    """
    found = {}
    for one in [one for one in devices() if one.connector == "usb_c"][:: sized(7, 1)]:
        for route in WORK.recipes:
            if not KNOWN.routes[route].fits(
                one.carrier, built(KNOWN.traits, one.kind, one.traits), wireless=one.wireless
            ):
                continue
            base = make_plan(KNOWN, one, route)
            picks = [{}, *({choice.slot: row.option.id} for choice in base.choices for row in choice.others)]
            picks += [{"removal": "iron", "pads": "left"}, {"shield_off": "heat_off", "shield_on": "solder"}]
            picks += [{**pick, ALLOY: LEAD_FREE} for pick in picks]
            for pick in picks:
                plan = make_plan(KNOWN, one, route, picks=pick) if pick else base
                target = target_of(KNOWN, route, one).id
                for row in plan.steps:
                    if row.step.heats:
                        found[row.step.id, row.step.solder, target, plan.in_frame] = row.step
    return found


class EveryStep(SimpleTestCase):
    def test_melts_what_it_has_to_within_its_time_and_harms_nothing(self):
        seen, rows = set(), list(heated_steps().items())
        for (name, solder, target, in_frame), step in rows[:: sized(4, 1)]:
            heat = heat_of(KNOWN, step, KNOWN.heat.targets[target], in_frame=in_frame)
            found = heat.run(KNOWN)
            seen.add(name)
            with self.subTest(step=name, solder=solder, target=target, in_frame=in_frame):
                self.assertTrue(found.holds, [margin for margin in found.margins if not margin.holds])
                self.assertEqual(found.melted_s is not None, heat.melts, f"{found.peak_c:.0f} °C")
        heats = {step.id for step in WORK.steps() if step.heats}
        self.assertEqual(({key[0] for key, _ in rows}, len(heats)), (heats, 83))
        self.assertGreaterEqual(len(seen), sized(40, 83))

    def test_what_a_step_sets_is_what_the_desk_gets(self):
        steps = {step.id: step.soldered(LEADED) for step in WORK.steps()}
        pins = heat_of(KNOWN, steps["iron_pins"], KNOWN.heat.targets["metal_thin"]).setting
        self.assertEqual((pins.tool, pins.set_c, pins.tip_mm, pins.touch.id), ("iron", 350, 1, "pin"))
        self.assertEqual(pins.most_s, IRON_S)
        warm = heat_of(KNOWN, steps["plate_off"], KNOWN.heat.targets["metal_thin"], in_frame=True)
        self.assertEqual((warm.setting.plate_c, warm.setting.soak_s, warm.setting.most_s), (150, 120, 40))
        self.assertEqual((warm.alloy.id, warm.setting.in_frame), ("sn63pb37", True))
        split = heat_of(KNOWN, steps["split"], KNOWN.heat.targets["chip"])
        self.assertEqual((split.target.id, split.setting.tool, split.setting.most_s), ("stack", "plate", 240))
        self.assertEqual(heat_of(KNOWN, steps["low_melt_off"], KNOWN.heat.targets["metal_thin"]).low_share, 0.5)
        self.assertIsNone(heat_of(KNOWN, steps["photo"], KNOWN.heat.targets["metal_thin"]))

    def test_the_route_says_what_is_heated_before_a_trait_and_that_before_the_carrier(self):
        plastic = replace(device("phone usb_c none"), traits=("plastic_near_port",))
        found = [
            target_of(KNOWN, route, one).id
            for route, one in (
                ("replace_port_ic", plastic),
                ("replace_port", plastic),
                ("replace_port", device("phone usb_c none")),
                ("replace_port", device("phone usb_c flex")),
                ("repair_rail", plastic),
            )
        ]
        self.assertEqual(found, ["chip", "plastic", "closed_thick", "metal_thin", "part"])
