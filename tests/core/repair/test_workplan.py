"""Plans of work: every route, device, level and school gives an order that is right; planted mistakes are named."""

import random
from dataclasses import replace
from itertools import product

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.case.entries import Device
from chargepath.decision.prices import Prices
from chargepath.knowledge.changes import Change
from chargepath.knowledge.loader import load, shipped
from chargepath.knowledge.procedures import ALLOY
from chargepath.knowledge.traits import built
from chargepath.repair.checker import flaws
from chargepath.repair.figures import planned_minutes, standard_device
from chargepath.repair.layers import covered
from chargepath.repair.spare import sparing
from chargepath.repair.workplan import alloy_at, make_plan, tells_of
from tests.builders import device
from tests.sizes import sized

KNOWN = shipped()
WORK = KNOWN.procedures
BUILT = (
    (),
    ("clip_back", "shields_clipped", "battery_screwed", "cell_soldered", "coil_over_board"),
    ("hidden_pins", "plastic_near_port", "display_first", "display_glued"),
    ("sealed", "plastic_near_port", "flex_in_way", "port_screws_held"),
    (
        "stacked_board",
        "chip_between",
        "board_glued",
        "hidden_pins",
        "coil_over_board",
        "parts_by_cell_plug",
        "port_bracket",
        "underfill",
    ),
)


def devices():
    for kind, connector, carrier, traits in product(
        KNOWN.kinds, ("usb_c", "micro_b"), ("sub_board", "flex", "none"), BUILT
    ):
        yield Device(kind, connector, carrier, traits=traits)


def wrong(plan):
    return flaws(WORK, plan.start, [row.step for row in plan.steps])


