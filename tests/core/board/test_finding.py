"""A pad under a press, parts on a rail by distance, landings for a wire."""

import math
import random

from django.test import SimpleTestCase

from chargepath.board.finding import is_covered, landings, pad_at, pad_called, parts_near
from chargepath.board.layout import BoardLayout, BoardPad, BoardSide
from chargepath.standin.layouts import made_board
from tests.sizes import sized


def pad(part, pin, net, x, y, side=BoardSide.TOP, **more):
    return BoardPad(part=part, pin=pin, net=net, side=side, x_mm=x, y_mm=y, **more)


BOARD = BoardLayout(
    (
        pad("J1", "A4", "VBUS", 0.0, 0.0),
        pad("J1", "B9", "VBUS", 1.0, 0.0),
        pad("C1", "1", "VBUS", 3.0, 4.0),
        pad("C2", "1", "VBUS", 2.0, 0.0, BoardSide.BOTTOM),
        pad("D1", "1", "VBUS", 2.5, 0.0, masked=True),
        pad("TP1", "", "VBUS", 6.0, 0.0, BoardSide.BOTH),
        pad("C3", "1", "VBUS", 0.5, 1.0),
        pad("R1", "1", "CC1", 0.4, 0.3),
    )
)


def places(board, part):
    return [(board.pads[n].x_mm, board.pads[n].y_mm) for n in board.parts[part]]


class Finding(SimpleTestCase):
    def test_a_pad_by_its_name_as_people_type_it(self):
        for text, number in (
            ("J1.A4", 0),
            ("j1 a4", 0),
            ("J1-B9", 1),
            (" tp1 ", 5),
            ("C9", None),
            ("J1", None),
            ("", None),
        ):
            with self.subTest(text=text):
                self.assertEqual(pad_called(BOARD, text), number)

    def test_the_part_that_holds_a_short_is_among_the_first_three_where_the_warm_spot_is_a_millimetre_off(self):
        draw, held = random.Random(3), []
        for seed in range(sized(4, 30)):
            board = made_board(1200, seed)
            for net in ("VSYS", "VBAT", "V1P8", "V3P3"):
                parts = sorted({board.pads[n].part for n in board.nets[net]} - {"J2"})
                for part in draw.sample(parts, 6):
                    middle = [sum(values) / len(values) for values in zip(*places(board, part), strict=True)]
                    turn = draw.uniform(0, 2 * math.pi)
                    near = parts_near(board, net, middle[0] + math.cos(turn), middle[1] + math.sin(turn))
                    held.append(part in [name for name, _ in near[:3]])
        self.assertGreaterEqual(sum(held) / len(held), 0.97)

    def test_the_pad_under_a_press_is_the_nearest_on_the_side_that_is_seen(self):
        self.assertEqual(pad_at(BOARD, 0.3, 0.2, 1.0), 7)
        self.assertEqual(pad_at(BOARD, 2.1, 0.0, 1.0), 3)
        self.assertEqual(pad_at(BOARD, 2.1, 0.0, 1.0, BoardSide.TOP), 4)
        self.assertEqual(pad_at(BOARD, 6.2, 0.0, 1.0, BoardSide.BOTTOM), 5)
        self.assertIsNone(pad_at(BOARD, 20.0, 0.0, 1.0))
        self.assertIsNone(pad_at(BoardLayout(()), 0.0, 0.0, 1.0))

    def test_every_pad_of_a_board_is_found_at_its_middle(self):
        board = made_board(300)
        for number, one in enumerate(board.pads):
            self.assertEqual(pad_at(board, one.x_mm, one.y_mm, 0.2, one.side), number)

    def test_the_parts_of_a_rail_by_distance_from_a_warm_spot(self):
        self.assertEqual(
            parts_near(BOARD, "VBUS", 2.0, 0.0),
            [
                ("C2", 0.0),
                ("D1", 0.5),
                ("J1", 1.0),
                ("C3", 1.8027756377319946),
                ("TP1", 4.0),
                ("C1", 4.123105625617661),
            ],
        )
        self.assertEqual(parts_near(BOARD, "NOWHERE", 0, 0), [])

    def test_a_wire_lands_on_the_same_net_not_on_the_same_part_nor_under_mask_the_same_side_first(self):
        found = landings(BOARD, 0, beyond=["C3"])
        self.assertEqual(
            [(row.pad.name, row.length_mm, row.through) for row in found],
            [("C1.1", 5.0, False), ("TP1", 6.0, False), ("C2.1", 2.0, True)],
        )
        self.assertEqual(landings(BOARD, 0)[0].pad.name, "C3.1")

    def test_a_pad_under_the_body_of_a_chip_is_covered_and_one_at_its_edge_is_not(self):
        grid = [pad("U1", f"{x}{y}", "VSYS", float(x), float(y)) for x in range(4) for y in range(4)]
        board = BoardLayout((*grid, pad("C9", "1", "VSYS", 9.0, 0.0)))
        covered = [board.pads[n].pin for n in range(16) if is_covered(board, n)]
        self.assertEqual(covered, ["11", "12", "21", "22"])
        self.assertFalse(is_covered(board, 16))
        names = {row.pad.name for row in landings(board, 16, most=20)}
        self.assertEqual(len(names), 12)
