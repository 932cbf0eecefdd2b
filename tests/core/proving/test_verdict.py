"""What is asked of a device, and what its readings say. Thresholds are common practice (no source)."""

from dataclasses import replace

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.case.entries import CheckEvent, Device, HazardEvent
from chargepath.grading.readings import grade_event
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.proofs import CLOSED, OPEN
from chargepath.proving.asking import Subject, asked_of, phases_of, proof_minutes
from chargepath.proving.evidence import proof_events
from chargepath.proving.judges import gain_band, rest_volts
from chargepath.proving.verdict import Readings, judge_proof, take, without
from chargepath.repair.figures import recipes_of, standard_device
from chargepath.repair.workplan import make_plan
from tests.builders import device

KNOWN = shipped()
NUMBERS = {
    "amps": 1.1,
    "volts": 5.0,
    "percent_first": 20.0,
    "amps_flipped": 1.05,
    "amps_own": 1.0,
    "amps_off": 1.1,
    "percent_second": 23.0,
    "minutes_between": 8.0,
}
FOUR = ("amps", "amps_flipped", "amps_off", "amps_own")


def subject(words="phone usb_c sub_board", route="", **more):
    made = device(words) if isinstance(words, str) else words
    return Subject(made, plan=make_plan(KNOWN, made, route) if route else None, **more)


def names(found, phase=CLOSED):
    return [item.id for item in asked_of(KNOWN, found, phase) if not item.extra]


def judged(about, phase=CLOSED, answers=None, **changes):
    asked = asked_of(KNOWN, about, phase)
    good = {item.id: next(iter(item.answers)) for item in asked if item.answers and not item.extra}
    numbers = {name: value for name, value in {**NUMBERS, **changes}.items() if value is not None}
    read = Readings(numbers, {**good, **(answers or {})})
    return judge_proof(KNOWN, about.device, asked, read), read


def shown(name, **changes):
    words = changes.pop("words", "phone usb_c sub_board")
    route = changes.pop("route", "")
    phase = changes.pop("phase", CLOSED)
    result, _ = judged(subject(words, route), phase, **changes)
    return next(mark.shown for mark in result.items if mark.item.id == name)


class Asked(SimpleTestCase):
    def test_what_is_asked_follows_the_device_the_story_and_the_work(self):
        plain = names(subject())
        self.assertNotIn("flip", names(subject("phone micro_b none")))
        self.assertIn("flip", plain)
        coil = Device("phone", "usb_c", "flex", wireless=True, traits=("fast_charge",))
        self.assertEqual({"pad", "fast"}, set(names(subject(coil))) - set(plain))
        told = Subject(device("phone usb_c none"), ("data_matters",))
        self.assertEqual(names(told)[:2], ["start", "saved"])
        leaked = Subject(
            device("phone usb_c none"),
            seen={("supply_idle", "leaks")},
            plan=make_plan(KNOWN, device("phone usb_c none"), "replace_port"),
        )
        self.assertIn("idle", names(leaked, OPEN))
        self.assertNotIn("idle", names(subject("phone usb_c none", "replace_port"), OPEN))

    def test_functions_are_asked_where_a_step_of_the_plan_touches_them(self):
        functions = {item.id for item in KNOWN.proof_items.values() if item.touched}
        self.assertFalse(functions & set(names(subject(route="clean_port"))))
        self.assertIn("microphone", names(subject(route="swap_carrier"), OPEN))
        tablet = Device("tablet", "usb_c", "sub_board", traits=("display_first",))
        self.assertIn("display", names(subject(tablet, "swap_battery"), OPEN))
        self.assertNotIn("display", names(subject(route="swap_battery"), OPEN))

    def test_an_opened_device_is_proved_twice_and_a_late_shop_looks_first_and_asks_everything_afterwards(self):
        twice, late = subject(route="swap_carrier"), subject(route="swap_carrier", late=True)
        self.assertEqual((phases_of(subject(route="clean_port")), phases_of(twice)), ((CLOSED,), (OPEN, CLOSED)))
        self.assertEqual(names(late, OPEN), ["start", "heat", "percent", "current"])
        self.assertLess(proof_minutes(asked_of(KNOWN, late, OPEN)), proof_minutes(asked_of(KNOWN, twice, OPEN)))
        self.assertTrue(set(names(twice)) < set(names(late)))
        self.assertNotIn("cell", names(late))

    def test_data_that_was_saved_before_closing_is_not_asked_for_again(self):
        about = Subject(device(), ("data_matters",), answered=("saved",))
        self.assertNotIn("saved", names(about))

    def test_the_minutes_of_the_proof_are_those_that_the_prices_are_made_of(self):
        closed, _ = proof_minutes(asked_of(KNOWN, subject(), CLOSED))
        self.assertAlmostEqual(closed, KNOWN.costs.proof_minutes, delta=1.5)
        opened = [subject(standard_device(KNOWN, KNOWN.routes[name]), name) for name in recipes_of(KNOWN)]
        opened = [one for one in opened if one.opened]
        step = next(row.step for row in opened[0].plan.steps if row.phase == "test")
        mean = sum(proof_minutes(asked_of(KNOWN, one, OPEN))[0] for one in opened) / len(opened)
        self.assertAlmostEqual(mean, step.minutes, delta=2.0)


