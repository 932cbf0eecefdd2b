"""What plans say of every repair is kept between two values of a device at which another option becomes cheaper."""

import random

from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.repair.figures import _figures, _kept, plan_figures, recipes_of
from chargepath.repair.workplan import make_plan

KNOWN = shipped()
DEVICES = (
    ("phone", "usb_c", "sub_board", ("rear_glass", "sealed")),
    ("phone", "eight_pad", "flex", ("display_first", "flex_in_way")),
    ("tablet", "usb_c", "none", ()),
)


class Figures(SimpleTestCase):
    def test_a_value_that_was_never_asked_has_the_figures_of_its_own_plans(self):
        values = [*range(1, 4000, 99)]
        random.Random(4).shuffle(values)
        for kind, connector, carrier, traits in DEVICES:
            _kept.cache_clear()
            for value in values:
                device = Device(kind, connector, carrier, value=float(value), traits=traits)
                with self.subTest(device=device):
                    self.assertEqual(plan_figures(KNOWN, device), _figures(KNOWN, device, ())[0])

    def test_they_change_where_another_option_becomes_cheaper_and_are_kept_in_between(self):
        _kept.cache_clear()
        kept = _kept(KNOWN, Device("phone", "usb_c", "sub_board", value=0.0), ())
        for value in range(10, 3000, 10):
            plan_figures(KNOWN, Device("phone", "usb_c", "sub_board", value=float(value), known_good_a=value / 1000))
        self.assertTrue(1 < len(kept) < 20, len(kept))
        edges = sorted(high for _, high, _ in kept)[:-1]
        for edge in edges:
            before, after = (Device("phone", "usb_c", "sub_board", value=edge + step) for step in (-0.01, 0.01))
            self.assertNotEqual(self.picked(before), self.picked(after), edge)

    def picked(self, device):
        routes = [
            row
            for row in map(KNOWN.routes.get, recipes_of(KNOWN))
            if row.fits(device.carrier, set(), wireless=device.wireless)
        ]
        return [[row.picked.option.id for row in make_plan(KNOWN, device, route.id).choices] for route in routes]

    def test_an_option_costs_more_with_the_value_by_the_harm_the_come_backs_and_the_opening_that_it_adds(self):
        costs, seen = KNOWN.costs, 0
        devices = [Device("phone", "usb_c", "sub_board", value=value) for value in (200, 1000)]
        picks, level = {"opening": "plate_fast"}, KNOWN.procedures.levels["opened"]
        cheap, dear = (make_plan(KNOWN, device, "swap_carrier", picks=picks) for device in devices)
        ways = {name[1:] for name in (*level.open, *level.again, *level.test, *level.close) if name.startswith("@")}
        opens = sum(choice.picked.option.harm for choice in cheap.choices if choice.slot in ways)
        for before, after in zip(cheap.choices, dear.choices, strict=True):
            now = {row.option.id: row for row in (after.picked, *after.others)}
            for row in (before.picked, *before.others):
                option = row.option
                harm = option.harm + option.again * opens
                grows = 800 * (harm * costs.harm_share + option.comeback * costs.comeback_share)
                seen += option.again > 0
                self.assertAlmostEqual(now[option.id].cost - row.cost, grows, msg=option.id)
        self.assertGreater(opens * seen, 0)
