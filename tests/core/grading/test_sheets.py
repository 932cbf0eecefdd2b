"""Pin maps, probe sheets, tables of known-good readings, and readings taken from a live meter."""

import json
import math

from django.test import SimpleTestCase

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import MeterStyle
from chargepath.electrical.goodfile import read_good, write_good
from chargepath.electrical.references import summarise
from chargepath.electrical.steady import Steady
from chargepath.grading.sheet import PinReading, events_of, judge_sheet, observations_of
from chargepath.instrument.profile import shipped_profiles
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.pinmaps import ConnectorError, board_connector, inner_nets, problems_of
from chargepath.standin.multimeter import StandinMultimeter

KNOWN = shipped()
USB_C = KNOWN.connectors["usb_c"].map


class PinMaps(SimpleTestCase):
    def test_counts_and_groups(self):
        self.assertEqual(
            {name: len(found.map.pins) for name, found in KNOWN.connectors.items()},
            {"usb_c": 24, "micro_b": 5, "eight_pad": 8},
        )
        groups = {USB_C.net(pin).group for pin in USB_C.pins}
        self.assertEqual(groups, {"power", "ground", "data", "control", "sideband"})

    def test_type_c_reads_the_same_turned_half_round(self):
        # USB Type-C receptacle: A1..A12 over B12..B1, rotation by half a turn puts A on B (standard, from memory).
        top, low = USB_C.rows
        self.assertEqual(top, tuple(f"A{k}" for k in range(1, 13)))
        self.assertEqual(low, tuple(f"B{k}" for k in range(12, 0, -1)))
        for pin in ("A1", "A4", "A9", "A12"):
            self.assertEqual(USB_C.net(pin).group, USB_C.net("B" + pin[1:]).group)
        self.assertEqual(
            [USB_C.net(pin).label for pin in ("A5", "B5", "A6", "A7", "B8")], ["CC1", "CC2", "D+", "D-", "SBU2"]
        )

    def test_twins_and_directions(self):
        self.assertEqual(USB_C.twin("A5"), ("B5",))
        self.assertEqual(USB_C.twin("A6")[0], "B6")
        self.assertIn("A9", USB_C.twin("A4"))
        self.assertEqual(len(USB_C.directions), 2)
        self.assertEqual(USB_C.mirrored()[0][0], "A12")
        for found in (KNOWN.connectors["eight_pad"].map, USB_C):
            first, second = found.directions.values()
            self.assertFalse(set(first) & set(second))

    def test_a_shops_board_connector(self):
        nets = inner_nets([USB_C])
        made = board_connector("tail plug", 5, 2, {"1": "vbus", "2": "vbus", "4": "dp", "9": "dm"}, nets)
        self.assertEqual((len(made.pins), made.rows[1][0], problems_of(made)), (10, "6", []))
        self.assertEqual((made.twin("1"), made.twin("4")), (("2",), ("9",)))
        for rows, pins, says in (
            ((5, 3), {"1": "vbus"}, "one or two rows"),
            ((90, 2), {"1": "vbus"}, "120 pins"),
            ((5, 2), {"11": "vbus"}, "1 to 10"),
            ((5, 2), {"1": "moon"}, "one of"),
            ((5, 2), {}, "at least one"),
        ):
            with self.subTest(rows=rows, pins=pins), self.assertRaisesMessage(ConnectorError, says):
                board_connector("x", *rows, pins, nets)


class Sheets(SimpleTestCase):
    def judge(self, values, references=None):
        readings = {pin: PinReading(mv) for pin, mv in values.items()}
        return judge_sheet(USB_C, readings, references or {})

    def test_with_references_each_line_is_held_against_its_own(self):
        references = {"A5": summarise([700] * 6), "A6": summarise([480] * 6)}
        found = self.judge({"A5": 704, "A6": 210}, references)
        self.assertEqual([found[pin].verdict.grade for pin in ("A5", "A6")], ["in_band", "low"])
        self.assertFalse(found["A6"].verdict.weak)

    def test_without_references_twins_speak(self):
        found = self.judge({"A6": 490, "B6": 250})
        self.assertEqual([found[pin].verdict.grade for pin in ("A6", "B6")], ["in_band", "low"])
        self.assertTrue(found["B6"].verdict.weak)
        self.assertEqual((found["B6"].twin, found["B6"].twin_mv), ("A6", 490))

    def test_an_optional_line_that_reads_open_everywhere_counts_for_nothing(self):
        found = self.judge({"A2": math.inf, "A3": math.inf})
        self.assertFalse(found["A2"].counts)
        self.assertEqual(observations_of(USB_C, "contact", found), [])
        self.assertEqual(events_of(USB_C, "contact", found), [])

    def test_each_check_is_entered_by_its_worst_line(self):
        references = {pin: summarise([600.0] * 6) for pin in ("A4", "A9", "A6")}
        events = events_of(USB_C, "contact", self.judge({"A4": 601, "A9": 44, "A6": 598}, references))
        made = {row.event.check: row.event for row in events}
        self.assertEqual(made["line_power"].values["reading"], 44)
        self.assertEqual([(row.worst.pin, row.of) for row in events], [("A9", 2), ("A6", 1)])
        self.assertEqual(made["line_data"].values["reading"], 598)
        self.assertEqual(events_of(USB_C, "alone_board", self.judge({"A4": 601}, references)), [])


