"""Each factor of a prior and each rule of the pass, seen by what it changes and by how much."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase

from chargepath.case.entries import Device
from chargepath.diagnosis.belief import assess, pushes
from chargepath.diagnosis.model import Model, history_weight, noisy_or
from chargepath.diagnosis.states import build_states
from chargepath.knowledge.loader import shipped
from tests.builders import believe, case

KNOWN = shipped()
PHONE, TABLET = Device("phone", "usb_c", "sub_board"), Device("tablet", "usb_c", "sub_board")


def told(lines):
    """The belief after quick lines, with what others did before told as history."""
    made = case(lines).told(shipped())
    return assess(Model(shipped(), made.device, made.history), made)


class Priors(SimpleTestCase):
    def test_every_factor_of_every_fault_moves_its_weight_by_itself(self):
        devices = {
            "kind": (("phone", PHONE), ("tablet", TABLET)),
            "carrier": [(carrier, Device("phone", "usb_c", carrier)) for carrier in KNOWN.carriers],
            "connector": [(name, Device("phone", name, "sub_board")) for name in KNOWN.connectors],
            "wireless": (("yes", Device("phone", "usb_c", "sub_board", True)), ("no", PHONE)),
        }
        moved = 0
        for fault in KNOWN.faults.values():
            for kind, rows in devices.items():
                for value, device in rows:
                    expected = fault.weight
                    for other, own in (
                        ("kind", device.kind),
                        ("carrier", device.carrier),
                        ("connector", device.connector),
                        ("wireless", "yes" if device.wireless else "no"),
                    ):
                        expected *= fault.factors[other].get(own, 1.0)
                    with self.subTest(fault=fault.id, kind=kind, value=value):
                        self.assertAlmostEqual(history_weight(KNOWN, fault, device, ()), expected)
                    moved += fault.factors[kind].get(value, 1.0) != 1.0
        self.assertGreater(moved, 5)

    def test_a_kind_that_knowledge_names_counts(self):
        fault = next(iter(KNOWN.faults.values()))
        more = replace(fault, factors=dict(fault.factors) | {"kind": {"tablet": 3.0}})
        self.assertAlmostEqual(history_weight(KNOWN, more, TABLET, ()), 3 * history_weight(KNOWN, fault, TABLET, ()))
        self.assertAlmostEqual(history_weight(KNOWN, more, PHONE, ()), history_weight(KNOWN, fault, PHONE, ()))

    def test_what_is_told_multiplies_within_its_limits(self):
        told = tuple(KNOWN.history)
        low, high = KNOWN.model.history_low, KNOWN.model.history_high
        limited = 0
        for fault in KNOWN.faults.values():
            product = np.prod([fault.factors["history"].get(flag, 1.0) for flag in told])
            base = history_weight(KNOWN, fault, PHONE, ())
            self.assertAlmostEqual(history_weight(KNOWN, fault, PHONE, told), base * min(max(product, low), high))
            limited += not low <= product <= high
        self.assertGreater(limited, 0)

    def test_what_was_told_changes_what_shows_without_a_fault(self):
        for check in KNOWN.checks.values():
            for flag, chances in check.leak_history.items():
                names = check.signs or check.grades
                told = dict(zip(names, Model(KNOWN, PHONE, (flag,)).leak(check).tolist(), strict=True))
                for name, chance in chances.items():
                    with self.subTest(check=check.id, flag=flag, name=name):
                        expected = max(chance, check.leak[name]) if check.is_look else chance
                        self.assertAlmostEqual(told[name], expected)


class Signs(SimpleTestCase):
    def test_two_faults_that_show_the_same_sign_are_no_sum(self):
        seen = noisy_or(build_states(2), np.array([[0.9], [0.8]]), np.array([0.0]))
        self.assertAlmostEqual(float(seen[3, 0]), 1 - 0.1 * 0.2)


class ThePass(SimpleTestCase):
    TORN = [
        "port worn corroded",
        "inside burnt unplugged swollen",
        "cell 2.1",
        "power 5/512",
        "rail 3/400",
        "hot charge_ic",
    ]

    def test_what_two_faults_cannot_explain_before_a_repair_stays_unexplained_after_it(self):
        self.assertTrue(believe(self.TORN).widened)
        after = believe([*self.TORN, "did clean_port no", "data recognised"])
        self.assertTrue(after.widened)
        self.assertEqual(max(len(state) for state in after.model.states.sets), 3)
        self.assertFalse(believe(["port lint"]).widened)

    def test_a_push_is_the_odds_with_an_entry_over_the_odds_without_it(self):
        plain = ["port lint", "i 0.6 5.0 20%", "wiggle drops"]
        long = [
            *plain,
            "did replace_port no",
            "i 0.0 5.0",
            "did swap_carrier no",
            "data silent",
            "did reset_software no",
        ]
        for lines in (
            plain,
            long,
            [*long, "data silent", "did replace_port other"],
            ["cell 3.1", "i 0.5 5.0", "cell 3.9"],
        ):
            belief = told(lines)
            with_all, found = dict(belief.faults), pushes(belief, case(lines))
            counting = {index for index, entry in enumerate(belief.entries) if entry.state == "counts"}
            self.assertEqual({push.index for push in found}, counting)
            for index in counting:
                without = dict(told(lines[:index] + lines[index + 1 :]).faults)
                for push in (push for push in found if push.index == index):
                    odds = [chance / (1 - chance) for chance in (with_all[push.fault], without[push.fault])]
                    with self.subTest(entry=lines[index], fault=push.fault):
                        self.assertAlmostEqual(push.factor / (odds[0] / odds[1]), 1, places=6)

    def test_a_percentage_on_the_display_means_that_it_starts_unless_that_was_looked_at(self):
        dead = dict(believe(["i 0.0 5.0"]).faults)["battery_flat"]
        self.assertLess(dict(believe(["i 0.0 5.0 20%"]).faults)["battery_flat"], dead / 2)
        implied = [entry.implied for entry in believe(["i 0.0 5.0 20%"]).entries]
        elsewhere = ("percent_seen", "elsewhere")
        self.assertEqual(implied, [(("power_up", "starts"), elsewhere)])
        entries = believe(["start dead", "i 0.0 5.0 20%"]).entries
        self.assertEqual([entry.implied for entry in entries], [(), (elsewhere,)])

    def test_where_charging_stands_speaks_for_a_limit_once(self):
        def held(*lines):
            return dict(believe(list(lines)).faults)["charging_held"]

        self.assertGreater(held("i 0.02 5.0 80%"), 4 * held("i 0.02 5.0 40%"))
        shown = [entry.implied for entry in believe(["i 0.02 5.0 80% own", "i 0.02 5.0 80%"]).entries]
        self.assertEqual([("percent_seen", "at_limit") in rows for rows in shown], [True, False])
        shows = {percent: believe([f"i 0.02 5.0 {percent}%"]).entries[0].implied[1][1] for percent in (77, 78, 96, 97)}
        self.assertEqual(shows, {77: "elsewhere", 78: "at_limit", 96: "at_limit", 97: "elsewhere"})

    def test_how_long_ago_it_got_wet_is_told_as_history(self):
        def moist(hours):
            made = replace(case(["message clean"]), history=("liquid",), wet_hours=hours).told(KNOWN)
            return made.history[1:], dict(assess(Model(KNOWN, made.device, made.history), made).faults)["moisture_held"]

        rows = [moist(hours) for hours in (71.0, 72.0, 335.0, 336.0, None)]
        self.assertEqual([flags for flags, _ in rows], [("wet_lately",), (), (), ("wet_weeks",), ()])
        self.assertGreater(rows[0][1], 1.5 * rows[1][1])
        self.assertLess(rows[3][1], 0.3 * rows[1][1])

    def test_a_reading_is_taken_back_only_by_a_repair_that_could_have_changed_it(self):
        kept = believe(["wiggle drops", "did swap_battery no"]).last_grades
        gone = believe(["wiggle drops", "did replace_port no"]).last_grades
        self.assertIn("plug_wiggle", kept)
        self.assertNotIn("plug_wiggle", gone)

    def test_a_case_is_judged_by_its_own_device(self):
        made = case(["port lint"], "tablet micro_b none")
        belief = assess(Model(KNOWN, made.device, made.history), made)
        self.assertEqual(belief.model.device.kind, "tablet")
