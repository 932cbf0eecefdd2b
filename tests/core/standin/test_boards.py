"""Simulated boards: the circuit shows what a board would, and a whole sheet finds the station of a fault."""

from django.test import SimpleTestCase

from chargepath.grading.locate import locate
from chargepath.knowledge.loader import shipped
from chargepath.standin.board import BOARD_FAULTS, Board, BoardModel, DiodeMeter
from chargepath.standin.boards import halves, probes, references_of, whole_sheet

KNOWN = shipped()
PINS = KNOWN.connectors["usb_c"].map
METER = DiodeMeter()


class SimulatedBoards(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.rows = probes(KNOWN, PINS) + halves(PINS)
        cls.models = [BoardModel.invent(seed, PINS) for seed in (710, 711)]
        cls.references = [references_of(model, METER, cls.rows) for model in cls.models]

    def test_every_kind_of_fault_is_found_at_its_station_or_left_open_but_hardly_ever_put_elsewhere(self):
        right, wrong, total = 0, [], 0
        for k in range(3 * len(BOARD_FAULTS)):
            which, fault = k % 2, list(BOARD_FAULTS)[k // 3]
            board = Board(self.models[which], 7_000 + k, fault)
            found = locate(KNOWN, whole_sheet(KNOWN, board, METER, self.references[which]))
            total += 1
            right += found.told and found.station == board.station
            if found.told and found.station != board.station:
                wrong.append((fault, found.station))
        self.assertGreaterEqual(right / total, 0.92, f"{right} of {total}")
        self.assertLessEqual(len(wrong), 1, wrong)

    def test_a_good_board_is_not_accused(self):
        for k in range(4):
            found = locate(KNOWN, whole_sheet(KNOWN, Board(self.models[0], 8_000 + k), METER, self.references[0]))
            self.assertEqual(found.station, "", found.chances[:2])

    def test_faults_show_where_they_sit(self):
        model = self.models[0]
        good, open_contact = Board(model, 9_000), Board(model, 9_000, "port_worn")

        def higher(place):
            reads = [[one.diode(place, pin, PINS.pin[pin], METER) for one in (good, open_contact)] for pin in PINS.pins]
            return [pin for pin, (before, after) in zip(PINS.pins, reads, strict=True) if after > before + 100]

        self.assertIn(len(higher("contact")), (1, 2, 3, 4))
        self.assertEqual(higher("pads"), [])
        self.assertLess(Board(model, 9_000, "input_short").diode("contact", "A4", PINS.pin["A4"], METER), 50)

    def test_a_weaker_test_current_reads_lower(self):
        board = Board(self.models[0], 9_001)
        reads = [board.diode("contact", "A4", PINS.pin["A4"], DiodeMeter(test_ma=amps)) for amps in (0.3, 1.0, 2.0)]
        self.assertEqual(reads, sorted(reads))
        self.assertGreater(reads[2] - reads[0], 30)
