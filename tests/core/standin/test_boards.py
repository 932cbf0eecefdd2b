"""Simulated boards: the circuit shows what a board would, and a whole sheet finds the station of a fault."""

from django.test import SimpleTestCase

from chargepath.grading.locate import locate
from chargepath.knowledge.loader import shipped
from chargepath.standin.board import ON_LINES, Board, BoardModel, StandinDiodeMeter
from chargepath.standin.boards import halves, probes, references_of, whole_sheet
from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import fault_of

KNOWN = shipped()
PINS = KNOWN.connectors["usb_c"].map
METER = StandinDiodeMeter()


def board(model, seed, name="good"):
    return Board(model, StandinDevice.broken(name, seed))


class SimulatedBoards(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.rows = probes(KNOWN, PINS) + halves(PINS)
        cls.models = [BoardModel.invent(seed, PINS) for seed in (710, 711)]
        cls.references = [references_of(model, METER, cls.rows) for model in cls.models]
        super().setUpClass()

    def test_every_kind_of_fault_is_found_at_its_station_or_left_open_but_hardly_ever_put_elsewhere(self):
        right, wrong, total = 0, [], 0
        for k, fault in enumerate(ON_LINES):
            which = k % 2
            made = board(self.models[which], 7_000 + k, fault)
            found = locate(KNOWN, whole_sheet(KNOWN, made, METER, self.references[which]))
            total += 1
            sits = KNOWN.faults[fault_of(fault)].station
            right += found.told and found.station == sits
            if found.told and found.station != sits:
                wrong.append((fault, found.station))
        self.assertGreaterEqual(right / total, 0.9, f"{right} of {total}")
        self.assertLessEqual(len(wrong), 1, wrong)

    def test_a_good_board_is_not_accused(self):
        for k in range(4):
            found = locate(KNOWN, whole_sheet(KNOWN, board(self.models[0], 8_000 + k), METER, self.references[0]))
            self.assertEqual(found.station, "", found.chances[:2])

    def test_faults_show_where_they_sit(self):
        model = self.models[0]
        good, worn = board(model, 9_000), board(model, 9_000, "port_worn.contacts")

        def higher(place):
            reads = [[one.diode(place, pin, PINS.pin[pin], METER) for one in (good, worn)] for pin in PINS.pins]
            return [pin for pin, (before, after) in zip(PINS.pins, reads, strict=True) if after > before + 100]

        self.assertIn(len(higher("contact")), range(5, 9))  # Four of the power line, and one to four others.
        self.assertEqual(higher("pads"), [])
        self.assertLess(board(model, 9_000, "input_short.hard").diode("contact", "A4", PINS.pin["A4"], METER), 50)

    def test_a_weaker_test_current_reads_lower(self):
        made = board(self.models[0], 9_001)
        reads = [
            made.diode("contact", "A4", PINS.pin["A4"], StandinDiodeMeter(test_ma=amps)) for amps in (0.3, 1.0, 2.0)
        ]
        self.assertEqual(reads, sorted(reads))
        self.assertGreater(reads[2] - reads[0], 30)
