"""Only an event that hazards.toml names for a danger, read at the same place, ends it; each danger has such events."""

import random
from itertools import permutations, product

from django.test import SimpleTestCase

from chargepath.case.entries import Case, CheckEvent, RepairEvent
from chargepath.hazards.standing import dangers_of
from chargepath.knowledge.loader import shipped
from tests.builders import case, device
from tests.sizes import EXHAUSTIVE

KNOWN = shipped()
DEVICE = device("phone usb_c none")
# One event that raises each danger, in each of the ways that a single event can.
RAISED_BY = (
    "danger hot", "danger swollen", "inside swollen", "danger dented", "danger burnt", "inside burnt", "danger wet",
    "mark wet", "inside corroded", "port corroded", "danger corroded", "rail 3/400", "idle 0.9", "vport 20",
    "danger charger", "power 3/500", "power 3/500 at board", "plugline 3/500", "cell 1.99", "cell 4.7",
)  # fmt: skip
SAMPLE = 60


def readings():
    """Every check at every place, once as each of its grades, or clean where it is a look."""
    for check in KNOWN.checks.values():
        for variant in check.variants or ("",):
            for grade in ("",) if check.is_look else check.grades:
                yield CheckEvent(check.id, variant, grade)


def repairs():
    for route in KNOWN.routes:
        for works in (None, True, False):
            yield RepairEvent(route, works)


POOL = (*readings(), *repairs())


def place_of(event):
    return KNOWN.checks[event.check].key(event.variant)


def is_named(danger, start, event):
    """Whether the row of a danger names this event: a repair that ends it, the look that clears it, its own reading."""
    row = danger.raised
    if isinstance(event, RepairEvent):
        return event.route in row.ended_by
    if row.looked and event.check == row.looked[0]:
        return len(row.looked) < 3 or place_of(event) == KNOWN.checks[event.check].key(row.looked[2])
    return not danger.hazard.sticky and event.check == row.check and place_of(event) == place_of(start)


class Ends(SimpleTestCase):
    def stands(self, danger, events):
        return danger.hazard.id in {row.hazard.id for row in dangers_of(KNOWN, Case(DEVICE, (), tuple(events)))}

    def raisings(self):
        for line in RAISED_BY:
            (start,) = case([line], "phone usb_c none").events
            (danger,) = dangers_of(KNOWN, Case(DEVICE, (), (start,)))
            yield line, start, danger

    def test_what_its_row_does_not_name_never_ends_it_in_any_order(self):
        rng, tried = random.Random(28), 0
        for line, start, danger in self.raisings():
            others = [event for event in POOL if not is_named(danger, start, event)]
            pairs = list(product(others, others)) if EXHAUSTIVE else [rng.sample(others, 2) for _ in range(SAMPLE)]
            for one, other in pairs:
                for order in permutations((start, one, other)):
                    tried += 1
                    if not self.stands(danger, order):
                        self.fail(f"{line}: ended by {[event for event in order if event is not start]}")
        self.assertGreaterEqual(tried, 6 * SAMPLE * len(RAISED_BY))

    def test_it_can_always_end_by_a_repair_or_a_reading_that_its_row_names(self):
        for line, start, danger in self.raisings():
            named = [event for event in POOL if is_named(danger, start, event)]
            before = [RepairEvent(route) for route in danger.raised.may_end]
            ways = [(start, event) for event in named] + [(start, one, event) for one in before for event in named]
            with self.subTest(raised=line):
                self.assertTrue(any(not self.stands(danger, order) for order in ways), named)
                for route in danger.raised.ended_by:
                    self.assertFalse(self.stands(danger, (start, RepairEvent(route))), route)

    def test_the_same_reading_elsewhere_says_nothing_of_its_place(self):
        port, board = (case([f"power 3/500{at}"], "phone usb_c none").events[0] for at in ("", " at board"))
        well = {at: case([f"power 500/500{at}"], "phone usb_c none").events[0] for at in ("", " at board")}
        for start, same, elsewhere in ((port, well[""], well[" at board"]), (board, well[" at board"], well[""])):
            (danger,) = dangers_of(KNOWN, Case(DEVICE, (), (start,)))
            self.assertTrue(self.stands(danger, (start, elsewhere)))
            self.assertFalse(self.stands(danger, (start, elsewhere, same)))
