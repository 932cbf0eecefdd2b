"""No plan that may be chosen while a danger stands does what that danger forbids (common practice)."""

from itertools import product

from django.test import SimpleTestCase

from chargepath.case.entries import Case, HazardEvent
from chargepath.hazards.standing import STEP_PUTS, dangers_of, forbidding, step_forbidding
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.traits import built
from chargepath.repair.checker import flaws
from chargepath.repair.workplan import make_plan
from tests.builders import case
from tests.core.repair.test_workplan import devices
from tests.sizes import sized

KNOWN = shipped()
WORK = KNOWN.procedures
# Raised by a report, or by what is read where nobody can report it.
RAISED = {
    name: (HazardEvent(name),) if any(raised.seen for raised in hazard.raised) else ()
    for name, hazard in KNOWN.hazards.items()
}


def plans(found, route, reached, hazard):
    """The plan as it is chosen by itself, and with each other way of each choice."""
    base = make_plan(KNOWN, found, route, reached, dangers=[hazard])
    yield base
    for choice in base.choices:
        for row in choice.others:
            yield make_plan(KNOWN, found, route, reached, {choice.slot: row.option.id}, dangers=[hazard])


class EveryPlanWhileADangerStands(SimpleTestCase):
    def test_no_step_before_the_test_heats_presses_or_closes_what_the_danger_stops_and_the_order_is_right(self):
        made, held = 0, 0
        grid = list(product(devices(), WORK.recipes, ("outside", "opened"), KNOWN.hazards))
        for found, route, reached, hazard in grid[:: sized(211, 1)]:
            if not KNOWN.routes[route].fits(
                found.carrier, built(KNOWN.traits, found.kind, found.traits), wireless=found.wireless
            ):
                continue
            standing = dangers_of(KNOWN, Case(found, (), RAISED[hazard])) if RAISED[hazard] else ()
            if standing and forbidding(KNOWN, standing, "repair", route) is not None:
                held += 1
                continue
            for plan in plans(found, route, reached, hazard):
                made += 1
                where = (found, route, reached, hazard)
                self.assertEqual(flaws(WORK, plan.start, [row.step for row in plan.steps]), [], where)
                early = [row.step for row in plan.steps if row.phase in ("open", "work", "ready")]
                early = early[: next((n for n, step in enumerate(early) if step.id == "cell_boxed"), len(early))]
                # A battery or a charger is refused at its own step until what ends the danger was read.
                hurt = [
                    step.id for step in early if step_forbidding(standing, set(step.acts) - set(STEP_PUTS)) is not None
                ]
                self.assertEqual(hurt, [], where)
                if "start" in KNOWN.hazards[hazard].forbids:
                    self.assertNotIn("discharge", [step.id for step in early], where)
        self.assertGreater(made, sized(100, 30_000))
        self.assertGreater(held, sized(15, 3000))

    def test_every_danger_that_can_be_reported_is_on_the_grid_and_an_unsafe_cell_stops_heat_and_pressure(self):
        self.assertGreaterEqual(sum(bool(events) for events in RAISED.values()), 7)
        for name in ("cell_hot", "cell_swollen", "cell_damaged"):
            standing = dangers_of(KNOWN, Case(next(devices()), (), RAISED[name]))
            for acts in (("warm",), ("hot_air",), ("solder",), ("press",), ("close",), ("power",)):
                self.assertEqual(step_forbidding(standing, acts).hazard.id, name)
            self.assertIsNone(step_forbidding(standing, ("open", "part_glue", "solvent")))

    def test_a_shorted_rail_keeps_the_battery_off_until_it_is_read_again(self):
        for lines, forbids in ((["rail 3/400"], True), (["rail 3/400", "rail 400/400"], False)):
            found = step_forbidding(dangers_of(KNOWN, case(lines)), ("connect_cell",))
            self.assertEqual(found is not None, forbids)