class Marks(SimpleTestCase):
    def test_the_verdict_follows_each_item(self):
        rows = [
            ({}, True),
            ({"amps": 0.5, "amps_flipped": 0.5}, False),
            ({"amps_flipped": 0.6}, False),
            ({"percent_second": 20.0}, False),
            ({"answers": {"wiggle": "drops"}}, False),
            ({"answers": {"wiggle": ""}}, None),
            ({"percent_second": None}, None),
            ({"percent_second": 20.0, "minutes_between": 2.0}, None),
            ({"percent_second": 20.0, "minutes_between": 60.0}, False),
            ({"percent_first": 100.0, "percent_second": 99.0, **dict.fromkeys(FOUR, 0.4)}, False),
            ({"volts": 9.0, **dict.fromkeys(FOUR, 0.6)}, True),
            ({"volts": 9.0, "amps": 0.3, "amps_flipped": 0.3}, False),
            ({"percent_first": 99.0, "percent_second": 99.0, **dict.fromkeys(FOUR, 0.3)}, True),
            ({"amps_own": 0.5}, False),
            ({"amps_off": 0.02}, False),
            # Said at a glance; a number that was read stands before it.
            ({"amps_flipped": None}, None),
            ({"amps_flipped": None, "answers": {"flip": "same"}}, True),
            ({"amps_flipped": 0.5, "answers": {"flip": "same"}}, False),
            ({"amps_flipped": None, "answers": {"flip": "one_side"}}, None),
        ]
        for changes, works in rows:
            with self.subTest(changes=changes):
                changed = dict(changes)
                result, _ = judged(subject(), answers=changed.pop("answers", None), **changed)
                self.assertIs(result.works, works)

    def test_what_each_reading_shows(self):
        fast = Device("phone", "usb_c", "none", traits=("fast_charge",))
        rows = [
            ("current", {"amps": 0.0}, "none"),
            ("current", {"amps": 0.1}, "trickle"),
            ("current", {"amps": 0.4}, "low"),
            ("current", {"amps": 3.0}, "high"),
            ("current", {"amps": 3.0, "words": fast}, "good"),
            ("off", {"amps": 0.3, "amps_off": 1.2}, "higher"),
            ("fast", {"words": fast, "amps_fast": 1.6, "volts_fast": 9.0}, "fast"),
            ("fast", {"words": fast, "amps_fast": 1.6, "volts_fast": 5.1}, "plain"),
            ("fast", {"words": fast, "amps_fast": 0.3, "volts_fast": 9.0}, "low"),
            ("drop", {"phase": OPEN, "route": "swap_carrier", "plug_volts": 5.0, "input_volts": 4.8}, "good"),
            ("drop", {"phase": OPEN, "route": "swap_carrier", "plug_volts": 5.0, "input_volts": 4.5}, "lost"),
            ("idle", {"phase": OPEN, "words": "phone usb_c none", "route": "repair_rail", "idle_amps": 0.002}, "quiet"),
            ("idle", {"phase": OPEN, "words": "phone usb_c none", "route": "repair_rail", "idle_amps": 0.06}, "leaks"),
            ("cell", {"phase": OPEN, "route": "swap_battery", "cell_volts": 3.8, "cell_percent": 50.0}, "plausible"),
            ("cell", {"phase": OPEN, "route": "swap_battery", "cell_volts": 3.3, "cell_percent": 50.0}, "odd"),
            ("cell", {"phase": OPEN, "route": "swap_battery", "cell_volts": 4.3, "cell_percent": 10.0}, "odd"),
        ]
        for name, changes, wanted in rows:
            with self.subTest(name=name, changes=changes):
                self.assertEqual(shown(name, **changes), wanted)

    def test_percent_is_held_against_the_charge_that_flowed(self):
        """85 % of 200 mAh in a phone of 2200 to 5500 mAh: 3.1 to 7.7 %, taken 0.35 and 1.8 times, a percent more or
        less.
        """
        least, most = gain_band(KNOWN, "phone", 200.0)
        self.assertAlmostEqual(least, 0.35 * 100 * 170 / 5500 - 1)
        self.assertAlmostEqual(most, 1.8 * 100 * 170 / 2200 + 1)
        for second, wanted in ((21.0, "rises"), (26.0, "rises"), (36.0, "odd"), (20.0, "no_rise"), (19.0, "odd")):
            self.assertEqual(shown("rise", percent_second=second, charge_mah=200.0), wanted, second)
        self.assertEqual(shown("rise", percent_second=36.0, charge_mah=20.0), "rises")

    def test_a_cell_at_rest_lies_between_the_rows_of_the_table(self):
        low, high = rest_volts(KNOWN, 35.0)
        self.assertAlmostEqual(low, (3.50 + 3.62) / 2)
        self.assertAlmostEqual(high, (3.85 + 4.00) / 2 + 0.25)

    def test_a_bad_answer_is_made_sure_of_first_and_counts_the_second_time(self):
        about = subject()
        asked = asked_of(KNOWN, about, CLOSED)

        def read(before, **answers):
            return take(KNOWN, about.device, asked, before, Readings(answers=answers))

        once = read(Readings(), holds="erratic")
        self.assertEqual((once.answers, once.doubts), ({}, {"holds": "erratic"}))
        self.assertEqual(read(once, holds="erratic").answers, {"holds": "erratic"})
        self.assertEqual(read(once, holds="plausible").answers, {"holds": "plausible"})
        self.assertEqual(read(once, wiggle="steady").doubts, once.doubts)
        self.assertEqual(without(asked, read(once, holds="erratic"), "holds"), Readings())
        with self.assertRaisesMessage(ReadingError, "one of shows up, does not"):
            read(Readings(), computer="maybe")

    def test_stations_turn_good_once_everything_that_looks_at_them_is_met(self):
        about = subject()
        asked = asked_of(KNOWN, about, CLOSED)

        def at(station, **read):
            numbers = {name: value for name, value in read.items() if not isinstance(value, str)}
            answers = {name: value for name, value in read.items() if isinstance(value, str)}
            result = judge_proof(KNOWN, about.device, asked, Readings(numbers, answers))
            return result.stations().get(station)

        self.assertEqual(at("charge_ic", amps=1.1), "good")
        self.assertIsNone(at("port", wiggle="steady"))
        whole = {"wiggle": "steady", "amps": 1.1, "amps_flipped": 1.1, "replug": "returns", "clicks": "clicks"}
        self.assertEqual(at("port", **whole), "good")
        self.assertEqual(at("port", **{**whole, "clicks": "loose"}), "off")

    def test_what_a_proof_has_shown_is_told_as_checks(self):
        def told(result, read):
            events = proof_events(KNOWN, device(), result, read)
            return [f"{event.check} {event.grade}".strip() for event in events if isinstance(event, CheckEvent)]

        passed = told(*judged(subject()))
        self.assertEqual(passed, ["power_up starts", "screen_sign steady", "plug_fit clicks", "charger_current normal",
                                  "off_current same", "data_link recognised", "battery_report plausible"])  # fmt: skip
        # What a proof that passed tells is good by the checks' own grades too, whatever it was held against.
        rows = (
            ("tablet micro_b none", {"amps": 1.5, "amps_own": 0.95, "amps_off": 1.5}),
            ("phone usb_c flex", {"amps_own": 0.7}),
        )
        for words, numbers in rows:
            result, read = judged(subject(words), **numbers)
            self.assertTrue(result.works)
            for event in proof_events(KNOWN, device(words), result, read):
                grade = event.grade or grade_event(KNOWN, device(words), event).grade
                self.assertEqual(KNOWN.checks[event.check].mark_of(grade, event.signs), "good", event)
        failed = told(*judged(subject(), answers={"wiggle": "drops"}))
        self.assertEqual(failed[:4], ["power_up starts", "screen_sign steady", "charger_current", "plug_wiggle drops"])
        self.assertIn("charge_wait no_rise", told(*judged(subject(), percent_second=20.0, minutes_between=31.0)))
        self.assertNotIn("charge_wait no_rise", told(*judged(subject(), percent_second=20.0, minutes_between=8.0)))
        odd = told(*judged(subject(), percent_second=60.0, charge_mah=200.0, answers={"holds": ""}))
        self.assertIn("battery_report erratic", odd)
        result, read = judged(subject(), answers={"computer": "", "warm": "hot_cell"})
        self.assertNotIn("data_link recognised", told(result, read))
        self.assertIn(HazardEvent("cell_hot"), proof_events(KNOWN, device(), result, read))

    def test_a_flat_cell_is_waited_for_and_taken_for_no_slip(self):
        asked = asked_of(KNOWN, subject(), CLOSED)
        read = Readings()
        for given in ({"start": "flat"}, {"start": "flat"}):
            read = take(KNOWN, device(), asked, read, Readings(answers=given))
        read = take(KNOWN, device(), asked, read, Readings(numbers={"amps": 0.06, "volts": 5.0}))
        result = judge_proof(KNOWN, device(), asked, read)
        self.assertIsNone(result.works)
        marks = {mark.item.id: mark for mark in result.items}
        self.assertTrue(marks["start"].doubt)
        self.assertEqual((marks["current"].shown, marks["current"].compared.remark), ("", "flat"))
        starts = take(KNOWN, device(), asked, read, Readings(answers={"start": "starts"}))
        marks = {mark.item.id: mark.shown for mark in judge_proof(KNOWN, device(), asked, starts).items}
        self.assertEqual((marks["start"], marks["current"]), ("starts", "trickle"))
        dead = take(KNOWN, device(), asked, read, Readings(answers={"start": "dead"}))
        self.assertIs(judge_proof(KNOWN, device(), asked, dead).works, False)

    def test_a_computer_that_does_not_see_it_is_tried_three_times(self):
        asked, read = asked_of(KNOWN, subject(), CLOSED), Readings()
        found = []
        for _ in range(3):
            read = take(KNOWN, device(), asked, read, Readings(answers={"computer": "silent"}))
            found.append(judge_proof(KNOWN, device(), asked, read).works)
        self.assertEqual(found, [None, None, False])

    def test_a_percentage_that_rises_in_no_time_or_too_fast_proves_nothing(self):
        quick = {"percent_first": 47.0, "percent_second": 49.0, "minutes_between": 0.0}
        self.assertEqual(shown("rise", **quick), "")
        self.assertEqual(shown("rise", **{**quick, "minutes_between": 1.0}), "rises")
        self.assertEqual(shown("rise", **{**quick, "percent_second": 60.0, "minutes_between": 2.0}), "odd")

    def test_what_closing_disturbs_is_looked_at_after_it_too(self):
        closed = names(subject(device("phone usb_c none"), "replace_port"), CLOSED)
        self.assertTrue({"speaker", "aerial", "microphone", "earpiece", "sim", "host", "warm"} <= set(closed))
        self.assertNotIn("unknown_part", closed)
        self.assertIn("unknown_part", names(subject(device("phone usb_c none"), "swap_battery"), CLOSED))
        self.assertNotIn("earpiece", names(subject(device("tablet usb_c none"), "replace_port"), CLOSED))

    def test_what_a_small_repair_does_not_call_for_is_offered_and_what_was_told_or_seen_is_asked(self):
        plain = subject(device(), "clean_port")

        def asked(about):
            return [item.id for item in asked_of(KNOWN, about, CLOSED) if not item.extra]

        self.assertEqual(asked(plain), ["percent", "current", "wiggle", "rise"])
        self.assertLess(proof_minutes(asked_of(KNOWN, plain, CLOSED))[0], 3)
        told = replace(plain, history=("plug_falls_out", "comes_and_goes"), seen={("power_up", "dead")})
        self.assertLessEqual({"clicks", "replug", "flip", "start"}, set(asked(told)))
        self.assertIn("own", asked(subject(device(), "advise_source")))
        opened = subject(device(), "swap_carrier")
        self.assertLessEqual({"start", "flip", "replug", "own", "warm"}, set(asked(opened)))
        self.assertNotIn("off", asked(opened))
        # Where nothing was repaired, nothing says what may be left: all of it is asked.
        self.assertIn("off", asked(replace(plain, plan=None)))

    def test_the_impossible_is_refused(self):
        with self.assertRaisesMessage(ReadingError, "130 % is not possible"):
            judged(subject(), percent_second=130.0)
