"""Numbers as people type them, the quick line, and what a number is graded as."""

import math
from dataclasses import replace

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from chargepath.base.errors import AmbiguousReadingError, ChargepathError, QuickLineError, ReadingError
from chargepath.base.quantities import METERS, parse_diode, parse_quantity
from chargepath.case.entries import CheckEvent, RepairEvent, TryEvent
from chargepath.case.quickline import complete, grammar, parse_line
from chargepath.grading.expect import taper
from chargepath.grading.readings import grade_event
from chargepath.knowledge.loader import shipped
from tests.builders import device

ANY, VOLTS, MILLI = METERS["any"], METERS["volts"], METERS["millivolts"]
OLD_MV, OLD_V = METERS["one_millivolts"], METERS["one_volts"]
OPEN = math.inf


class DiodeReadings(SimpleTestCase):
    def test_are_read_right_whatever_the_meter_shows(self):
        rows = [
            ("OL", ANY, OPEN),
            ("0L", ANY, OPEN),
            ("O.L", ANY, OPEN),
            ("ol", OLD_V, OPEN),
            ("---", ANY, OPEN),
            ("1", OLD_MV, OPEN),
            ("1", OLD_V, OPEN),
            ("1.", OLD_V, OPEN),
            (".512", ANY, 512),
            ("0,512", ANY, 512),
            ("0.512", VOLTS, 512),
            ("512", ANY, 512),
            ("512mV", MILLI, 512),
            ("0.512V", MILLI, 512),
            ("512", VOLTS, 512),
            ("1.234", VOLTS, 1234),
            ("41", ANY, 41),
            ("2", ANY, 2),
            ("0", ANY, 0),
            ("0.000", VOLTS, 0),
            ("003", MILLI, 3),
            ("1mV", ANY, 1),
            ("1.0V", ANY, 1000),
            ("512.4", MILLI, 512.4),
        ]
        for text, meter, expected in rows:
            with self.subTest(text=text, meter=meter.id):
                self.assertAlmostEqual(parse_diode(text, meter), expected)

    def test_are_asked_about_where_two_readings_are_possible(self):
        rows = (("1", ANY), ("1", VOLTS), ("0.512", MILLI), ("12.5", ANY), ("3", VOLTS))
        for text, meter in rows:
            with self.subTest(text=text, meter=meter.id):
                with self.assertRaises(AmbiguousReadingError) as caught:
                    parse_diode(text, meter)
                for choice in caught.exception.choices:
                    parse_diode(choice, meter)

    def test_are_refused_where_they_cannot_be(self):
        for text in ("-3", "5000", "abc", "512ohm", "4V", "", "5 12"):
            with self.subTest(text=text), self.assertRaises(ReadingError):
                parse_diode(text)

    @given(st.integers(min_value=4, max_value=2999))
    def test_every_way_of_writing_one_value_gives_that_value(self, millivolts):
        volts = f"{millivolts / 1000:.3f}"
        for text in (f"{millivolts}", f"{millivolts}mV", f"{volts}V", volts, volts.replace(".", ",")):
            self.assertAlmostEqual(parse_diode(text), millivolts)


class Quantities(SimpleTestCase):
    def test_take_comma_and_unit(self):
        rows = [
            ("0,02", "A", 0.02),
            ("20mA", "A", 0.02),
            ("20 mA", "A", 0.02),
            ("4.62", "V", 4.62),
            ("4620mV", "V", 4.62),
            ("3%", "%", 3),
        ]
        for text, unit, expected in rows:
            self.assertAlmostEqual(parse_quantity(text, unit), expected, msg=text)

    def test_refuse_the_wrong_unit(self):
        with self.assertRaisesMessage(ReadingError, "this takes A, mA"):
            parse_quantity("5V", "A", "amps")