class EveryPlan(SimpleTestCase):
    def test_no_missing_precondition_and_nothing_undone_with_any_school(self):
        made, grid = 0, list(product(devices(), WORK.recipes, KNOWN.access))
        # A step that is prime to the grid's sides comes by every device, route and depth.
        for found, route, reached in grid[:: sized(31, 1)]:
            if not KNOWN.routes[route].fits(
                found.carrier, built(KNOWN.traits, found.kind, found.traits), wireless=found.wireless
            ):
                continue
            base = make_plan(KNOWN, found, route, reached)
            self.assertEqual(wrong(base) + covered(KNOWN, found, base), [], (found, route, reached))
            if found.connector == "micro_b" or reached in ("opened", "unshielded"):
                continue
            for choice in base.choices:
                for row in choice.others:
                    plan = make_plan(KNOWN, found, route, reached, {choice.slot: row.option.id})
                    self.assertEqual(wrong(plan), [], (found, route, reached, choice.slot, row.option.id))
                    made += 1
        self.assertGreater(made, sized(100, 3000))

    def test_every_opening_with_every_seating(self):
        openings = product(KNOWN.kinds, ("rear_glass", "clip_back", "display_first"), WORK.options["opening"])
        for (kind, cover, opening), seating in product(openings, WORK.options["seating"]):
            found = Device(kind, "usb_c", "none", traits=(cover, "flex_in_way"))
            picks = {"opening": opening, "seating": seating}
            self.assertEqual(wrong(make_plan(KNOWN, found, "replace_port", picks=picks)), [], (found, picks))

    def test_every_pair_of_ways_to_take_a_port_off_and_put_it_on(self):
        bare = device("phone usb_c none")
        pairs = product(WORK.options["removal"], WORK.options["seating"], WORK.options["pads"], WORK.options["place"])
        for removal, seating, pads, place in pairs:
            picks = {"removal": removal, "seating": seating, "pads": pads, "place": place}
            self.assertEqual(wrong(make_plan(KNOWN, bare, "replace_port", picks=picks)), [], picks)

    def test_minutes_that_ship_are_those_of_the_plan(self):
        for name in WORK.recipes:
            route = KNOWN.routes[name]
            with self.subTest(route=name):
                plan = make_plan(KNOWN, standard_device(KNOWN, route), name)
                self.assertAlmostEqual(plan.work_minutes, route.minutes, delta=0.6)
        opened = planned_minutes(KNOWN, device("phone usb_c none"))
        for level in list(KNOWN.access.values())[1:]:
            self.assertAlmostEqual(opened[f"open:{level.id}"], level.open_minutes)

    def test_what_is_open_is_not_opened_again_and_the_battery_still_comes_off(self):
        fresh = make_plan(KNOWN, device("phone usb_c none"), "replace_guard")
        halfway = make_plan(KNOWN, device("phone usb_c none"), "replace_guard", "opened")
        ids = [row.step.id for row in halfway.steps]
        self.assertIn("plate_part", [row.step.id for row in fresh.steps])
        self.assertNotIn("plate_part", ids)
        self.assertLess(ids.index("cell_off"), ids.index("part_off"))
        self.assertLess(halfway.minutes(), fresh.minutes())

    def test_traits_lengthen_and_shorten_the_plan(self):
        plain = planned_minutes(KNOWN, device("phone usb_c sub_board"))
        stacked = planned_minutes(KNOWN, Device("phone", "usb_c", "sub_board", traits=("stacked_board", "clip_back")))
        self.assertAlmostEqual(stacked["route:replace_port_ic"], 112.6)
        self.assertAlmostEqual(plain["open:opened"] - stacked["open:opened"], 2.6, places=1)
        self.assertAlmostEqual(planned_minutes(KNOWN, device("tablet usb_c none"))["route:swap_battery"], 30.0)

    def test_resin_under_a_chip_is_looked_at_warmed_and_taken_off_and_its_harm_is_priced(self):
        glued = Device("phone", "usb_c", "none", traits=("underfill",))
        for route in ("replace_port_ic", "replace_charge_ic", "replace_ic_pair"):
            ids = [row.step.id for row in make_plan(KNOWN, glued, route).steps]
            lift = next(name for name in ids if name.endswith("lift_glued"))
            order = [ids.index(name) for name in ("resin_seen", "resin_edge", lift, "resin_rest", "chip_wick")]
            self.assertEqual(order, sorted(order))
            plain = [row.step.id for row in make_plan(KNOWN, replace(glued, traits=()), route).steps]
            self.assertFalse([name for name in plain if "resin" in name or "glued" in name])
            harms = [Prices.of(KNOWN, 150.0, device=one).harm_chance(KNOWN.routes[route]) for one in (glued, device())]
            self.assertGreater(harms[0], 0.09 + harms[1])

    def test_a_board_in_its_frame_is_spared_its_way_out_and_in(self):
        bare = device("phone usb_c none")
        minutes = {
            place: planned_minutes(KNOWN, bare, (("place", place),))["route:replace_charge_part"]
            for place in ("frame", "out")
        }
        self.assertAlmostEqual(minutes["frame"] - minutes["out"], 3.0 - KNOWN.access["board_out"].open_minutes)
        ids = [row.step.id for row in make_plan(KNOWN, bare, "replace_charge_part", picks={"place": "frame"}).steps]
        self.assertTrue("guard" in ids and "board_out" not in ids)
        on_plate = make_plan(KNOWN, bare, "replace_port_ic", picks={"place": "frame"})
        self.assertIn("board_out", [row.step.id for row in on_plate.steps])

    def test_what_a_way_costs_in_harm_and_come_backs_is_priced(self):
        bare = device("phone usb_c none")
        plain, risky = (
            Prices.of(KNOWN, 150.0, device=bare, picks={"removal": "iron", "seating": way, "pads": pads})
            for way, pads in (("iron", "flat"), ("air", "left"))
        )
        route = KNOWN.routes["replace_port"]
        air, left = WORK.options["seating"]["air"], WORK.options["pads"]["left"]
        self.assertAlmostEqual(1 - risky.harm_chance(route), (1 - plain.harm_chance(route)) * (1 - air.harm))
        rate = KNOWN.costs.comeback_rate
        self.assertAlmostEqual(risky.coming_back(route) / plain.coming_back(route), 1 + left.comeback / rate)
        self.assertAlmostEqual(plain.work_wait(KNOWN.routes["leave_on_charge"]), 30.0)

    def test_the_customer_is_told_what_the_plan_does(self):
        glued, clipped = device("phone usb_c none"), Device("phone", "usb_c", "none", traits=("clip_back",))
        self.assertIn("seal", tells_of(KNOWN, glued, "replace_port"))
        self.assertNotIn("seal", tells_of(KNOWN, clipped, "replace_port"))
        self.assertTrue({"heat", "lead"} <= set(tells_of(KNOWN, clipped, "replace_port")))
        self.assertEqual(tells_of(KNOWN, clipped, "restore_software"), ("erased",))

    def test_minutes_set_by_hand_move_every_device_alike(self):
        slower = load(changes=[Change("routes.replace_port.minutes", 70.0)])
        for found in (device("phone usb_c none"), device("tablet usb_c sub_board")):
            key = "route:replace_port"
            self.assertAlmostEqual(planned_minutes(slower, found)[key], 2 * planned_minutes(KNOWN, found)[key])

    def test_a_pick_is_taken_where_it_suits_and_passed_over_where_it_does_not(self):
        bare = device("phone usb_c none")
        told = make_plan(KNOWN, bare, "replace_port", picks={"removal": "air_above"})
        removal = next(choice for choice in told.choices if choice.slot == "removal")
        self.assertEqual((removal.picked.option.id, removal.told), ("air_above", True))
        melts = replace(bare, traits=("plastic_near_port",))
        other = make_plan(KNOWN, melts, "replace_port", picks={"removal": "air_above"})
        removal = next(choice for choice in other.choices if choice.slot == "removal")
        self.assertEqual((removal.picked.option.id, removal.told), ("low_melt", False))

    def test_what_does_not_suit_is_said_and_not_passed_over_silently(self):
        plan = make_plan(
            KNOWN, device("phone usb_c none"), "replace_port", picks={"removal": "low_melt", "pads": "left"}
        )
        why = {choice.slot: choice.why for choice in plan.choices}
        self.assertEqual(why["pads"], "a little left on the pads does not go here: the port lies flush")
        self.assertTrue(why["removal"].startswith("chosen here"))

    def test_the_cheapest_way_depends_on_what_the_device_is_worth(self):
        picked = {
            value: {
                choice.slot: choice.picked.option.id
                for choice in make_plan(KNOWN, replace(device("phone usb_c none"), value=value), "replace_port").choices
            }
            for value in (5.0, 30.0, 600.0)
        }
        self.assertEqual([found["removal"] for found in picked.values()], ["air_above", "air_above", "low_melt"])
        # Hot air beside a cell is never what costs least: somebody has to decide it.
        self.assertEqual({found["place"] for found in picked.values()}, {"out"})

    def test_the_last_part_here_is_spared_where_what_harms_it_costs_more_than_the_minutes_saved(self):
        cheap = replace(device("phone usb_c none"), traits=("hidden_pins",), value=5.0)
        plan = make_plan(KNOWN, cheap, "replace_port")
        seating = next(choice for choice in plan.choices if choice.slot == "seating")
        self.assertEqual(seating.picked.option.id, "air")
        self.assertEqual([sparing(WORK, plan, loss) for loss in (0.0, 400.0)], [{}, {"seating": "drop_in"}])
        told = make_plan(KNOWN, cheap, "replace_port", picks={"seating": "air"})
        self.assertEqual(sparing(WORK, told, 400.0), {})

    def test_a_board_that_is_glued_in_or_stacked_is_never_heated_in_its_frame(self):
        for trait in ("board_glued", "stacked_board"):
            plan = make_plan(
                KNOWN, Device("phone", "usb_c", "none", traits=(trait,)), "replace_port", picks={"place": "frame"}
            )
            self.assertIn("board_out", [row.step.id for row in plan.steps])

    def test_a_repair_that_opens_nothing_asks_for_no_way_of_opening(self):
        """Pricing a way that does not suit had put the choice of an opening into the plan of a port that is cleaned."""
        for route in ("clean_port", "leave_on_charge", "reset_software"):
            plan = make_plan(KNOWN, device("phone usb_c none"), route)
            self.assertEqual([choice.slot for choice in plan.choices], ["proof"], route)

    def test_proving_has_no_plan(self):
        with self.assertRaises(ReadingError):
            make_plan(KNOWN, device("phone usb_c none"), "prove")


