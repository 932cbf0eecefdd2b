"""Dangers: what raises one, what it forbids, what leads out (trade reasoning, common practice)."""

from dataclasses import fields, replace
from itertools import product

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from chargepath.base.errors import KnowledgeError
from chargepath.case.entries import CheckEvent, HazardEvent
from chargepath.case.quickline import parse_line
from chargepath.decision.judgement import judge
from chargepath.decision.prices import Prices
from chargepath.hazards.standing import dangers_of, event_forbidding, forbidding, refuse
from chargepath.knowledge.loader import load, shipped
from tests.builders import believe, case, device
from tests.sizes import sized

KNOWN = shipped()
POWERED = {"charger", "cell", "supply", "start"}
CORRODED = ("clean_port", "swap_carrier", "replace_port", "replace_link")
RAIL = {"charger", "cell", "start", "battery"}
# While these stand, whatever is found may be repaired.
REPAIRS = ("input_shorted", "burnt_smell", "rail_shorted", "charger_unsafe", "mishap_unseen")
# What raises a danger, which one, what current it forbids then, the one way out, what else may be done about it.
RAISED = [
    (("danger hot",), (), "cell_hot", {"charger", "cell", "start"}, "swap_battery", ()),
    (("danger swollen",), (), "cell_swollen", {"charger", "cell", "start"}, "swap_battery", ()),
    (("inside swollen",), (), "cell_swollen", {"charger", "cell", "start"}, "swap_battery", ()),
    (("danger dented",), (), "cell_damaged", {"charger", "cell", "start"}, "swap_battery", ()),
    (("mishap cell",), (), "cell_damaged", {"charger", "cell", "start"}, "swap_battery", ()),
    (("inside clean", "mishap pad"), (), "mishap_unseen", POWERED | {"battery"}, "inside_look", ()),
    (("danger burnt",), (), "burnt_smell", POWERED, "inside_look", ("replace_link", "replace_port")),
    (("inside burnt",), (), "burnt_smell", POWERED, "line_power", ("replace_link", "replace_port")),
    (("danger wet",), (), "wet", POWERED, "inside_look", ("clean_board",)),
    (("danger wet", "inside corroded"), (), "wet", POWERED, "clean_board", ("clean_board",)),
    ((), ("liquid",), "wet", POWERED, "inside_look", ("clean_board",)),
    (("mark wet",), (), "wet", POWERED, "inside_look", ("clean_board",)),
    (("inside corroded",), (), "corroded_powered", POWERED, "clean_board", ("replace_link", "swap_carrier")),
    (
        ("rail 3/400",),
        (),
        "rail_shorted",
        RAIL,
        "",
        ("replace_charge_ic", "swap_carrier"),
    ),
    (("idle 0.9",), (), "rail_shorted", RAIL, "", ("replace_port_ic",)),
    (("rail 3/400", "did repair_rail"), (), "rail_shorted", RAIL, "line_battery", ()),
    (("vport 20",), (), "port_over_voltage", {"charger"}, "advise_source", ()),
    (("i 1.2 20 40%",), (), "port_over_voltage", {"charger"}, "advise_source", ()),
    (("vboard 10.5 9",), (), "port_over_voltage", {"charger"}, "advise_source", ()),
    (("danger charger",), (), "charger_unsafe", set(), "advise_source", ("swap_battery",)),
    (
        ("port corroded",),
        (),
        "corroded_powered",
        POWERED,
        "clean_port",
        ("swap_carrier", "replace_port", "clean_board"),
    ),
    (("danger corroded",), (), "corroded_powered", POWERED, "clean_board", CORRODED),
    (("power 3/500",), (), "input_shorted", {"charger"}, "", ("replace_guard", "swap_carrier", "swap_battery")),
    (("power 3/500 at board", "did replace_guard"), (), "input_shorted", {"charger"}, "line_power", ("swap_carrier",)),
    (("plugline 3/500",), (), "input_shorted", {"charger"}, "line_power", ("replace_guard",)),
    (("cell 1.99",), (), "cell_deep", {"charger", "cell"}, "swap_battery", ()),
    (("cell 0.1",), (), "cell_deep", {"charger", "cell"}, "tabs_volts", ("swap_battery",)),
    (("cell 0.1", "tabs 1.9"), (), "cell_deep", {"charger", "cell"}, "swap_battery", ()),
    (("tabs 1.9",), (), "cell_deep", {"charger", "cell"}, "swap_battery", ()),
    (("cell 0.1", "tabs 4.6"), (), "over_voltage", {"charger", "cell", "start"}, "swap_battery", ()),
    (("temp 61",), (), "cell_hot", {"charger", "cell", "start"}, "swap_battery", ()),
    (
        ("message moisture", "did dry_port"),
        (),
        "port_moist",
        {"charger"},
        "port_look",
        ("dry_port", "clean_port", "clean_board"),
    ),
    (("message moisture",), (), "port_moist", {"charger"}, "dry_port", ("clean_port", "clean_board")),
    ((), ("salt_liquid",), "wet", POWERED, "inside_look", ("clean_board",)),
    (("cell 4.7",), (), "over_voltage", {"charger", "cell", "start"}, "swap_battery", ()),
]
# What ends a danger, and what does not.
ENDED = [
    (("mishap slipped", "did repair_rail"), (), False),
    (("mishap slipped", "did repair_rail", "inside clean"), (), True),
    (("mishap slipped", "inside clean"), (), True),
    (("mishap slipped", "power 500/500"), (), False),
    (("mishap screen",), (), True),
    (("mishap cell", "did swap_battery"), (), True),
    (("danger hot", "did swap_battery"), (), True),
    (("inside swollen", "did swap_battery"), (), True),
    (("danger swollen", "did swap_battery"), (), True),
    (("danger dented", "did swap_battery"), (), True),
    (("inside swollen", "inside clean"), (), False),
    (("inside swollen", "did reseat_links"), (), False),
    (("cell 1.2", "did swap_battery"), (), True),
    (("cell 1.2", "cell 3.6"), (), False),
    (("cell 1.4", "cell 2.1"), (), False),
    (("cell 0.1", "tabs 3.1"), (), True),
    (("cell 0.1", "tabs 1.9"), (), False),
    (("cell 0.1", "cell 3.1"), (), False),
    (("cell 0.1", "did swap_battery"), (), True),
    (("cell 0.1", "tabs 1.9", "did swap_battery"), (), True),
    (("cell 0.1", "tabs 4.6", "did swap_battery"), (), True),
    (("cell 1.2", "tabs 2.4"), (), True),
    (("tabs 1.9", "tabs 2.4"), (), False),
    (("temp 59",), (), True),
    (("temp 61", "temp 30"), (), False),
    (("temp 61", "did swap_battery"), (), True),
    (("inside clean",), ("salt_liquid",), True),
    (("inside corroded", "did clean_board"), ("salt_liquid",), True),
    (("message moisture", "did clean_port"), (), True),
    (("message moisture", "did clean_board"), (), True),
    (("message moisture", "did swap_battery"), (), False),
    (("message moisture", "did dry_port"), (), False),
    (("message moisture", "did dry_port", "port clean"), (), True),
    (("message moisture", "did dry_port", "port corroded"), (), False),
    (("message moisture", "did dry_port", "port lint"), (), True),
    (("message moisture", "port clean"), (), False),
    (("message moisture", "message clean"), (), True),
    (("cell 4.5",), (), True),
    (("cell 4.7", "cell 4.2"), (), False),
    (("cell 4.7", "did swap_battery"), (), True),
    (("cell 2.0",), (), True),
    (("danger burnt", "inside clean"), (), True),
    (("danger burnt", "inside burnt"), (), False),
    (("inside burnt", "power 500/500"), (), True),
    (("inside burnt", "power 3/500"), (), False),
    (("inside clean",), ("liquid",), True),
    (("port lint",), ("liquid",), False),
    (("inside corroded",), ("liquid",), False),
    (("inside corroded", "did clean_board"), ("liquid",), True),
    (("mark wet", "inside clean"), (), True),
    (("danger wet", "inside clean"), (), True),
    (("danger wet", "inside corroded"), (), False),
    (("inside clean", "mark wet"), (), True),
    (("inside clean", "did reseat_links", "mark wet"), (), False),
    (("mark wet", "mark dry"), (), False),
    (("mark wet", "did clean_board"), (), True),
    (("inside burnt", "inside clean"), (), False),
    (("inside swollen", "inside corroded", "did clean_board"), (), False),
    (("danger wet", "did clean_board"), (), True),
    (("inside corroded", "inside clean"), (), False),
    (("inside corroded", "did clean_board"), (), True),
    (("inside corroded", "did replace_link"), (), False),
    (("inside corroded", "did swap_carrier"), (), False),
    (("inside corroded", "did swap_carrier", "inside corroded"), (), False),
    (("inside corroded", "did swap_carrier", "inside clean"), (), True),
    (("inside corroded", "did reseat_links", "inside clean"), (), False),
    (("inside corroded", "did clean_port"), (), False),
    (("port corroded", "did clean_port"), (), True),
    (("port corroded", "did swap_carrier"), (), True),
    (("port corroded", "did replace_port"), (), True),
    (("port corroded", "did clean_board"), (), True),
    (("danger corroded", "did clean_board"), (), True),
    (("danger corroded", "did clean_port"), (), False),
    (("danger corroded", "did clean_port", "inside clean"), (), True),
    (("plugline 3/500", "power 490/500"), (), True),
    (("plugline 3/500", "power 490/500 at board"), (), False),
    (("plugline 3/500", "plugline 490/500"), (), True),
    (("plugline 3/500", "power 3/500"), (), False),
    (("power 3/500", "power 490/500"), (), True),
    (("power 3/500", "power 490/500 at board"), (), False),
    (("power 3/500", "did replace_guard"), (), False),
    (("power 3/500", "did replace_guard", "power 490/500 at board"), (), False),
    (("power 3/500 at board", "did reseat_links no", "power 490/500"), (), False),
    (("power 3/500 at board", "did replace_guard", "power 490/500 at board"), (), True),
    (("rail 3/400", "rail 390/400"), (), True),
    (("rail 3/400", "did swap_battery"), (), False),
    (("idle 0.9", "idle 0.001"), (), True),
    (("danger charger", "did advise_source"), (), True),
    (("vport 9.1",), (), True),
    (("vport 19.8 20",), (), True),
    (("vport 20",), (), False),
    (("vport 20", "vboard 5.0"), (), False),
    (("vport 20", "vport 5.0"), (), True),
    (("vport 20", "did clean_port"), (), False),
    (("vport 20", "did advise_source"), (), True),
    (("vboard 10.5 9", "did advise_source"), (), True),
    (("i 1.2 20 40%", "did advise_source"), (), True),
    (("i 1.2 20 40%", "i 1.2 5 40%"), (), True),
    (("i 1.2 20 40%", "port clean"), (), False),
]
# What current an act puts into a device, by hand: what is not named here puts none.
PUTS = {
    ("check", "charger_current"): {"charger"},
    ("check", "plug_flip"): {"charger"},
    ("check", "plug_wiggle"): {"charger"},
    ("check", "wireless_charge"): {"charger"},
    ("check", "off_current"): {"charger", "start"},
    ("check", "data_link"): {"charger"},
    ("check", "power_up"): {"start"},
    ("check", "battery_report"): {"charger", "start"},
    ("check", "charge_wait"): {"charger", "cell"},
    ("check", "input_volts_port"): {"charger"},
    ("check", "input_volts_board"): {"charger"},
    ("check", "supply_idle"): {"supply"},
    ("check", "hot_spot"): {"supply"},
    ("check", "screen_sign"): {"charger"},
    ("check", "own_cable_wiggle"): {"charger"},
    ("check", "supply_start"): {"supply", "start"},
    ("check", "draw_unplugged"): {"supply"},
    ("check", "screen_message"): {"charger"},
    ("check", "charge_settings"): {"start"},
    ("check", "percent_seen"): {"start"},
    ("check", "data_volts"): {"supply", "start"},
    ("check", "runs_dark"): {"start"},
    ("check", "device_report"): {"start"},
    ("check", "capacity_run"): {"charger", "cell"},
    ("repair", "advise_source"): {"charger"},
    ("repair", "reset_software"): {"charger", "start"},
    ("repair", "restore_software"): {"charger", "start"},
    ("repair", "leave_on_charge"): {"charger", "cell"},
    ("repair", "recover_battery"): {"cell"},
    ("repair", "swap_battery"): {"battery"},
    ("repair", "repair_rail"): {"supply"},
    ("repair", "lift_hold"): {"charger"},
    ("repair", "reset_gauge"): {"charger", "cell", "start"},
    ("repair", "wake_cell"): {"cell"},
    ("repair", "prove"): {"charger"},
}
# How far the device is open: what was done before, without a current.
STAGES = ((), ("joint firm",), ("rail 400/400",), ("ring 450/450",))
ACTS = (
    [("check", name) for name in KNOWN.checks]
    + [("try", route.id) for route in KNOWN.routes.values() if route.try_minutes is not None]
    + [("repair", name) for name in KNOWN.routes]
)


