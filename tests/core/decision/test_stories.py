"""Whole stories: what an experienced technician would do next (common practice), and what the program says."""

from django.test import SimpleTestCase

from chargepath.case.entries import Case, CheckEvent, RepairEvent, TryEvent
from chargepath.case.quickline import parse_line
from chargepath.decision.advice import advise
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped
from tests.builders import believe, device

PHONE, BARE, TABLET, FLEX = (
    "phone usb_c sub_board",
    "phone micro_b none",
    "tablet usb_c sub_board",
    "phone eight_pad flex",
)


def told(lines, words=PHONE, history=(), value=250.0):
    """Suspects by rank, the next step, and the repairs in order."""
    belief = believe(list(lines), words, tuple(history))
    advice = advise(belief, Prices.of(shipped(), value))
    return [name for name, _ in belief.faults], advice, dict(belief.faults)


class Suspects(SimpleTestCase):
    def test_lead_where_a_technician_would_look(self):
        rows = [
            # A clean, steady port and a known-good sub-board that changes nothing: the board, not the port.
            (
                ("i 0.0 5.1 30%", "port clean", "wiggle steady", "try swap_carrier no"),
                PHONE,
                (),
                {"guard_open", "charge_ic_fault", "port_ic_fault", "link_loose"},
            ),
            # The pad charges, the plug does not: everything behind the input is fine.
            (
                ("i none", "pad charges", "port clean"),
                "phone usb_c none wireless",
                (),
                {"guard_open", "port_ic_fault", "input_short", "port_joint"},
            ),
            # Swapped screen, nothing at all since: a connector.
            (("i none", "data silent"), PHONE, ("screen_replaced", "opened_before"), {"link_loose"}),
            # A fresh port that comes and goes: its joints.
            (("wiggle drops", "i reduced"), BARE, ("port_replaced",), {"port_joint"}),
            # Dead, heavy draw before the key, warm away from the charging IC: the rail.
            (("start dead", "idle heavy", "hot elsewhere"), PHONE, ("died_suddenly",), {"rail_short"}),
            # Drawer, dead, cell far down.
            (("start dead", "i trickle", "cell 2.4"), TABLET, ("flat_long",), {"battery_flat"}),
            # Volts at the chip, cell and battery data lines fine, trickle only.
            (("i 0.05 5.1 30%", "vboard 5.0", "cell 3.8", "sense clean"), PHONE, (), {"charge_ic_fault"}),
            # One way round only, data lines low, joints firm.
            (("flip one_side", "lines low", "port clean", "joint firm"), "phone usb_c none", (), {"port_ic_fault"}),
            # Percentage jumps, swollen.
            (("report erratic", "inside swollen"), FLEX, (), {"battery_worn"}),
            # Everything as it should be with the shop's charger; poor with the customer's.
            (("i reduced own", "i normal"), PHONE, ("cheap_accessory",), {"source_weak"}),
            # Told to show a message, draws nothing through a clean port: it holds charging off until it is dry.
            (("i none", "port clean"), PHONE, ("shows_message",), {"moisture_held"}),
        ]
        for lines, words, history, first in rows:
            ranked, _, _ = told(lines, words, history)
            with self.subTest(lines=lines):
                self.assertIn(ranked[0], first)

    def test_a_strong_sign_beats_the_base_rate_and_a_weak_one_does_not(self):
        _, _, lint = told(("port lint",))
        _, _, plug = told(("port lint plug_proud", "i none"))
        self.assertGreater(plug["port_fouled"], 0.6)
        self.assertLess(lint["port_fouled"], 0.6)

    def test_a_healthy_draw_clears_the_line_and_leaves_the_cell(self):
        _, _, chances = told(("i 1.1 5.0 40%", "flip same", "wiggle steady", "report erratic"))
        line = sum(chances[name] for name in ("port_fouled", "port_worn", "port_joint", "guard_open", "link_loose"))
        self.assertLess(line, 0.15)
        self.assertGreater(chances["battery_worn"], 0.4)

    def test_taper_at_98_percent_accuses_nobody(self):
        _, _, before = told(())
        _, _, after = told(("i 0.2 5.0 98%",))
        for name in ("port_fouled", "guard_open", "charge_ic_fault"):
            self.assertLess(after[name], before[name])


