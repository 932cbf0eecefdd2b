"""Alloys mixed, against published melting points (handbook values from memory)."""

import math

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.knowledge.loader import shipped
from chargepath.repair.solder import along, liquidus_c, mix, strength_of, to_add_g, wire_mm

TABLES = shipped().heat


class MeltingPoints(SimpleTestCase):
    def test_the_alloys_are_as_published(self):
        # J-STD-006 alloys: Sn63Pb37 183 °C, SAC305 217 to 220 °C, Sn42Bi58 138 °C.
        for name, solidus, liquidus in (("sn63pb37", 183, 183), ("sac305", 217, 220), ("sn42bi58", 138, 138)):
            alloy = TABLES.alloys[name]
            self.assertEqual((alloy.solidus_c, alloy.liquidus_c), (solidus, liquidus))

    def test_the_diagrams_give_published_alloys_that_are_not_in_them(self):
        for of, published, within in (
            ({"pb": 40.0}, 191, 8),  # Sn60Pb40, liquidus 188 to 191
            ({"pb": 10.0}, 213, 6),  # Sn90Pb10
            ({"bi": 40.0}, 170, 3),  # Sn60Bi40
            ({"ag": 3.0, "cu": 0.5}, 220, 3),  # SAC305
            ({"ag": 3.5}, 221, 1),
            ({"cu": 0.7}, 227, 1),
            ({"pb": 36.0, "ag": 2.0}, 189, 10),  # Sn62Pb36Ag2, 179 to 189
        ):
            with self.subTest(of=of):
                self.assertAlmostEqual(liquidus_c(of, TABLES), published, delta=within)

    def test_low_melt_in_lead_free_melts_lower_the_more_there_is(self):
        found = [mix({"sac305": 1.0, "sn42bi58": share}, TABLES) for share in (0.1, 0.3, 1.0, 3.0)]
        self.assertEqual([row.liquidus_c for row in found], sorted((row.liquidus_c for row in found), reverse=True))
        self.assertAlmostEqual(found[2].of["bi"], 29.0)
        self.assertAlmostEqual(found[2].of["ag"], 1.5)
        self.assertLess(found[2].liquidus_c, 195)
        self.assertTrue(all(138 <= row.last_c <= row.solidus_c <= row.liquidus_c for row in found))

    def test_lead_and_bismuth_together_leave_a_film_that_melts_at_96(self):
        self.assertEqual(mix({"sn63pb37": 1.0, "sn42bi58": 1.0}, TABLES).last_c, 96)
        self.assertEqual(mix({"sn63pb37": 1.0}, TABLES).last_c, 183)

    def test_one_alloy_alone_is_what_it_is(self):
        found = mix({"sac305": 0.2, "sn42bi58": 0.0}, TABLES)
        self.assertEqual((found.solidus_c, found.liquidus_c, found.rough), (217, 220, False))
        with self.assertRaises(ReadingError):
            mix({"sac305": 0.0}, TABLES)

    def test_how_much_to_add_is_the_least_that_does(self):
        joint = {"sac305": 0.1}
        added = to_add_g(joint, "sn42bi58", 180.0, TABLES)
        self.assertLessEqual(mix({**joint, "sn42bi58": added}, TABLES).liquidus_c, 180)
        self.assertGreater(mix({**joint, "sn42bi58": added * 0.93}, TABLES).liquidus_c, 180)
        self.assertEqual(to_add_g(joint, "sn42bi58", 230.0, TABLES), 0.0)
        self.assertIsNone(to_add_g(joint, "sn42bi58", 100.0, TABLES))

    def test_wire_by_its_volume(self):
        # 1 g of 8.6 g/cm³ in a wire of 0.5 mm: 116.3 mm³ over 0.19635 mm².
        self.assertAlmostEqual(wire_mm(1.0, TABLES.alloys["sn42bi58"], 0.5), 1000 / 8.6 / (math.pi / 16), delta=0.01)
        with self.assertRaises(ReadingError):
            wire_mm(1.0, TABLES.alloys["sn42bi58"], 0.05)

    def test_bismuth_costs_warmth_and_drops(self):
        plain, much = strength_of({}, TABLES), strength_of({"bi": 58.0}, TABLES)
        self.assertLess(much.warm_mpa, plain.warm_mpa / 2)
        self.assertLess(much.drops, 0.2)
        self.assertAlmostEqual(along(TABLES.strength, 10.0), 44 + (50 - 44) / 3, places=6)