def puts(kind, name):
    return {"charger"} | PUTS.get(("repair", name), set()) if kind == "try" else PUTS.get((kind, name), set())


def expected(kind, name, forbids, way, also, any_repair):
    """Whether an act is forbidden, by hand."""
    leads_out = kind == "repair" and name in (way, *also)
    if puts(kind, name) & forbids:
        return not leads_out
    return kind == "repair" and name != "refer" and "charger" in forbids and not (leads_out or any_repair)


OVERRULED = {"burnt_smell", "wet", "port_moist", "corroded_powered", "input_shorted", "rail_shorted", "mishap_unseen"}


def mismatches(known):
    """Rows of the tables above that a knowledge does not hold to."""
    out = []
    for lines, history, hazard, forbids, way, also in RAISED:
        found = dangers_of(known, case(list(lines), history=history))
        mine = next((danger for danger in found if danger.hazard.id == hazard), None)
        if mine is None:
            out.append((lines, history, "not raised"))
            continue
        if set(mine.hazard.forbids) != forbids:
            out.append((lines, history, "forbids", mine.hazard.forbids))
        if (mine.todo or ("",))[0] != way:
            out.append((lines, history, "way", mine.todo))
        any_repair = hazard in REPAIRS
        for kind, name in ACTS:
            if bool(forbidding(known, [mine], kind, name)) != expected(kind, name, forbids, way, also, any_repair):
                out.append((lines, history, kind, name))
    acts = {("check", check.id): check for check in known.checks.values()}
    acts |= {("repair", route.id): route for route in known.routes.values()}
    out += [(kind, name, "puts") for (kind, name), act in acts.items() if set(act.puts) != puts(kind, name)]
    for lines, history, ended in ENDED:
        if bool(dangers_of(known, case(list(lines), history=history))) == ended:
            out.append((lines, history, "ended"))
    overruled = {hazard.id for hazard in known.hazards.values() if hazard.overrule}
    if overruled != OVERRULED:
        out.append(("overrule", overruled))
    return out