# Each: a route, what is done to its right order, and the rule that has to name it. drop: a step is left out; early: it
# is done right before another one; late: right after it.
PLANTED = [
    ("replace_port", ("drop", "cell_off"), "pry_live"),
    ("swap_battery", ("late", "cell_off", "cell_tabs"), "pry_live"),
    ("replace_port", ("drop", "off"), "open_on"),
    ("swap_carrier", ("drop", "sim_out"), "open_sim"),
    ("swap_carrier", ("drop", "plate_warm"), "open_cold"),
    ("replace_port", ("drop", "mask"), "hot_air_bare"),
    ("replace_port", ("drop", "dry_fit"), "seat_untried"),
    ("replace_port", ("late", "wick", "iron_anchors"), "seat_full"),
    ("replace_port", ("late", "iron_anchors", "iron_pins"), "pins_first"),
    ("replace_port", ("early", "flux_off", "cool_pads"), "solvent_hot"),
    ("replace_port", ("late", "dry_off", "cell_on"), "needs solvent"),
    ("replace_port", ("late", "measure_port", "cell_on"), "cell_on_loose"),
    ("replace_port", ("late", "measure_port", "test"), "power_unmeasured"),
    ("replace_port", ("drop", "nudge"), "power_unlooked"),
    ("replace_port", ("drop", "unmask"), "close_masked"),
    ("replace_port", ("late", "dry_off", "test"), "power_solvent"),
    ("replace_port", ("drop", "flux_off"), "close_flux"),
    ("replace_port_ic", ("drop", "chip_photo"), "chip_unmarked"),
    ("replace_port_ic", ("late", "measure_chip", "cell_on"), "probe_live"),
    ("clean_board", ("late", "dry_board", "test"), "power_wet"),
    ("clean_board", ("late", "modules_off", "bath"), "bath_modules"),
    ("swap_carrier", ("drop", "side_by_side"), "swap_unlaid"),
    ("swap_carrier", ("drop", "film_off"), "close_unmoved"),
    ("swap_carrier", ("drop", "film_off"), "close_film"),
    ("replace_port", ("drop", "cap_off"), "seat_cap"),
    ("replace_port", ("drop", "bracket_on"), "goal held_off"),
    ("swap_carrier", ("late", "screws_in", "cover_on"), "close_screws"),
    ("swap_carrier", ("early", "pattern_lay", "pattern_clean"), "seal_dirty"),
    ("swap_carrier", ("drop", "test"), "close_untried"),
    ("swap_carrier", ("late", "new_in", "test"), "undoes tried"),
    ("resolder_port", ("early", "resin_dab", "test"), "resin_early"),
    ("bridge_pad", ("drop", "lacquer"), "power_bare"),
    ("replace_link", ("drop", "cell_on"), "power_no_cell"),
    ("replace_link", ("drop", "sim_in"), "goal sim_in"),
    ("replace_port", ("drop", "board_in"), "goal board_out"),
    ("replace_port", ("late", "flux_off", "nudge"), "look_flux"),
    ("replace_port", ("early", "nudge", "cool_pads"), "look_hot"),
    ("replace_guard", ("drop", "part_off_cool"), "probe_hot"),
    ("replace_guard", ("late", "part_off_cool", "part_lines"), "probe_hot"),
    ("replace_port", ("drop", "wick"), "seat_low_melt"),
    ("replace_port", ("drop", "wick"), "back"),
    ("replace_port_ic", ("drop", "chip_wick"), "seat_low_melt"),
    ("replace_port_ic", ("drop", "chip_dry"), "heat_solvent"),
    ("replace_port_ic", ("early", "chip_lift", "board_out"), "plate_device"),
    ("resolder_port", ("late", "off_for_more", "resin_dab"), "resin_on"),
    ("resolder_port", ("late", "off_for_more", "resin_dab"), "resin_live"),
    ("swap_battery", ("early", "cell_stick", "test"), "stick_untried"),
    ("swap_battery", ("drop", "off_for_more"), "stick_live"),
    ("swap_battery", ("drop", "cell_laid"), "swap_unlaid"),
    ("clean_board", ("drop", "modules_off"), "wash_lids"),
    ("clean_board", ("drop", "modules_back"), "goal lids_up"),
    ("clean_board", ("drop", "dry_board"), "power_wet"),
    ("swap_carrier", ("drop", "plates_back"), "goal plates_off"),
    ("swap_carrier", ("late", "plates_back", "cell_back_on"), "needs cell_on"),
    ("swap_carrier", ("late", "pattern_dry", "pattern_lay"), "seal_solvent"),
    ("swap_carrier", ("drop", "pattern_dry"), "close_solvent"),
    ("swap_battery", ("drop", "bay_look"), "cell_on_solvent"),
    ("clean_port", ("drop", "port_dry"), "power_solvent"),
    ("bridge_pad", ("late", "lacquer", "test"), "power_bare"),
    ("bridge_pad", ("drop", "flux_off"), "look_flux"),
    ("replace_port", ("drop", "board_screws"), "needs board_held"),
]
# The same on a stacked board.
STACKED = [
    ("rejoin_board", ("drop", "stack_flux_off"), "join_flux"),
    ("rejoin_board", ("drop", "stack_try"), "join_untried"),
    ("rejoin_board", ("drop", "stack_apart"), "join_live"),
    ("rejoin_board", ("drop", "stack_unmask"), "close_masked"),
    ("rejoin_board", ("drop", "split_cool"), "solvent_hot"),
    ("rejoin_board", ("drop", "join_lines"), "power_seam"),
    ("replace_port_ic", ("late", "measure_chip", "join"), "join_unmeasured"),
    ("replace_port_ic", ("late", "measure_chip", "stack_align"), "cell_on_loose"),
    ("replace_port_ic", ("late", "nudge", "join"), "join_unlooked"),
    ("replace_port_ic", ("late", "stack_flux_off", "join"), "join_flux"),
    ("replace_charge_ic", ("drop", "join_lines"), "power_seam"),
    ("replace_charge_ic", ("drop", "join"), "goal split"),
    ("replace_charge_ic", ("drop", "join_dry"), "needs solvent"),
]