class QuickLine(SimpleTestCase):
    def read(self, line, words="phone usb_c sub_board", meter=ANY):
        return parse_line(line, shipped(), device(words), meter)

    def test_takes_a_whole_observation(self):
        rows = [
            ("i 0.02 5.1 3%", CheckEvent("charger_current", values={"amps": 0.02, "volts": 5.1, "battery_percent": 3})),
            (
                "I 3% 5,1V 20mA",
                CheckEvent("charger_current", values={"amps": 0.02, "volts": 5.1, "battery_percent": 3}),
            ),
            ("i cycling own", CheckEvent("charger_current", "own", "cycling")),
            ("port lint loose", CheckEvent("port_look", signs=("lint", "loose"))),
            ("port clean", CheckEvent("port_look")),
            ("wiggle drops", CheckEvent("plug_wiggle", grade="drops")),
            ("power 41/512", CheckEvent("line_power", values={"reading": 41, "reference": 512})),
            ("power OL at board", CheckEvent("line_power", "board", values={"reading": OPEN})),
            ("power in_band", CheckEvent("line_power", grade="in_band")),
            ("vboard 4.62", CheckEvent("input_volts_board", values={"volts": 4.62})),
            ("input_volts_board 4.62", CheckEvent("input_volts_board", values={"volts": 4.62})),
            ("try swap_carrier no", TryEvent("swap_carrier", False)),
            ("did clean_port no", RepairEvent("clean_port", False)),
            ("did clean_port", RepairEvent("clean_port", None)),
        ]
        for line, expected in rows:
            with self.subTest(line=line):
                self.assertEqual(self.read(line), expected)

    def test_says_which_word_is_wrong_and_what_may_stand_there(self):
        rows = [
            ("", "the line is empty"),
            ("prot lint", "word 1: 'prot' is no check; did you mean port?"),
            ("port lnit", "word 2: 'lnit' is no sign of Look into the port; did you mean lint?"),
            ("wiggle 5", "word 2: '5' is no grade of Wiggle test"),
            ("power dead", "word 2: 'dead' is neither a number nor a grade"),
            ("power 41/512 60", "word 3: '60' is one number too many"),
            ("power 1", "can be an old display's overrange"),
            ("i 0.02 5.1 3% 9", "word 5: '9' has no place here"),
            ("i 11", "11 A is not possible for amps; allowed: 0 to 10 A"),
            ("i", "word 2: Charger current: what did it show?"),
            ("try clean_port no", "'clean-port' cannot be tried and taken back"),
            ("try swap_carrier", "word 3: did it charge meanwhile?"),
            ("did clean_prot no", "did you mean clean-port?"),
            ("did clean_port maybe", "word 3: 'maybe' is no answer"),
            ("port clean lint", "clean and a sign at once"),
            ("pad none", "needs a charging coil"),
            ("cell nan", "neither a number nor a grade"),
        ]
        for line, message in rows:
            with self.subTest(line=line), self.assertRaises(ChargepathError) as caught:
                self.read(line)
            self.assertIn(message, str(caught.exception))

    def test_knows_what_the_device_does_not_have(self):
        with self.assertRaisesMessage(QuickLineError, "needs a reversible plug"):
            self.read("flip same", "phone micro_b none")
        with self.assertRaisesMessage(QuickLineError, "is no route here"):
            self.read("did swap_carrier yes", "phone micro_b none")

    @given(st.text(max_size=60))
    def test_never_fails_with_anything_but_a_clear_error(self, line):
        try:
            self.read(line)
        except ChargepathError as error:
            self.assertTrue(error.right)

    def test_completes_word_by_word_and_every_completion_can_be_gone_on_with(self):
        known, made = shipped(), device()
        words = lambda line: [item.word for item in complete(line, known, made)]  # noqa: E731
        self.assertLessEqual({"wiggle", "wait"}, set(words("w")))
        self.assertTrue(all(word.startswith("w") for word in words("w")))
        self.assertEqual(words("wiggle "), ["steady", "drops"])
        self.assertEqual(words("port l"), ["lint", "loose"])
        self.assertEqual(words("try swap_b"), ["swap-battery"])
        self.assertEqual(words("try swap_battery "), ["yes", "no"])
        self.assertEqual(words("power short at b"), ["board"])
        self.assertEqual(words("zz"), [])

    def test_the_grammar_lists_each_check_the_device_can_have(self):
        lines = [rule.example.split()[0] for rule in grammar(shipped(), device("phone micro_b none"))]
        self.assertIn("vboard", lines)
        self.assertNotIn("flip", lines)
        self.assertEqual(lines[-4:], ["try", "did", "danger", "mishap"])