class Table(SimpleTestCase):
    def test_what_raises_a_danger_what_it_forbids_and_what_leads_out(self):
        self.assertEqual(mismatches(KNOWN), [])

    def test_limits_of_a_pack_of_two_are_held_against_each_cell(self):
        two = replace(device(), traits=("two_cells",))
        for volts, hazard in ((7.7, ""), (4.2, ""), (3.9, "cell_deep"), (8.9, ""), (9.1, "over_voltage")):
            made = replace(case([]), device=two, events=(CheckEvent("battery_volts", values={"volts": volts}),))
            found = dangers_of(KNOWN, made)
            self.assertEqual([one.hazard.id for one in found], [hazard] if hazard else [], volts)
            limits = {"cell_deep": [4.0], "over_voltage": [9.0], "": []}
            self.assertEqual([one.limit for one in found], limits[hazard])

    def test_a_tablet_may_ask_for_more_volts_than_a_phone(self):
        made = case(["i 1.2 20 40%"], "tablet usb_c sub_board")
        self.assertFalse(dangers_of(KNOWN, made))

    def test_any_row_removed_is_seen(self):
        """Each hazard, each thing that raises it, each current it forbids, each way out and each act's current."""
        left_out = [replace(KNOWN, hazards=_without(KNOWN.hazards, name)) for name in KNOWN.hazards]
        for name, hazard in KNOWN.hazards.items():
            changed = [replace(hazard, forbids=_but(hazard.forbids, one)) for one in hazard.forbids]
            changed += [replace(hazard, raised=_but(hazard.raised, one)) for one in hazard.raised]
            changed += [replace(hazard, overrule=not hazard.overrule)]
            changed += [replace(hazard, repairs=not hazard.repairs)] if hazard.forbids else []
            changed += [replace(hazard, sticky=not hazard.sticky)] if any(one.check for one in hazard.raised) else []
            for one in hazard.raised:
                smaller = [replace(one, way=_but(one.way, step)) for step in one.way if one.way[0] == step]
                smaller += [replace(one, ended_by=_but(one.ended_by, route)) for route in one.ended_by]
                smaller += [replace(one, looked=())] if one.looked else []
                smaller += [replace(one, after=())] if one.after and hazard.id == "input_shorted" else []
                smaller += [replace(one, below=0.0)] if one.below else []
                smaller += [replace(one, above=0.0)] if one.above else []
                smaller += [replace(one, over_offered=0.0)] if one.over_offered else []
                changed += [
                    replace(hazard, raised=tuple(less if row is one else row for row in hazard.raised))
                    for less in smaller
                ]
            left_out += [replace(KNOWN, hazards={**KNOWN.hazards, name: less}) for less in changed]
        for table in ("checks", "routes"):
            acts = getattr(KNOWN, table)
            for act in acts.values():
                for current in act.puts:
                    less = replace(act, puts=_but(act.puts, current))
                    left_out.append(replace(KNOWN, **{table: {**acts, act.id: less}}))
        self.assertGreater(len(left_out), 80)
        for number, known in list(enumerate(left_out))[:: sized(11, 1)]:
            with self.subTest(number=number, differs=_difference(known)):
                self.assertNotEqual(mismatches(known), [])