class UnsafeCells(SimpleTestCase):
    """No step heats, presses, pries at or runs a device whose cell is swollen, hot, damaged or over its limit."""

    UNSAFE = ("cell_hot", "cell_swollen", "cell_damaged", "over_voltage")
    HEATED = {"warm", "hot_air", "solder", "power"}

    def test_nothing_warms_or_runs_it_before_it_lies_in_the_box(self):
        for found, hazard in product(devices(), self.UNSAFE):
            for reached in ("outside", "opened"):
                plan = make_plan(KNOWN, found, "swap_battery", reached, dangers=[hazard])
                self.assertEqual(wrong(plan), [], (found, hazard, reached))
                ids = [row.step.id for row in plan.steps]
                first = [row.step for row in plan.steps[: ids.index("cell_boxed")]]
                with self.subTest(found=found, hazard=hazard, reached=reached):
                    self.assertFalse([step.id for step in first if self.HEATED & set(step.acts)])
                    self.assertFalse(
                        [step.id for step in first if {"plate_c", "clamp_c", "press_n"} & set(step.settings)]
                    )
                    self.assertFalse({"discharge", "cell_tabs", "cell_tabs_more", "cell_binned"} & set(ids))

    def test_a_sound_cell_is_run_down_before_it_is_switched_off_and_one_that_must_not_start_is_not(self):
        found = device("phone usb_c none")
        ids = [row.step.id for row in make_plan(KNOWN, found, "swap_battery").steps]
        self.assertLess(ids.index("discharge"), ids.index("off"))
        self.assertNotIn("discharge", [row.step.id for row in make_plan(KNOWN, found, "replace_port").steps])
        wet = make_plan(KNOWN, found, "swap_battery", dangers=["wet"])
        self.assertNotIn("discharge", [row.step.id for row in wet.steps])

    def test_the_battery_is_connected_again_before_it_is_closed(self):
        for found in devices():
            ids = [row.step.id for row in make_plan(KNOWN, found, "reseat_links").steps]
            soldered = "cell_soldered" in found.traits
            off, on = ("off_closing", "cell_leads_on") if soldered else ("off_again", "cell_back_on")
            self.assertEqual(ids.index(off) > ids.index(on), soldered)
            self.assertLess(ids.index(on), ids.index("cover_on"))
            self.assertLess(ids.index(off), ids.index("cover_on"))

    def test_the_side_that_is_to_come_off_lies_on_the_plate(self):
        for step in WORK.steps():
            if "plate_c" in step.settings and {"warm"} & {fact for fact, _ in step.makes}:
                self.assertRegex(step.do, "[Rr]ear glass|[Ll]ower edge|one edge", step.id)


