"""The watch over a cell on the supply: what it lets pass and what it cuts, each limit from both sides."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped
from chargepath.repair.cell import Cell, Feed, usual_feed
from chargepath.repair.watch import Sample, Watch, Watched

KNOWN = shipped()
KIND = KNOWN.cells.kinds["v420"]
CELL = Cell(KIND, 3000.0, 3.6)
WATCH = Watch.begin(CELL, Feed(4.2, 1.5), KNOWN)


def said(*samples, watch=WATCH, seen=None):
    """The verdict on the last of some samples; none of the others may have one."""
    seen, verdict = seen or Watched(), None
    for row in samples:
        assert verdict is None, verdict
        seen, verdict = watch.look(seen, Sample(*row))
    return None if verdict is None else (verdict.kind, verdict.says)


class Limits(SimpleTestCase):
    def cut(self, words, *samples, **more):
        kind, says = said(*samples, **more)
        self.assertEqual(kind, "cut")
        self.assertIn(words, says)

    def test_what_is_as_it_should_be_passes(self):
        self.assertIsNone(said((1, 3.7, 1.5, 22), (2, 3.71, 1.5, 23), (3, 3.72, 1.5, 24)))

    def test_volts_and_amps_over_what_was_set(self):
        self.assertIsNone(said((1, 4.219, 1.4)))
        self.cut("over the limit of 4.20", (1, 4.221, 1.4))
        self.assertIsNone(said((1, 3.8, 1.649)))
        self.cut("over the 1.50 that were set", (1, 3.8, 1.651))
        self.cut("wrong way round", (1, 3.8, -0.06))

    def test_the_cells_own_limit_holds_where_more_was_set(self):
        self.cut("over the limit of 4.20", (1, 4.25, 1.0), watch=Watch.begin(CELL, Feed(4.35, 1.5), KNOWN))

    def test_warmth(self):
        self.assertIsNone(said((1, 3.8, 1.5, 44.9)))
        self.cut("45 °C, over 45", (1, 3.8, 1.5, 45.1))
        self.cut("under 0", (1, 3.8, 1.5, -0.5))
        self.assertIsNone(said((1, 3.8, 1.5, 20), (2, 3.8, 1.5, 30)))
        self.cut("warmed from 20 to 31", (1, 3.8, 1.5, 20), (2, 3.8, 1.5, 30.6))

    def test_a_thermocouple_that_is_gone_is_not_taken_for_a_cool_cell(self):
        self.cut("fell silent", (1, 3.8, 1.5, 30), (2, 3.8, 1.5, None))
        self.cut("has come off", (1, 3.8, 1.5, 30), (2, 3.8, 1.5, 25.5))
        self.assertIsNone(said((1, 3.8, 1.5, 30), (2, 3.8, 1.5, 27)))
        self.assertIsNone(said((1, 3.8, 1.5, None), (2, 3.8, 1.5, None)))

    def test_volts_that_fall_at_the_same_current_and_not_those_that_fall_with_it(self):
        self.cut("may short inside", (1, 3.80, 1.5), (2, 3.73, 1.5))
        self.assertIsNone(said((1, 3.80, 1.5), (2, 3.75, 1.5)))
        self.assertIsNone(said((1, 4.2, 1.5), (2, 4.2, 1.0), (3, 4.15, 0.9)))

    def test_current_that_is_missing_for_a_while(self):
        self.assertIsNone(said((1, 3.7, 0.1), (5, 3.7, 0.1)))
        self.cut("a lead is off", (1, 3.7, 0.1), (6.1, 3.7, 0.1))
        self.assertIsNone(said((1, 3.7, 0.1), (3, 3.7, 1.5), (7, 3.7, 0.1)))

    def test_full_is_what_took_its_charge_and_an_open_protection_is_not(self):
        almost = Watched(moved_mah=2000.0, last=Sample(7000, 4.19, 0.2))
        self.assertEqual(said((7010, 4.19, 0.14), seen=almost)[0], "done")
        self.assertIsNone(said((7010, 4.19, 0.16), seen=almost))
        self.cut("its protection has opened", (40, 4.2, 0.0), seen=Watched(moved_mah=20.0))

    def test_more_than_it_holds_or_longer_than_it_should(self):
        room = WATCH.room_mah
        for mah, cuts in ((1.15 * room + 149, False), (1.15 * room + 151, True)):
            found = said((9000, 4.1, 1.4), seen=Watched(moved_mah=mah, last=Sample(9000, 4.1, 1.4)))
            self.assertEqual(found is not None, cuts, mah)
        late = 1.6 * WATCH.expected_s + 600
        self.assertIsNone(said((late - 1, 4.1, 1.4)))
        self.cut("longer than", (late + 1, 4.1, 1.4))

    def test_what_goes_in_is_amps_times_hours(self):
        seen = Watched()
        for second in range(0, 3601, 10):
            seen, _ = WATCH.look(seen, Sample(second, 3.8, 1.5))
        self.assertAlmostEqual(seen.moved_mah, 1500, places=6)


class Threshold(SimpleTestCase):
    flat = Cell(KIND, 3000.0, 2.5)

    def test_the_current_is_raised_once_the_volts_have_held(self):
        watch = Watch.begin(self.flat, usual_feed(self.flat, KNOWN.cells), KNOWN)
        self.assertAlmostEqual(watch.feed.amps, 0.3)
        self.assertAlmostEqual(watch.feed.then_amps, 1.5)
        seen, raised = Watched(), []
        for second, volts in ((0, 2.9), (2, 3.01), (4, 2.99), (6, 3.0), (10, 3.02), (12, 3.03)):
            seen, verdict = watch.look(seen, Sample(second, volts, 0.3))
            self.assertIsNone(verdict)
            raised.append(watch.raised(seen))
        self.assertEqual(raised[:5], [None] * 5)
        self.assertEqual(raised[5].feed, Feed(4.2, 1.5))
        self.assertIsNone(raised[5].raised(seen))

    def test_a_cell_that_is_not_to_be_raised_stays(self):
        watch = Watch.begin(self.flat, Feed(4.2, 0.3), KNOWN)
        self.assertIsNone(watch.raised(Watched(last=Sample(100, 3.2, 0.3), held_since=1.0)))


class RightCell(SimpleTestCase):
    def test_what_the_supply_shows_before_it_is_on_is_this_cell(self):
        for volts, wrong in (
            (3.6, ""),
            (3.75, ""),
            (3.76, "not 3.60"),
            (3.44, "not 3.60"),
            (0.2, ""),
            (-0.5, "wrong way"),
        ):
            found = WATCH.differs(volts)
            self.assertTrue(wrong in found and bool(found) == bool(wrong), (volts, found))
        self.assertIn("not 2.60", replace(WATCH, cell=replace(CELL, volts=2.6)).differs(3.6))
