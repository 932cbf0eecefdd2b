"""Case files in and out, and the appraisal made of them."""

import copy
import json
from pathlib import Path

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from chargepath.base.errors import CaseFileError
from chargepath.case.entries import Case, CheckEvent, Device, MishapEvent, Outcome, RepairEvent, TryEvent
from chargepath.case.file import dump, parse, schema
from chargepath.decision.appraisal import appraise_text
from chargepath.knowledge.loader import shipped

KNOWN = shipped()
DOCS = Path(__file__).parents[3] / "docs"
EXAMPLE = {
    "format": "rainfront-case",
    "version": 3,
    "device": {"kind": "tablet", "connector": "usb_c", "carrier": "sub_board", "wireless": False, "value": 180},
    "history": ["liquid", "opened_before"],
    "events": [
        {"check": "charger_current", "amps": 0.02, "volts": 5.08, "battery_percent": 3},
        {"check": "port_look", "signs": ["lint"]},
        {"check": "line_power", "grade": "in_band"},
        {"try": "swap_carrier", "works": False},
        {"repair": "clean_port", "works": False},
    ],
    "outcome": {"faults": ["port_ic_fault"], "repairs": ["replace_port_ic"], "works": True},
}


def changed(path: str, value):
    """The example with one place changed (or, for ..., taken out)."""
    data = copy.deepcopy(EXAMPLE)
    place = [int(key) if key.isdigit() else key for key in path.split("/")]
    target = data
    for key in place[:-1]:
        target = target[key]
    if value is ...:
        del target[place[-1]]
    else:
        target[place[-1]] = value
    return json.dumps(data)


def checks():
    def event(check):
        if check.is_look:
            signs = st.lists(st.sampled_from(check.signs), unique=True)
            return signs.map(lambda found: CheckEvent(check.id, signs=tuple(s for s in check.signs if s in found)))
        variant = st.sampled_from(("", *check.variants[1:]))
        grade = st.sampled_from(check.grades)
        return st.builds(lambda v, g: CheckEvent(check.id, v, g), variant, grade)

    plain = [check for check in KNOWN.checks.values() if not check.needs_wireless]
    return st.sampled_from(plain).flatmap(event)


EVENTS = st.lists(
    st.one_of(
        checks(),
        st.floats(0, 3000).map(
            lambda mv: CheckEvent("line_power", values={"reading": round(mv, 3), "reference": 512.0})
        ),
        st.just(CheckEvent("line_power", values={"reading": float("inf")})),
        st.builds(MishapEvent, st.sampled_from(list(KNOWN.mishaps)), st.sampled_from(("", "a pad, by the port"))),
        st.builds(TryEvent, st.sampled_from(("swap_carrier", "swap_battery")), st.booleans()),
        st.builds(RepairEvent, st.sampled_from(list(KNOWN.routes)), st.sampled_from((True, False, None))),
    ),
    max_size=12,
)