class Solder(SimpleTestCase):
    BARE = device("phone usb_c none")
    FREE = {ALLOY: "lead_free"}

    def test_words_settings_cautions_and_what_the_customer_is_told_follow_from_it(self):
        for route in ("replace_port", "resolder_port", "reinforce_port", "bridge_pad", "replace_port_ic"):
            for picks, leaded in (({}, True), (self.FREE, False)):
                steps = [row.step for row in make_plan(KNOWN, self.BARE, route, picks=picks).steps]
                named = [step for step in steps if " leaded" in f" {' '.join((step.do, *step.materials)).lower()}"]
                with self.subTest(route=route, leaded=leaded):
                    self.assertFalse([step.id for step in steps if "{" in f"{step.do}{step.materials}{step.solder}"])
                    self.assertFalse([step.id for step in named if "lead" not in step.cautions])
                    self.assertEqual(
                        any("lead" in step.cautions for step in steps), leaded and route != "replace_port_ic"
                    )
                    self.assertEqual("lead" in tells_of(KNOWN, self.BARE, route, picks), bool(named))
        iron = [
            {row.step.id: row.step.settings.get("iron_c") for row in plan.steps}["iron_anchors"]
            for plan in (
                make_plan(KNOWN, self.BARE, "replace_port", picks={**picks, "seating": "iron"})
                for picks in ({}, self.FREE)
            )
        ]
        self.assertEqual(iron, [370, 400])

    def test_one_step_may_have_its_own_and_what_only_melts_it_follows(self):
        picks = {"seating": "drop_in", "removal": "iron", alloy_at("wick"): "lead_free"}
        rows = {row.step.id: row for row in make_plan(KNOWN, self.BARE, "replace_port", picks=picks).steps}
        found = {
            name: rows[name].step.solder for name in ("iron_flood", "wick", "drop_in", "drop_anchors", "drop_pins")
        }
        self.assertEqual(
            found,
            {
                "iron_flood": "leaded",
                "wick": "lead_free",
                "drop_in": "lead_free",
                "drop_anchors": "leaded",
                "drop_pins": "leaded",
            },
        )
        self.assertEqual((rows["wick"].alloy, rows["drop_in"].alloy), ("lead_free", ""))

    def test_where_it_cannot_be_hot_enough_beside_plastic_lead_free_is_not_offered(self):
        hidden = replace(self.BARE, traits=("hidden_pins", "plastic_near_port"))
        plan = make_plan(KNOWN, hidden, "replace_port", picks=self.FREE)
        choice = next(choice for choice in plan.choices if choice.slot == ALLOY)
        self.assertEqual((choice.picked.option.id, choice.others), ("leaded", ()))
        self.assertIn("lead-free does not go here", choice.why)
        self.assertIn("lead", tells_of(KNOWN, hidden, "replace_port", self.FREE))
        plastic = replace(self.BARE, traits=("plastic_near_port",))
        ways = {"removal": "plate_below", alloy_at("plate_soak"): "lead_free"}
        soak = {row.step.id: row for row in make_plan(KNOWN, plastic, "replace_port", picks=ways).steps}["plate_soak"]
        self.assertEqual((soak.alloy, soak.alloys), ("leaded", ("leaded",)))