class NextSteps(SimpleTestCase):
    def test_stay_outside_while_outside_still_tells_something(self):
        known = shipped()
        for words in (PHONE, BARE, TABLET, FLEX):
            for lines in ((), ("start starts",), ("i 0.08 5.1 20%",)):
                _, advice, _ = told(lines, words)
                access = {"check": known.checks, "try": known.routes, "repair": known.routes}[advice.next.kind][
                    advice.next.id
                ].access
                with self.subTest(words=words, lines=lines):
                    self.assertEqual(access, "outside")

    def test_a_message_that_was_told_of_is_read_after_the_first_current(self):
        lines = ("port clean", "i 1.0 5.0 40%")
        nexts = [told(lines, history=history)[1].next.id for history in ((), ("shows_message",))]
        self.assertEqual(nexts, ["advise_source", "screen_message"])

    def test_go_for_the_repair_once_it_is_clear(self):
        rows = [
            (("i none", "port lint plug_proud", "wiggle drops"), PHONE, "clean_port"),
            (("joint moves", "wiggle drops", "port clean"), BARE, "resolder_port"),
            (("inside loose", "vport 5.0", "vboard 0.1", "i none"), PHONE, "reseat_links"),
            (("power 3/512", "power 2/512 at board", "hot part"), PHONE, "replace_guard"),
            (("report erratic", "inside swollen", "i reduced", "wiggle steady"), FLEX, "swap_battery"),
            (("start dead", "cell 2.2", "wait rises", "i trickle"), TABLET, "leave_on_charge"),
            (("sense faulty", "inside disturbed", "report erratic"), PHONE, "repair_sense"),
        ]
        for lines, words, route in rows:
            _, advice, _ = told(lines, words)
            repairs = [term.id for term in advice.routes if term.cure > 0.2]
            with self.subTest(lines=lines):
                self.assertEqual(repairs[0], route)
                if advice.next.kind == "repair":
                    self.assertIn(advice.next.id, repairs[:2])
                else:
                    self.assertLess(advice.next.minutes, 6)

    def test_move_on_to_the_next_repair_when_one_has_failed(self):
        _, first, _ = told(("i none", "port lint plug_proud", "wiggle drops"))
        _, second, _ = told(("i none", "port lint plug_proud", "wiggle drops", "did clean_port no"))
        self.assertEqual(first.routes[0].id, "clean_port")
        self.assertNotEqual(second.next.id, "clean_port")
        self.assertLess(next(t.cure for t in second.routes if t.id == "clean_port"), 0.3)

    def test_prove_or_stop_when_a_repair_has_worked(self):
        _, advice, _ = told(("i none", "port lint plug_proud", "did clean_port yes"))
        self.assertEqual(advice.routes[0].id, "prove")
        self.assertGreater(advice.routes[0].cure, 0.6)

    def test_the_dearer_the_device_the_further_it_goes(self):
        lines = ("start dead", "rail low", "idle leaks", "mark wet")
        totals = [told(lines, value=value)[1] for value in (20.0, 150.0, 900.0)]
        self.assertEqual(totals[0].next.id, "refer")
        self.assertNotEqual(totals[2].next.id, "refer")
        self.assertEqual(sorted(t.commit for t in totals), [t.commit for t in totals])

    def test_what_a_failed_proof_or_a_reading_has_answered_is_not_proved_again_on_the_chance_of_luck(self):
        """A device worth 180 at 1.4 a minute: proving costs a minute, and one in fifty would pass by luck."""
        dead, wall = ["port clean", "i 0.05 5.1 12%"], ["did reset_software no", "did leave_on_charge no"]
        money = Prices.of(shipped(), 180.0, 1.4)
        for lines, offered in (
            (dead, False),
            ([*dead, *wall], False),
            ([*dead, *wall, "did prove no"], False),
            ([*dead, *wall, "i 1.3 5.0 40%"], True),
            ([*dead, "did swap_carrier"], True),
            (["start dead", "did tighten_port"], True),
            (["i 0.05 5.1 12% own"], False),
            (["i 0.05 5.1 12% own", "i 1.3 5.0 40%"], True),
            (["port clean", "i 1.3 5.0 40%"], True),
            (["port clean", "i 1.3 5.0 40%", "did prove no"], False),
            (["port clean", "i 1.3 5.0 40%", "did prove no", "start starts"], False),
            (["port clean", "i 1.3 5.0 40%", "did prove no", "i 0.4 5.0 40%"], False),
            (["port clean", "i 1.3 5.0 40%", "did prove no", "i 1.3 5.0 40%"], True),
        ):
            with self.subTest(lines=lines):
                advice = advise(believe(lines), money)
                self.assertEqual("prove" in {term.id for term in advice.routes}, offered)
                self.assertTrue(offered or advice.next.id != "prove")

    def test_no_repair_is_done_over_and_over_on_the_chance_of_luck(self):
        """Whoever follows the advice on a device that nothing helps comes to an end, and soon."""
        known, made = shipped(), device(PHONE)
        for rate, value in ((1.4, 180.0), (0.4, 90.0)):
            events = [parse_line(line, known, made) for line in ("port clean", "i 0.05 5.1 12%")]
            steps: list[str] = []
            money = Prices.of(known, value, rate)
            while len(steps) < 60 and (not steps or steps[-1] != "refer"):
                found = assess(Model(known, made, ()), Case(made, (), tuple(events)))
                step = advise(found, money).next
                check = known.checks.get(step.id)
                steps.append(step.id)
                if step.kind == "check":
                    events.append(CheckEvent(step.id, "", check.grades[0] if check.grades else "", ()))
                else:
                    events.append((TryEvent if step.kind == "try" else RepairEvent)(step.id, False))
            with self.subTest(rate=rate, steps=steps):
                self.assertEqual(steps[-1], "refer")
                self.assertLessEqual(max(steps.count(name) for name in steps if name in known.routes), 3)
