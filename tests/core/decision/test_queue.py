"""Which device to pick up now."""

from datetime import datetime, timedelta

from django.test import SimpleTestCase

from chargepath.decision.queue import NOW, TAKEN, WAITS, WORK, Lot, Wait, group_of, pick_order

AT = datetime(2026, 3, 2, 10, 0)


def ago(minutes):
    return AT - timedelta(minutes=minutes)


def order(*lots):
    return [lot.name for lot in pick_order(lots, AT)]


class PickedUp(SimpleTestCase):
    def test_a_danger_and_a_wait_that_is_over_come_first(self):
        lots = (
            Lot("usual", 30, ago(60)),
            Lot("over", 10, ago(50), wait=Wait("timer", ago(40), ago(1))),
            Lot("hot", 5, ago(5), danger=True, wait=Wait("part", ago(40))),
        )
        self.assertEqual(order(*lots)[2], "usual")
        self.assertEqual({group_of(lot, AT) for lot in lots[1:]}, {NOW})

    def test_the_latest_start_decides_not_the_promise_alone(self):
        early = Lot("promised first", 10, ago(60), promised=AT + timedelta(hours=2))
        long = Lot("promised later, takes longer", 200, ago(60), promised=AT + timedelta(hours=4))
        self.assertEqual(order(early, long), ["promised later, takes longer", "promised first"])

    def test_a_hurry_is_wanted_sooner_and_the_older_one_else(self):
        self.assertEqual(
            order(Lot("new", 10, ago(10)), Lot("old", 10, ago(900)), Lot("hurry", 10, ago(5), hurry=True)),
            ["hurry", "old", "new"],
        )

    def test_what_somebody_has_in_hand_and_what_waits_come_after_the_wait_that_ends_first_before_the_others(self):
        lots = (
            Lot("part", 10, ago(60), wait=Wait("part", ago(50))),
            Lot("cure", 10, ago(60), wait=Wait("cure", ago(50), AT + timedelta(minutes=90))),
            Lot("timer", 10, ago(60), wait=Wait("timer", ago(5), AT + timedelta(minutes=2))),
            Lot("in hand", 10, ago(60), in_hand=ago(3)),
            Lot("put down", 10, ago(60), in_hand=ago(40)),
        )
        self.assertEqual(order(*lots), ["put down", "in hand", "timer", "cure", "part"])
        self.assertEqual([group_of(lot, AT) for lot in lots], [WAITS, WAITS, WAITS, TAKEN, WORK])