class PlantedMistakes(SimpleTestCase):
    """The checker has to name each by the rule that it breaks."""

    def test_each_is_named(self):
        self.assertGreaterEqual(len(PLANTED) + len(STACKED), 60)
        picks = {"removal": "low_melt", "seating": "iron"}
        for (route, (how, step, *at), rule), traits in (
            *((row, ("sealed", "port_bracket")) for row in PLANTED),
            *((row, ("stacked_board",)) for row in STACKED),
        ):
            bare = Device("phone", "usb_c", "none" if route != "swap_carrier" else "sub_board", traits=traits)
            steps = [row.step for row in make_plan(KNOWN, bare, route, picks=picks).steps]
            moved = next(row for row in steps if row.id == step)
            steps.remove(moved)
            if how != "drop":
                where = [row.id for row in steps].index(at[0])
                steps.insert(where + (how == "late"), moved)
            with self.subTest(route=route, how=how, step=step):
                named = [flaw.rule for flaw in flaws(WORK, WORK.start["outside"], steps)]
                self.assertIn(rule, named)

    def test_a_port_in_its_frame_without_a_guard_is_named(self):
        plan = make_plan(KNOWN, device("phone usb_c none"), "replace_port", picks={"place": "frame"})
        steps = [row.step for row in plan.steps if row.step.id != "guard"]
        self.assertIn("frame_heat", [flaw.rule for flaw in flaws(WORK, plan.start, steps)])

    def test_every_rule_is_broken_by_one_of_the_orders_above_or_by_its_own_act(self):
        """A rule whose act no step does, or whose fact no step makes, would guard nothing."""
        acts = {act for step in WORK.steps() for act in step.acts}
        facts = {fact for step in WORK.steps() for fact, _ in step.makes} | set(WORK.start["outside"])
        for rule in WORK.nevers:
            with self.subTest(rule=rule.id):
                self.assertIn(rule.act, acts)
                self.assertIn(rule.fact, facts)