def _but(rows, one):
    return tuple(row for row in rows if row is not one)


def _without(table, name):
    return {key: value for key, value in table.items() if key != name}


def _difference(known):
    for field in fields(KNOWN):
        ours, theirs = getattr(KNOWN, field.name), getattr(known, field.name)
        if ours is not theirs:
            return [(key, theirs.get(key)) for key in ours if theirs.get(key) != ours[key]]
    return None


class Advice(SimpleTestCase):
    def judged(self, lines, history=(), value=160.0):
        found = case(list(lines), history=history)
        return judge(KNOWN, found, Prices.of(KNOWN, value))

    def shown(self, judged):
        """Every act that an advice names or values."""
        advice = judged.advice
        options = [advice.next, *advice.equals, *advice.options, *filter(None, [advice.beside])]
        habits = [habit.step for habit in judged.habits.values()]
        return {(option.kind, option.id) for option in (*options, *habits)} | {
            ("repair", term.id) for term in advice.routes
        }

    def test_no_act_that_a_danger_forbids_is_advised_or_valued_at_any_stage(self):
        for (lines, history, hazard, forbids, way, also), before in product(RAISED, STAGES):
            judged = self.judged((*before, *lines), history)
            any_repair = hazard in REPAIRS
            for kind, name in self.shown(judged):
                others = [danger for danger in judged.dangers if danger.hazard.id != hazard]
                allowed = any(name in danger.allowed for danger in others)
                with self.subTest(lines=(*before, *lines), act=name):
                    self.assertFalse(expected(kind, name, forbids, way, also, any_repair) and not allowed)

    def test_what_leads_out_comes_next_unless_handing_on_costs_less(self):
        for lines, history, _, _, way, _ in RAISED:
            if not way:
                continue
            step = self.judged(lines, history).advice.next
            with self.subTest(lines=lines, history=history):
                # What was only told lets a lamp into the port of a closed device first.
                self.assertIn(step.id, (way, "refer", "port_look") if history else (way, "refer"))
        self.assertEqual(self.judged(("inside corroded",), ("liquid",), 20.0).advice.next.id, "refer")

    def test_nothing_is_proved_or_handed_over_while_a_danger_stands_and_no_habit_is_charged_for_it(self):
        for lines in (
            ("port lint", "did clean_port yes", "danger swollen"),
            ("port lint", "did clean_port yes", "did prove yes", "danger swollen"),
            ("port lint", "did clean_port yes", "did prove yes", "cell 4.9"),
        ):
            advice = self.judged(lines).advice
            with self.subTest(lines=lines):
                self.assertIn(advice.next.id, ("swap_battery", "refer"))
                self.assertEqual(advice.rule_costs, 0.0)
        self.assertEqual(self.judged((), ("liquid",)).advice.rule_costs, 0.0)
        handed_on = self.judged(("danger swollen", "did refer yes"))
        self.assertEqual(handed_on.advice.next.id, "hand_over")
        swollen = KNOWN.hazards["cell_swollen"]
        no_way = replace(swollen, raised=tuple(replace(one, way=()) for one in swollen.raised))
        proved = case(["port lint", "did clean_port yes", "did prove yes", "danger swollen"])
        known = replace(KNOWN, hazards={**KNOWN.hazards, "cell_swollen": no_way})
        self.assertEqual(judge(known, proved, Prices.of(known, 160.0)).advice.next.id, "refer")

    def test_two_dangers_each_leave_the_other_s_way_out_open(self):
        judged = self.judged(("danger swollen",), ("liquid",), 500.0)
        self.assertEqual(judged.advice.next.id, "swap_battery")
        self.assertIsNone(judged.forbidden_by("repair", "clean_board"))
        after = self.judged(("danger swollen", "did swap_battery"), ("liquid",))
        self.assertEqual(after.advice.next.id, "inside_look")
        self.assertEqual(after.forbidden_by("repair", "prove").hazard.id, "wet")

    def test_the_lead_overrules_but_never_a_swollen_cell_and_a_new_finding_raises_it_again(self):
        def standing(lines, overrule, later=(), history=()):
            found = case(list(lines), history=history)
            made = tuple(parse_line(line, KNOWN, device()) for line in later)
            events = (*found.events, HazardEvent(overrule, True, "customer's own risk"), *made)
            return [danger.hazard.id for danger in dangers_of(KNOWN, replace(found, events=events))]

        self.assertEqual(standing((), "wet", history=("liquid",)), [])
        self.assertEqual(standing(("inside swollen",), "cell_swollen"), ["cell_swollen"])
        self.assertEqual(standing(("cell 1.2",), "cell_deep", ("cell 1.3",)), ["cell_deep"])
        self.assertEqual(standing(("cell 1.2",), "wet"), ["cell_deep"])

    def test_a_refusal_says_the_danger_and_the_way_out(self):
        found = case(["inside swollen"])
        danger = event_forbidding(KNOWN, dangers_of(KNOWN, found), parse_line("i 0.2 5.0", KNOWN, device()))
        self.assertRegex(str(refuse(KNOWN, danger)), "^Swollen cell: Do not charge it .*; first: swap the battery$")
        self.assertIsNone(event_forbidding(KNOWN, dangers_of(KNOWN, found), HazardEvent("wet")))
        proved = event_forbidding(KNOWN, dangers_of(KNOWN, found), parse_line("did reseat_links yes", KNOWN, device()))
        self.assertEqual(proved.hazard.id, "cell_swollen")
        self.assertIsNone(
            event_forbidding(KNOWN, dangers_of(KNOWN, found), parse_line("did swap_battery yes", KNOWN, device()))
        )

    LINES = st.lists(
        st.sampled_from(
            [
                *("i 0.02 5.1 3%", "port lint", "port corroded", "inside swollen", "inside clean", "inside corroded"),
                *("cell 1.2", "cell 3.7", "power 3/500", "power 490/500", "mark wet", "danger hot", "danger wet"),
                *("danger burnt", "did swap_battery no", "did clean_board no", "did clean_port no", "start dead"),
                *("did replace_guard no", "idle 0.4", "inside burnt", "try swap_carrier no", "rail 2/400"),
            ]
        ),
        max_size=7,
    )

    @settings(max_examples=60, deadline=None)
    @given(LINES, st.sets(st.sampled_from(["liquid", "flat_long", "opened_before"])))
    def test_no_log_leads_to_an_advice_that_violates_a_danger(self, lines, told):
        judged = self.judged(lines, tuple(told))
        bad_cell = live = False
        wet, looked = "liquid" in told, False
        for line in lines:
            bad_cell |= line in ("inside swollen", "danger hot")
            wet |= line in ("mark wet", "danger wet", "inside corroded", "port corroded")
            # Whoever looks inside names everything that is there: what is not named was not seen.
            looked |= line in ("inside clean", "inside swollen", "inside burnt")
            bad_cell &= line != "did swap_battery no"
            if line == "did clean_board no":
                wet = False
        for kind, name in self.shown(judged):
            live = bool(puts(kind, name) & {"charger", "cell"})
            if bad_cell:
                self.assertFalse(live, (kind, name))
            if wet and not looked and "did clean_port no" not in lines:
                self.assertFalse(live and name != "swap_battery", (kind, name))