class Grades(SimpleTestCase):
    """Limits are common practice (no source), as the knowledge files state them."""

    def test_of_typed_values(self):
        rows = [
            ("phone", "i 0.0 5.1 20%", "none"),
            ("phone", "i 0.01 5.1", "none"),
            ("phone", "i 0.02 5.1 3%", "trickle"),
            ("phone", "i 0.4 5.0 20%", "reduced"),
            ("phone", "i 1.0 5.0 20%", "normal"),
            ("phone", "i 0.12 5.0 98%", "normal"),
            ("phone", "i 0.0 5.0 100%", "normal"),
            ("phone", "i 0.02 5.0 90%", "trickle"),
            ("phone", "i 0.5 9.0 30%", "reduced"),
            ("phone", "i 0.6 9.0 30%", "normal"),
            ("phone", "i 0.4 15.0 30%", "normal"),
            ("phone", "i 0.3 15.0 30%", "reduced"),
            ("phone", "i 0.3 20.0 30%", "normal"),
            ("phone", "i 2.3 5.0 20%", "normal"),
            ("phone", "i 3.0 5.0 20%", "high"),
            ("phone", "i 3.0 9.0 20%", "normal"),
            ("phone", "i 2.5 5.0 95%", "high"),
            ("tablet", "i 3.0 5.0 20%", "normal"),
            ("tablet", "i 4.5 5.0 20%", "high"),
            ("tablet", "i 0.7 5.0 20%", "reduced"),
            ("tablet", "i 1.4 5.0 20%", "normal"),
            ("tablet", "i 1.0 5.0 20%", "reduced"),
            ("phone", "i 0.02 5.0 96%", "normal"),
            ("phone", "i 0.45 5.0 40% 0.5A", "normal"),
            ("phone", "i 0.45 5.0 40% 0.9A", "reduced"),
            ("phone", "i 0.09 5.0 40% 0.1A", "normal"),
            ("phone", "datavolts 1.8", "present"),
            ("phone", "datavolts 0.2", "silent"),
            ("phone", "vport 4.6 9", "sagging"),
            ("phone", "vport 8.7 9V", "present"),
            ("phone", "power 41/512", "short"),
            ("phone", "power 300/512", "low"),
            ("phone", "power 505/512", "in_band"),
            ("phone", "power 700/512", "open"),
            ("phone", "power OL", "open"),
            ("phone", "power 480", "in_band"),
            ("phone", "power 120", "low"),
            ("phone", "rail OL/400", "in_band"),
            ("phone", "rail 100/400", "low"),
            ("phone", "vport 4.9", "present"),
            ("phone", "vport 3.0", "sagging"),
            ("phone", "vport 0.3", "absent"),
            ("phone", "cell 3.8", "healthy"),
            ("phone", "cell 3.2", "low"),
            ("phone", "cell 2.1", "flat"),
            ("phone", "cell 0.3", "cut_off"),
            ("phone", "tabs 1.9", "flat"),
            ("phone", "tabs 2.1", "low"),
            ("phone", "tabs 3.6", "healthy"),
            ("phone", "temp 2", "cold"),
            ("phone", "temp 39", "in_range"),
            ("phone", "temp 40", "warm"),
            ("phone", "ntc 10k", "in_band"),
            ("phone", "ntc OL", "open"),
            ("phone", "ntc 0,9kΩ", "low"),
            ("phone", "inner 110mohm", "sound"),
            ("phone", "inner 0,2", "high"),
            ("phone", "capacity 74%", "short"),
            ("phone", "capacity 75", "holds"),
            ("phone", "pulldown 5.1k 5.0k", "both"),
            ("phone", "pulldown 5100 OL", "one"),
            ("phone", "pulldown 4.0k 6.2k", "none"),
            ("phone", "idle 0.002", "quiet"),
            ("phone", "idle 0.05", "leaks"),
            ("phone", "idle 0.8", "heavy"),
            ("phone", "sense OL/520", "faulty"),
            ("phone", "sense 515/520", "clean"),
        ]
        for kind, line, grade in rows:
            made = device(f"{kind} usb_c sub_board")
            event = parse_line(line, shipped(), made)
            with self.subTest(line=line):
                self.assertEqual(grade_event(shipped(), made, event).grade, grade)

    def test_a_percent_sign_that_was_forgotten_is_asked_for_before_it_is_a_danger(self):
        for line, made in (("i 0.5 20", device()), ("i 0,5 28", device("tablet usb_c none"))):
            with self.assertRaises(AmbiguousReadingError) as raised:
                parse_line(line, shipped(), made)
            bare = line.split()[-1]
            self.assertEqual(raised.exception.choices, (f"{bare}%", f"{bare}V"))
        for line in ("i 0.5 20V", "i 0.5 20%", "i 0.5 9", "i 1.2 20 40%"):
            self.assertEqual(parse_line(line, shipped(), device()).values["amps"], float(line.split()[1]))
        self.assertEqual(parse_line("i 0.5 20", shipped(), device("tablet usb_c none")).values["volts"], 20.0)

    def test_a_route_may_be_said_where_the_device_is_built_for_it(self):
        stacked, two = (replace(device(), traits=(trait,)) for trait in ("stacked_board", "two_cells"))
        self.assertEqual(parse_line("did rejoin_board", shipped(), stacked).route, "rejoin_board")
        coil = device("phone usb_c flex wireless")
        self.assertEqual(parse_line("did replace_receiver", shipped(), coil).route, "replace_receiver")
        for line, made in (
            ("did rejoin_board", device()),
            ("did recover_battery", two),
            ("did replace_receiver", device()),
        ):
            with self.assertRaises(QuickLineError):
                parse_line(line, shipped(), made)

    def test_volts_of_a_pack_of_two_are_those_of_each_cell(self):
        two = replace(device(), traits=("two_cells",))
        for volts, grade in ((7.7, "healthy"), (6.4, "low"), (5.9, "flat")):
            event = parse_line(f"cell {volts}", shipped(), two)
            found = grade_event(shipped(), two, event)
            self.assertEqual(found.grade, grade)
            self.assertIn("each of two cells", found.reason)
        for volts, made, says in ((7.7, device(), "say so where"), (10.0, two, None), (5.1, device(), "0 to 5")):
            event = CheckEvent("battery_volts", values={"volts": volts})
            if says is None:
                self.assertEqual(grade_event(shipped(), made, event).grade, "healthy")
                continue
            with self.assertRaises(ReadingError) as raised:
                grade_event(shipped(), made, event)
            self.assertIn(says, str(raised.exception))

    def test_amps_and_volts_the_wrong_way_round_are_asked_about(self):
        event = parse_line("i 5.1 0.02", shipped(), device())
        with self.assertRaisesMessage(ReadingError, "looks swapped"):
            grade_event(shipped(), device(), event)

    def test_a_single_reading_never_gives_cycling_and_a_missing_reference_is_marked(self):
        made = device()
        grading = grade_event(shipped(), made, CheckEvent("line_power", values={"reading": 480.0}))
        self.assertTrue(grading.weak)
        for amps in range(30):
            grade = grade_event(shipped(), made, CheckEvent("charger_current", values={"amps": amps / 10})).grade
            self.assertNotEqual(grade, "cycling")

    def test_expected_power_tapers_and_never_rises(self):
        shares = [taper(shipped(), percent) for percent in range(101)]
        self.assertEqual(shares, sorted(shares, reverse=True))
        self.assertEqual(taper(shipped(), None), shares[0])
        self.assertLess(shares[100], 0.1)