class CaseFile(SimpleTestCase):
    def test_the_example_is_read_as_written(self):
        case = parse(json.dumps(EXAMPLE), KNOWN)
        self.assertEqual(case.device, Device("tablet", "usb_c", "sub_board", False, 180.0))
        self.assertEqual(case.events[3:], (TryEvent("swap_carrier", False), RepairEvent("clean_port", False)))
        self.assertEqual(case.outcome, Outcome(("port_ic_fault",), ("replace_port_ic",), True))

    @given(EVENTS, st.lists(st.sampled_from(list(KNOWN.history)), unique=True))
    @settings(max_examples=60, deadline=None)
    def test_what_is_written_reads_back_equal(self, events, history):
        flags = tuple(flag for flag in KNOWN.history if flag in history)
        case = Case(Device("phone", "usb_c", "flex", False, 99.5), flags, tuple(events), wet_hours=float(len(flags)))
        self.assertEqual(parse(json.dumps(dump(case, KNOWN)), KNOWN), case)

    def test_the_schema_in_docs_is_the_one_that_checks(self):
        shipped_schema = json.loads((DOCS / "case-file.schema.json").read_text(encoding="utf-8"))
        self.assertEqual(shipped_schema, json.loads(json.dumps(schema(KNOWN))))

    def test_a_bad_file_names_the_path_and_what_is_allowed(self):
        rows = [
            ("{", "$: is not JSON"),
            ("[]", "$: is []; allowed: an object"),
            ("[" * 100_000, "$: is not JSON (nested too deeply)"),
            (changed("format", "other"), '$.format: is "other"; allowed: "rainfront-case"'),
            (changed("version", 4), "$.version: 4 is not known; allowed: 1, 2, 3"),
            (changed("device", ...), "$: device missing"),
            (changed("device/kind", "watch"), '$.device.kind: "watch" is not known; allowed: phone, tablet'),
            (changed("device/value", -1), "$.device.value: -1 is not possible; allowed: 0 to 100000"),
            (changed("device/wireless", "no"), '$.device.wireless: is "no"; allowed: true or false'),
            (changed("history", ["wet"]), '$.history[0]: "wet" is not known; allowed: liquid'),
            (changed("events/0/amps", -3), "$.events[0].amps: -3 is not possible; allowed: 0 to 10"),
            (changed("events/0/amps", "x"), '$.events[0].amps: is "x"; allowed: a number'),
            (changed("events/0/amps", ...), "$.events[0]: amps missing; needs amps or grade"),
            (changed("events/0/battery_percent", 130), "$.events[0].battery_percent: 130 is not possible"),
            (changed("events/1/signs", ["dust"]), '$.events[1].signs[0]: "dust" is not known; allowed: lint'),
            (changed("events/2/check", "line"), '$.events[2].check: "line" is not known; allowed: port_look'),
            (
                changed("events/2/grade", "fine"),
                '$.events[2].grade: "fine" is not known; allowed: in_band, open, low, short',
            ),
            (changed("events/3/works", ...), "$.events[3]: works missing"),
            (
                changed("events/3/try", "clean_port"),
                '$.events[3].try: "clean_port" is not known; allowed: advise_source',
            ),
            (
                changed("events/4", {}),
                "$.events[4]: is no event; allowed: an object with one of check, try, repair, hazard",
            ),
            (changed("events/4", {"check": "wireless_charge", "grade": "none"}), "needs a device with a coil"),
            (changed("events/4", {"check": "port_look", "signs": [], "try": "swap_carrier", "works": True}), "at once"),
            (changed("outcome/faults", ["gremlins"]), '$.outcome.faults[0]: "gremlins" is not known'),
            (json.dumps(EXAMPLE).replace("0.02", "NaN"), "NaN is not a number in JSON"),
            (json.dumps(EXAMPLE).replace("0.02", "1e999"), "$.events[0].amps: Infinity is not possible"),
            (b"\xff\xfe{}", "$: is not JSON"),
            (b" " * 3_000_000, "$: 3.0 MB is too large"),
        ]
        for text, message in rows:
            with self.subTest(message=message), self.assertRaises(CaseFileError) as caught:
                parse(text, KNOWN)
            self.assertIn(message, str(caught.exception))

    def test_what_has_no_meaning_is_reported_not_lost_silently(self):
        data = copy.deepcopy(EXAMPLE) | {"shop": "x"}
        data["events"][0]["ampz"] = 1
        self.assertEqual(parse(json.dumps(data), KNOWN).ignored, ("$.shop", "$.events[0].ampz"))

    def test_other_spellings_of_an_open_line_are_taken(self):
        data = changed("events/2", {"check": "line_power", "reading": "0L", "reference": 512, "at": "board"})
        self.assertEqual(parse(data, KNOWN).events[2].values["reading"], float("inf"))


class Appraisal(SimpleTestCase):
    def test_has_the_documented_shape_and_ignores_the_outcome(self):
        entry, _ = appraise_text("case-1", json.dumps(EXAMPLE).encode(), KNOWN)
        self.assertEqual(list(entry), ["case", "faults", "next", "routes", "dangers"])
        self.assertEqual(len(entry["faults"]), len(KNOWN.faults))
        chances = [fault["probability"] for fault in entry["faults"]]
        self.assertEqual(chances, sorted(chances, reverse=True))
        self.assertIn(entry["next"]["kind"], ("check", "try", "repair"))
        self.assertEqual(list(entry["routes"][0]), ["id", "cure", "cost"])
        other, _ = appraise_text("case-1", changed("outcome/faults", ["rail_short"]).encode(), KNOWN)
        self.assertEqual(entry, other)
