"""Parts have names of their own on a shelf and a bill, not those of the repairs that use them."""

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped


class Parts(SimpleTestCase):
    def test_whatever_costs_something_is_called_by_what_it_is(self):
        parts = {name: route for name, route in shipped().routes.items() if route.part}
        self.assertEqual([name for name, route in parts.items() if not route.part_name], [])
        doing = ("replace", "swap", "renew", "repair", "clean", "bridge the", "find")
        said = [route.part_called for route in parts.values() if route.part_called.lower().startswith(doing)]
        self.assertEqual(said, [])


class Worded(SimpleTestCase):
    """A part has the name that fits the device: its sub-board, its port flex, or neither."""

    def test_a_sub_board_and_a_flex_have_their_own_names_and_nothing_else_changes(self):
        known = shipped()
        for carrier, station, repair, tried in (
            ("sub_board", "Sub-board", "Swap the sub-board", "A known-good sub-board, in and out again"),
            ("flex", "Port flex", "Swap the port flex", "A known-good port flex, in and out again"),
        ):
            here = known.worded(carrier)
            self.assertEqual(here.stations["carrier"].label, station)
            self.assertEqual(
                (here.label_of("repair", "swap_carrier"), here.label_of("try", "swap_carrier")), (repair, tried)
            )
            self.assertEqual(here.routes["swap_carrier"].part_called, station)
            self.assertIs(here.checks, known.checks)
            self.assertEqual(here.routes["swap_carrier"].cures, known.routes["swap_carrier"].cures)
        self.assertIs(known.worded(""), known)

    def test_a_port_on_the_main_board_has_no_board_connector_to_probe(self):
        known = shipped()
        self.assertEqual(
            set(known.places) - set(known.places_on("none")),
            {"carrier_out", "board_in", "alone_carrier", "alone_board"},
        )
        self.assertEqual(set(known.rungs) - set(known.rungs_on("none")), {"link"})
        self.assertEqual(known.places_on("flex"), known.places)