class Words(SimpleTestCase):
    """What stands on a button or a label finds its check and its outcome."""

    KNOWN, PHONE = shipped(), device("phone usb_c sub_board wireless")

    def read(self, line):
        return parse_line(line, self.KNOWN, self.PHONE)

    def test_every_label_and_every_button_is_read_as_what_it_stands_for(self):
        for check in self.KNOWN.checks.values():
            if not check.fits("usb_c", True):
                continue
            for outcome in (*check.grades, *check.signs):
                if outcome in check.needs_value:
                    continue
                for line in (f"{check.label} {check.name(outcome)}", f"{check.word} {check.name(outcome)}"):
                    with self.subTest(line=line):
                        event = self.read(line)
                        self.assertEqual((event.check, event.grade or event.signs[0]), (check.id, outcome))

    def test_words_that_are_meant_by_one_thing_only_are_enough(self):
        for line, wanted in (
            ("charger current 0.4 5.1", ("charger_current", "", 0.4)),
            ("cur 0.4", ("charger_current", "", 0.4)),
            ("amps 0,4", ("charger_current", "", 0.4)),
            ("usb 0.4", ("charger_current", "", 0.4)),
            ("start stays", ("power_up", "dead", None)),
            ("does it start stays dead", ("power_up", "dead", None)),
            ("wigg drops", ("plug_wiggle", "drops", None)),
            ("clicks and holds", ("plug_fit", "clicks", None)),
        ):
            with self.subTest(line=line):
                event = self.read(line)
                self.assertEqual((event.check, event.grade, event.values.get("amps")), wanted)
        self.assertEqual(self.read("port lint or dust, plug stands proud").signs, ("lint", "plug_proud"))
        self.assertEqual(self.read("port nothing to see").signs, ())
        self.assertEqual(self.read("try sub-board no"), TryEvent("swap_carrier", False))
        self.assertEqual(self.read("did clean the port yes"), RepairEvent("clean_port", True))

    def test_words_that_may_mean_several_things_are_asked_about(self):
        for line, named in (
            ("volts 4.2", ("cell (battery voltage)", "vport (input voltage")),
            ("drops out", ("wiggle", "owncable")),
            ("screen steady", ("message (", "sign (")),
        ):
            with self.subTest(line=line):
                with self.assertRaises(QuickLineError) as caught:
                    self.read(line)
                for words in named:
                    self.assertIn(words, str(caught.exception))

    def test_letters_of_a_label_complete_to_its_word(self):
        for typed_so_far, word in (("cur", "i"), ("usb", "i"), ("volt", "cell"), ("wig", "wiggle")):
            with self.subTest(typed=typed_so_far):
                found = [row.word for row in complete(typed_so_far, self.KNOWN, self.PHONE)]
                self.assertIn(word, found)