class Tables(SimpleTestCase):
    METERS = {"bench": MeterStyle("mV", "OL"), "pocket": MeterStyle("V", "OL")}
    HEAD = "model,connector,pin,meter,reading\n"

    def read(self, text):
        return read_good(text, {"usb_c": USB_C}.get, KNOWN.places, self.METERS)

    def test_units_follow_the_meter_and_ol_is_open(self):
        good, bad = self.read(self.HEAD + "Tab,usb_c,A5,bench,702\nTab,usb_c,A5,pocket,0.702\nTab,usb_c,A2,bench,OL\n")
        self.assertEqual(([row.mv for row in good], bad), ([702, 702, math.inf], []))

    def test_every_bad_line_is_named_with_what_would_be_right_and_the_rest_is_kept(self):
        table = [
            (",usb_c,A5,bench,702", "up to 80"),
            ("Tab,hdmi,A5,bench,702", "no connector"),
            ("Tab,usb_c,A13,bench,702", "24 pins"),
            ("Tab,usb_c,A5,lamp,702", "no meter"),
            ("Tab,usb_c,A5,bench,loud", "loud"),
            ("Tab,usb_c,A5,bench,-40", "-40"),
            ("Tab,usb_c", "expected 5"),
            ("Tab,usb_c,A5,bench,90000", "90000"),
        ]
        good, bad = self.read(self.HEAD + "\n".join(["Tab,usb_c,A5,bench,702", *(line for line, _ in table)]))
        self.assertEqual((len(good), [row.line for row in bad]), (1, list(range(3, 11))))
        for row, (_, says) in zip(bad, table, strict=True):
            self.assertIn(says, row.what)

    def test_semicolons_tabs_any_order_and_dates(self):
        good, bad = self.read("Reading;PIN;connector;model;meter;date;place\n512;A4;usb_c;Tab;bench;2026-03-02;pads\n")
        self.assertEqual((good[0].taken.year, good[0].place, bad), (2026, "pads", []))
        _, bad = self.read("model,connector,pin,meter,reading,date\nTab,usb_c,A5,bench,702,yesterday\n")
        self.assertIn("2026-03-02", bad[0].what)

    def test_a_heading_that_misses_a_column_and_an_empty_table(self):
        with self.assertRaisesMessage(ReadingError, "meter, reading"):
            self.read("model,connector,pin\nTab,usb_c,A5\n")
        with self.assertRaisesMessage(ReadingError, "no reading below"):
            self.read(self.HEAD)

    def test_what_is_written_is_read_back(self):
        good, _ = self.read(
            "model,connector,pin,meter,reading,date,place,revision\nTab,usb_c,A5,bench,702.5,2026-03-02,pads,B\n"
            "Tab,usb_c,A2,bench,OL,2026-03-02,pads,B\n"
        )
        rows = [(r.model, r.revision, r.map_id, r.place, r.pin, r.meter, r.mv, r.taken) for r in good]
        again, bad = self.read("".join(write_good(rows)))
        self.assertEqual((again, bad), (good, []))


def shown_mv(line):
    """What our own multimeter shows, None where a line says nothing."""
    return shipped_profiles()["json_multimeter"].read(line).get("diode")


class Live(SimpleTestCase):
    def test_a_reading_is_taken_once_it_stands_and_only_after_the_probe_was_lifted(self):
        steady = Steady()
        wandering = [steady.feed(k * 0.1, 300 + 40 * k) for k in range(6)]
        self.assertEqual(wandering, [None] * 6)
        taken = [steady.feed(1 + k * 0.1, 512 + (k % 2)) for k in range(8)]
        self.assertIsNone(taken[3])
        self.assertAlmostEqual(next(mv for mv in taken if mv is not None), 512, delta=1)
        again = Steady(lifted=False)
        self.assertTrue(all(again.feed(k * 0.1, 512) is None for k in range(20)))
        again.feed(3.0, math.inf)
        self.assertIsNotNone([again.feed(3.1 + k * 0.1, 512) for k in range(8)][-1])

    def test_overrange_is_never_taken_by_itself(self):
        steady = Steady()
        self.assertTrue(all(steady.feed(k * 0.1, math.inf) is None for k in range(100)))

    def test_lines_of_the_meter(self):
        self.assertEqual(shown_mv('{"t": 1.5, "mv": 512}'), 512.0)
        self.assertEqual(shown_mv('{"t": 1.5, "ol": true}'), math.inf)
        for line in (
            "",
            "nonsense",
            '{"t": 1}',
            '{"t": 1, "mv": "x"}',
            '{"t": 1, "mv": NaN}',
            '{"t": 1, "mv": -5}',
        ):
            self.assertIsNone(shown_mv(line), line)

    def test_the_stand_in_shows_the_board_it_touches(self):
        meter = StandinMultimeter({"usb_c": USB_C}.get)
        self.assertEqual(json.loads(meter.hello())["hello"], "rainfront-multimeter")
        meter.command('{"device": "port_ic_fault.lines", "seed": 31}')
        meter.command('{"touch": {"map": "usb_c", "place": "contact", "pin": "A4"}}')
        shown = [shown_mv(meter.sample()) for _ in range(30)]
        self.assertTrue(500 < shown[-1] < 700, shown[-1])
        self.assertIn("good", json.loads(meter.command('{"device": "moon"}'))["allowed"])
        self.assertIn(
            "no such pin",
            json.loads(meter.command('{"touch": {"map": "usb_c", "place": "contact", "pin": "Z9"}}'))["error"],
        )
        self.assertEqual(shown_mv(meter.sample()), math.inf)