class GoingBack(SimpleTestCase):
    """A check that is not so leads back to an earlier step; what follows from there is an order that is right too."""

    def test_every_way_back_and_on_again(self):
        tried = 0
        for found, route in product(devices(), WORK.recipes):
            if found.connector != "usb_c" or not KNOWN.routes[route].fits(
                found.carrier, found.traits, wireless=found.wireless
            ):
                continue
            plan = make_plan(KNOWN, found, route)
            steps = [row.step for row in plan.steps]
            ids = [step.id for step in steps]
            for place, step in enumerate(steps):
                if step.back:
                    back = step.way_back(ids[: place + 1])
                    again = steps[: place + 1] + steps[ids.index(back) :]
                    named = [flaw for flaw in flaws(WORK, plan.start, again) if flaw.rule != "undoes tinned"]
                    with self.subTest(route=route, device=found, step=step.id):
                        self.assertEqual(named, [])
                    tried += 1
        self.assertGreater(tried, 200)

    def test_a_way_back_leads_back_and_not_on(self):
        for route in WORK.recipes:
            ids = [row.step.id for row in make_plan(KNOWN, standard_device(KNOWN, KNOWN.routes[route]), route).steps]
            steps = {step.id: step for step in WORK.steps()}
            for place, name in enumerate(ids):
                for back in set(steps[name].back) & set(ids):
                    self.assertLessEqual(ids.index(back), place, (route, name))


class Random(SimpleTestCase):
    def test_any_two_steps_of_the_work_in_the_wrong_order_are_seldom_right(self):
        """Most orders are wrong: a checker that lets nearly every swap pass would guard nothing."""
        rng = random.Random(7)
        caught = {}
        for route in ("replace_port", "replace_port_ic", "clean_board", "swap_carrier"):
            plan = make_plan(KNOWN, standard_device(KNOWN, KNOWN.routes[route]), route)
            steps = [row.step for row in plan.steps]
            wrong_ones = 0
            for _ in range(200):
                shuffled = list(steps)
                rng.shuffle(shuffled)
                wrong_ones += bool(flaws(WORK, plan.start, shuffled))
            caught[route] = wrong_ones
        self.assertEqual(set(caught.values()), {200}, caught)

    def test_leaving_any_one_step_out_that_makes_something_is_mostly_named(self):
        plan = make_plan(KNOWN, device("phone usb_c none"), "replace_port")
        steps = [row.step for row in plan.steps if row.step.makes]
        named = [
            step.id
            for step in steps
            if flaws(WORK, plan.start, [row.step for row in plan.steps if row.step is not step])
        ]
        self.assertGreaterEqual(len(named) / len(steps), 0.8, {step.id for step in steps} - set(named))
