"""Steps that guard a person or the device."""

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped
from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.guards import Guard, GuardKind, guards_of

SEEN = {"is_read": True, "is_off": False, "has_map": True}


class Guards(SimpleTestCase):
    def kinds(self, step, waited_min=0.0, **seen):
        return [guard.kind.value for guard in guards_of(step, waited_min=waited_min, **{**SEEN, **seen})]

    def test_a_wait_is_open_until_its_last_minute_has_passed_and_says_how_much_of_it_did(self):
        bath = WorkStep(id="bath", do="", minutes=1.0, wait=6.0)
        self.assertEqual(guards_of(bath, waited_min=5.9, **SEEN), (Guard(kind=GuardKind.WAIT, waited=5.9, wait=6.0),))
        self.assertEqual(self.kinds(bath, 6.0), [])

    def test_a_reading_and_a_map_of_the_screws_close_what_they_stand_for(self):
        lines = WorkStep(id="lines", do="", minutes=1.0, wait=2.0, record="line_power")
        self.assertEqual(self.kinds(lines, 2.0, is_read=False), ["reading"])
        self.assertEqual(self.kinds(lines, 1.0, is_read=False), ["wait", "reading"])
        back = WorkStep(id="back", do="", minutes=1.0, screws="in")
        self.assertEqual((self.kinds(back), self.kinds(back, has_map=False)), ([], ["screws"]))
        self.assertEqual(self.kinds(WorkStep(id="out", do="", minutes=1.0, screws="out"), has_map=False), [])

    def test_a_reading_that_is_off_is_asked_about_where_power_comes_next_and_only_there(self):
        before_power = WorkStep(id="lines", do="", minutes=1.0, record="line_power", makes=(("unmeasured", False),))
        to_find_it = WorkStep(id="lift", do="", minutes=1.0, record="lift_port_ic")
        self.assertEqual([self.kinds(step, is_off=True) for step in (before_power, to_find_it)], [["off"], []])
        self.assertEqual(self.kinds(before_power), [])

    def test_the_battery_taken_off_is_asked_of_a_key_held_down_and_of_many_steps_at_once(self):
        off = WorkStep(id="off", do="", minutes=0.5, makes=(("cell_on", False),))
        on = WorkStep(id="on", do="", minutes=0.5, makes=(("cell_on", True),))
        self.assertEqual([self.kinds(off, seconds / 60) for seconds in (2.9, 3.1)], [["cell"], []])
        self.assertEqual(self.kinds(off, 30.0, in_one_go=True), ["cell"])
        self.assertEqual(self.kinds(on, in_one_go=True), [])

    def test_the_shipped_steps_guard_as_they_should(self):
        steps = {step.id: step for step in shipped().procedures.steps()}
        nothing = {"is_read": False, "is_off": False, "has_map": False}
        found = {name: self.kinds(step, in_one_go=True, **nothing) for name, step in steps.items()}
        self.assertEqual(
            {
                name: found[name]
                for name in ("cell_off", "off_again", "dry_board", "measure_port", "screws_in", "photo")
            },
            {
                "cell_off": ["cell"],
                "off_again": ["cell"],
                "dry_board": ["wait"],
                "measure_port": ["reading"],
                "screws_in": ["screws"],
                "photo": [],
            },
        )
