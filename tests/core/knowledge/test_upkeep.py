"""Tests of the bench's own tools: when they are due, which reading holds, and what rests on them."""

from datetime import date

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped

KNOWN = shipped()


class Upkeep(SimpleTestCase):
    def test_a_reading_holds_between_its_limits_and_is_due_again_after_its_days(self):
        charger = KNOWN.upkeep.tests["known_good_charger"]
        held = [charger.holds(volts) for volts in (4.74, 4.75, 5.0, 5.25, 5.26)]
        self.assertEqual(held, [False, True, True, True, False])
        self.assertEqual(charger.due_on(date(2026, 2, 26)), date(2026, 3, 5))
        self.assertIsNone(charger.due_on(None))

    def test_limits_agree_with_published_ones(self):
        """USB 2.0, 7.2.2: a high-power port supplies 4.75 to 5.25 V. IEC 61340-5-1: the path through a strap's wearer
        is under 35 MΩ; testers of straps usually pass 0.75 to 10 MΩ (from memory).
        """
        tests = KNOWN.upkeep.tests
        self.assertEqual((tests["known_good_charger"].low, tests["known_good_charger"].high), (4.75, 5.25))
        self.assertLess(tests["wrist_strap"].high, 35)

    def test_what_the_diagnosis_begins_with_rests_on_charger_cable_and_meter_and_they_come_round_weekly(self):
        behind = KNOWN.upkeep.behind("charger_current")
        self.assertEqual({test.id for test in behind}, {"known_good_charger", "known_good_cable", "usb_meter"})
        weekly = [test.id for test in KNOWN.upkeep.tests.values() if test.every_days == 7]
        self.assertEqual(weekly, ["wrist_strap", "known_good_charger", "known_good_cable", "known_good_pad"])
        self.assertEqual(KNOWN.upkeep.behind("port_look"), [])
