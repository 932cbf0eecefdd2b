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
