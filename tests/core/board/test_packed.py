"""Boards as one compressed file: read back exactly, named by their bytes, small, and refused in words where damaged."""

import gzip
import json
import random

from django.test import SimpleTestCase

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide, LayoutError, scaled
from chargepath.board.packed import as_data, from_data, pack, unpack
from chargepath.standin.layouts import made_board

PAD = BoardPad(
    part="J1", pin="A4", net="VBUS", side=BoardSide.BOTH, x_mm=25.4, y_mm=-0.00254, wide_mm=0.3, high_mm=0.9,
    turn_deg=45.0, round=True, masked=True,
)  # fmt: skip
# No part, no net, no size: a point that somebody named.
BARE = BoardPad(part="", pin="TP 7", net="", side=BoardSide.BOTTOM, x_mm=1e-6, y_mm=399.999999)


class Packed(SimpleTestCase):
    def test_it_is_read_back_to_the_millionth_of_a_millimetre(self):
        board = BoardLayout((PAD, BARE), (((0.0, 0.0), (60.5, 0.0), (60.5, 40.123456)),), cut=("A_NET_OF_14_CH",))
        self.assertEqual(unpack(pack(board)), board)
        large = made_board(2000)
        self.assertEqual(unpack(pack(large)).pads, large.pads)

    def test_the_same_board_gives_the_same_bytes_and_another_one_others(self):
        self.assertEqual(pack(made_board(300)), pack(made_board(300)))
        self.assertNotEqual(pack(made_board(300)), pack(made_board(300, 2)))

    def test_five_thousand_pads_take_less_than_sixty_kilobytes(self):
        self.assertLess(len(pack(made_board(5000))), 60_000)

    def test_a_board_in_another_unit_is_made_longer(self):
        longer = scaled(BoardLayout((PAD,), (((1.0, 2.0),),)), 25.4)
        (pad,) = longer.pads
        self.assertEqual((pad.x_mm, pad.y_mm, pad.wide_mm, pad.high_mm), (645.16, -0.064516, 7.62, 22.86))
        self.assertEqual(longer.outline, (((25.4, 50.8),),))

    def test_what_does_not_fit_together_is_refused_and_never_read_otherwise(self):
        whole, draw = as_data(made_board(200)), random.Random(5)
        for key in [key for key in whole if key not in ("cut", "outline")]:
            for wrong in (None, "x", [], [whole[key]] if isinstance(whole[key], list) else {}):
                with self.subTest(key=key, wrong=str(wrong)[:20]), self.assertRaises(LayoutError):
                    from_data({**whole, key: wrong})
        for column, wrong in (("net", 999), ("part", -2), ("side", 3), ("x", 0.5), ("y", 10**13), ("pin", 4)):
            rows = list(whole[column])
            rows[draw.randrange(len(rows))] = wrong
            with self.subTest(column=column), self.assertRaises(LayoutError):
                from_data({**whole, column: rows})

    def test_a_file_that_unfolds_without_end_is_refused(self):
        bomb = gzip.compress(b'{"format": "' + b"x" * 60_000_000)
        for raw in (bomb, b"", b"no gzip", pack(made_board(200))[:-300], gzip.compress(b"[" * 100_000)):
            with self.subTest(raw=raw[:10]), self.assertRaises(LayoutError):
                unpack(raw)
        self.assertRaises(LayoutError, from_data, json.loads("[1, 2]"))
