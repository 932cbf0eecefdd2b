"""Where on the path it sits: what readings are worth, and when they are not enough."""

from django.test import SimpleTestCase

from chargepath.grading.locate import Observation, locate
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.pinmaps import Net

KNOWN = shipped()
PINS = KNOWN.connectors["usb_c"].map
PLACES = ("contact", "pads", "carrier_out", "board_in")


class NotEnoughToTell(SimpleTestCase):
    def seen(self, net: Net, place: str, grade: str, pin: str = "") -> Observation:
        weights = dict.fromkeys(("in_band", "open", "low", "short"), 0.001) | {grade: 0.997}
        return Observation("power" if net.group == "power" else net.id, place, pin, net.group, weights)

    def test_one_low_line_at_the_contacts_is_no_verdict_and_says_where_to_read_next(self):
        net = PINS.net("A6")
        found = locate(KNOWN, [self.seen(net, "contact", "low", pin) for pin in ("A6", "B6")])
        self.assertGreater(max(found.stations.values()), 0.2)
        self.assertEqual((found.told, found.station), (False, ""))
        self.assertTrue(found.ask)

    def test_readings_that_say_nothing_leave_every_suspicion_its_weight(self):
        even = dict.fromkeys(("in_band", "open", "low", "short"), 1.0)
        nets = [PINS.net(pin) for pin in ("A4", "A5", "A6")]
        found = locate(KNOWN, [Observation(net.id, place, "", net.group, even) for net in nets for place in PLACES])
        weights = {row.label: row.weight for row in KNOWN.suspicions.values()}
        for label, _, chance in found.chances:
            with self.subTest(suspicion=label):
                self.assertAlmostEqual(chance, weights[label] / sum(weights.values()), places=9)

    def test_nothing_read_points_nowhere(self):
        self.assertFalse(locate(KNOWN, []).told)