class Files(SimpleTestCase):
    def test_the_table_is_checked_like_every_other(self):
        from pathlib import Path
        from shutil import copytree
        from tempfile import TemporaryDirectory

        from chargepath.knowledge.loader import DATA

        for old, new, says in (
            ('told = "liquid"', 'told = "rain"', "raised.told: 'rain' is not known"),
            ('way = ["swap_battery"]', 'way = ["swap_cell"]', "way: 'swap_cell' is not known"),
            ('forbids = ["charger"]', 'forbids = ["mains"]', "forbids: 'mains' is not known"),
            ('sign = "swollen"', 'sign = "fat"', "raised.sign: 'fat' is not known"),
            ('sign = "swollen"\n', "", "says nothing of what the check shows"),
            ('told = "liquid"', 'told = "liquid"\nseen = true', "exactly one of them"),
            ('caution = "supply"', 'caution = "bang"', "caution: 'bang' is not known"),
        ):
            with self.subTest(says=says), TemporaryDirectory() as folder:
                copied = Path(copytree(DATA, Path(folder) / "data"))
                table = copied / "hazards.toml"
                table.write_text(table.read_text().replace(old, new, 1))
                with self.assertRaises(KnowledgeError) as raised:
                    load(copied)
                self.assertIn(says, str(raised.exception))


class Belief(SimpleTestCase):
    def test_a_reported_danger_counts_as_what_it_stands_for_until_that_is_looked_at(self):
        worn = lambda lines: dict(believe(lines).faults)["battery_worn"]  # noqa: E731
        self.assertAlmostEqual(worn(["inside swollen"]) / worn(["danger swollen"]), 1.0, delta=0.3)
        self.assertGreater(worn(["danger swollen"]), 2 * worn([]))
        self.assertAlmostEqual(worn(["danger swollen", "inside swollen"]), worn(["inside swollen"]), places=9)
        self.assertAlmostEqual(worn(["danger hot"]), worn([]), places=9)
