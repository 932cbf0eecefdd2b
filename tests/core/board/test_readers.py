"""Board files: read back as they were written, worked examples, damaged files that are never read wrong unsaid."""

import random
import tracemalloc
from pathlib import Path

from django.test import SimpleTestCase

from chargepath.board.layout import BoardSide, LayoutError
from chargepath.board.padtable import write_table
from chargepath.board.reading import read_board
from chargepath.standin.layouts import as_lists, as_netlist, made_board
from tests.sizes import sized

EXAMPLES = Path(__file__).parents[3] / "docs" / "boards"
BOARD = made_board(300)
WRITERS = {"netlist": as_netlist, "lists": as_lists, "table": write_table}
# A pad of each kind, columns from memory of the published record format: inches of a ten-thousandth.
NETLIST = """\
C  EXAMPLE
P  UNITS CUST 0
P  NNAME1            USB_VBUS_AFTER_PROTECTION
327GND              C12   -1          A01X+010000Y-005000X0100Y0120R000 S0
317NNAME1           J1    -A4   D0350PA00X-000100Y+000200X0500     R090 S3
327N/C              U3    -17         A02X+000000Y+000000X0080Y0080R000 S2
327A_NET_OF_14_CHR  R7    -2          A01X+000010Y+000010X0080Y0080R000 S0
999
"""


class AsWritten(SimpleTestCase):
    def test_every_format_gives_back_the_board(self):
        there = {(pad.part, pad.pin): pad for pad in BOARD.pads}
        for name, write in WRITERS.items():
            with self.subTest(format=name):
                found = read_board(write(BOARD).encode())
                self.assertEqual((found.left_out, found.cut, found.unit_doubt), ((), (), ""))
                self.assertEqual(len(found.pads), len(BOARD.pads))
                for pad in found.pads:
                    own = there[pad.part, pad.pin]
                    self.assertEqual((pad.net, pad.side), (own.net, own.side))
                    for ours, theirs in ((pad.x_mm, own.x_mm), (pad.y_mm, own.y_mm), (pad.wide_mm, own.wide_mm)):
                        self.assertAlmostEqual(ours, theirs, places=6)
                self.assertTrue(found.outline or name == "table")

    def test_a_netlist_by_its_columns(self):
        found = read_board(NETLIST.encode())
        self.assertEqual(found.left_out, ())
        gnd, vbus, free, cut = found.pads
        self.assertEqual((gnd.part, gnd.pin, gnd.net, gnd.side), ("C12", "1", "GND", BoardSide.TOP))
        # One inch is 25.4 mm; y counts upwards in the file.
        self.assertEqual((gnd.x_mm, gnd.y_mm, gnd.wide_mm, gnd.high_mm), (25.4, 12.7, 0.254, 0.3048))
        self.assertEqual(
            (vbus.net, vbus.side, vbus.round, vbus.masked), ("USB_VBUS_AFTER_PROTECTION", BoardSide.BOTH, True, True)
        )
        self.assertEqual((free.net, free.masked), ("", True))
        self.assertEqual((found.cut, cut.net), (("A_NET_OF_14_CHR"[:14],), "A_NET_OF_14_CHR"[:14]))

    def test_a_turned_footprint_and_one_without_a_net(self):
        text = """(kicad_pcb (version 1) (net 0 "") (net 1 "VBUS")
          (zone (net 1) (polygon (pts (xy 0 0) (xy 1 1))))
          (footprint "a:b" (layer "F.Cu") (at 10 20 90) (property "Reference" "C5" (at 0 0))
            (pad "1" smd rect (at 1 0 90) (size 0.5 0.6) (layers "F.Cu" "F.Mask") (net 1 "VBUS"))
            (pad "2" thru_hole circle (at 0 2) (size 1 1) (layers "*.Cu" "*.Mask"))
            (pad "3" smd rect (at 0 x) (size 1 1) (layers "F.Cu"))
            (pad "" np_thru_hole circle (at 0 0) (size 1 1) (layers "F.SilkS")))
          (gr_rect (start 0 0) (end 40 30) (layer "Edge.Cuts")))"""
        found = read_board(text.encode())
        one, two = found.pads
        # A quarter counter-clockwise with y downwards: what lay to the right lies above.
        self.assertEqual(
            (one.name, one.x_mm, one.y_mm, one.side, one.masked), ("C5.1", 10.0, 19.0, BoardSide.TOP, False)
        )
        self.assertEqual((two.net, two.x_mm, two.y_mm, two.side, two.round), ("", 12.0, 20.0, BoardSide.BOTH, True))
        self.assertEqual(
            [(row.why, row.text) for row in found.left_out], [("number", "C5 pad 3"), ("layer", "C5 pad ")]
        )
        self.assertEqual(found.box, (0.0, 0.0, 40.0, 30.0))

    def test_a_table_in_another_unit_with_decimal_commas(self):
        found = read_board(b"Part;Pin;Net;Side;X (mil);Y (mil)\nU1;A4;VBUS;top;100;-50,5\nU1;A5;NC;side;1;2\nU1;A6;x\n")
        (pad,) = found.pads
        self.assertEqual((pad.name, pad.net, pad.x_mm, pad.y_mm), ("U1.A4", "VBUS", 2.54, -1.2827))
        self.assertEqual([(row.line, row.why) for row in found.left_out], [(3, "side"), (4, "columns")])

    def test_a_board_that_is_too_large_or_too_small_to_be_one_is_doubted(self):
        table = "part,pin,net,side,x_{u},y_{u}\nU1,1,A,top,0,0\nU1,2,B,top,{far},1\n"
        for unit, far, doubt in (("mm", 60, ""), ("mm", 600, "large"), ("um", 600, "small"), ("inch", 60, "large")):
            found = read_board(table.format(u=unit, far=far).encode())
            self.assertEqual(found.unit_doubt, doubt, (unit, far))


class Refused(SimpleTestCase):
    def test_what_is_no_board_is_refused_with_what_would_be_one(self):
        line = NETLIST.splitlines()[3] + "\n"
        pads = "P  UNITS CUST 1\n" + line
        for raw, says in (
            (b"", "no pad of a board"),
            (b"pin,net\n", "first line lacks"),
            (b"part,pin,net,side,x_mm,y_mm\n", "no pad of a board"),
            (b"(kicad_sch)", "no board file"),
            (b"(kicad_pcb (net 1 ", "cut: its lists are not closed"),
            (b'(kicad_pcb (net 1 "', "does not end"),
            (b"(kicad_pcb" + b"(net" * 40, "nested too deep"),
            (b"(kicad_pcb (zone" + b"(a" * 40, "nested too deep"),
            (b"(kicad_pcb))", "something follows"),
            (b"(kicad_pcb \0)", "signs that no text holds"),
            (NETLIST.replace("P  UNITS CUST 0\n", "").encode(), "before its unit"),
            (pads.encode().replace(b"999", b"") * 2 + b"P  UNITS CUST 0\n", "two units"),
            (b"x" * 20_000_001, "too large"),
            (pads.encode() + line.encode() * 30_000, "30 000 pads"),
            (b"part,pin,net,side,x_mm,y_mm\n" + b"a,1,n,top,x,1\n" * 31_000, "more of its lines cannot be read"),
            (b"(kicad_pcb " + b'(net 1 "a") ' * 100_002 + b")", "more lists than a board does"),
        ):
            with self.subTest(says=says), self.assertRaisesMessage(LayoutError, says):
                read_board(raw)

    def test_damaged_files_are_answered_and_never_read_silently_wrong(self):
        draw = random.Random(11)
        for name, write in WRITERS.items():
            whole = write(BOARD)
            true = {(round(pad.x_mm, 5), round(pad.y_mm, 5)) for pad in BOARD.pads}
            read, refused, named = 0, 0, 0
            for _ in range(sized(120, 3000)):
                damaged = damage(whole, draw)
                try:
                    found = read_board(damaged.encode())
                except LayoutError:
                    refused += 1
                    continue
                read += 1
                named += bool(found.left_out)
                for pad in found.pads:
                    self.assertIn((round(pad.x_mm, 5), round(pad.y_mm, 5)), true, (name, pad))
                if name == "table" and whole.startswith(damaged) and damaged.endswith("\n"):
                    continue  # A table that is cut between two lines looks whole.
                missing = len(BOARD.pads) - len(found.pads)
                self.assertTrue(missing <= 0 or found.left_out, (name, missing))
            with self.subTest(format=name):
                self.assertGreater(read, sized(30, 800))
                self.assertGreater(named, sized(10, 300))
                self.assertGreater(refused, sized(5, 100))

    def test_hostile_files_cost_little(self):
        """What is quadratic in these would never end; their memory is held to what a child process is given."""
        many = sized(100_000, 1_000_000)
        for hostile in (
            "(kicad_pcb " + '"' * 4 * many,
            "(kicad_pcb " + '"\\' * many,
            "(kicad_pcb (zone (pts " + "(xy 1 2) " * many + ")))",
            "(kicad_pcb " + "(pts " * many,
            "part,pin,net,side,x_mm,y_mm\n" + '"' * 4 * many,
            "P  UNITS CUST 0\n" + "327" + " " * 4 * many,
        ):
            tracemalloc.start()
            with self.assertRaises(LayoutError):
                read_board(hostile.encode())
            self.assertLess(tracemalloc.get_traced_memory()[1], 100_000_000)
            tracemalloc.stop()


def damage(text: str, draw: random.Random) -> str:
    """A file with one or two of the usual kinds of damage."""
    for _ in range(draw.choice((1, 1, 2))):
        if len(text) < 200:
            return text
        at = draw.randrange(len(text))
        kind = draw.randrange(6)
        if kind == 0:  # A digit that is none.
            while not text[at].isdigit():
                at = draw.randrange(len(text))
            text = text[:at] + draw.choice("xO#") + text[at + 1 :]
        elif kind == 1:  # A blank within a number.
            while not (text[at].isdigit() and text[at - 1].isdigit()):
                at = draw.randrange(1, len(text))
            text = f"{text[:at]} {text[at:]}"
        elif kind == 2:  # Columns, cells or brackets that are one too many or one too few.
            while text[at] not in ",() ":
                at = draw.randrange(len(text))
            text = text[:at] + draw.choice(("", text[at] * 2)) + text[at + 1 :]
        elif kind == 3:
            text = text[:at]
        elif kind == 4:
            text = text[:at] + "\0" + text[at:]
        else:
            text = text.replace("UNITS CUST 1", "UNITS CUST 7").replace("x_mm", "x_furlong").replace("(at ", "(az ", 1)
    return text


class Examples(SimpleTestCase):
    def test_the_three_example_files_hold_the_same_board_which_is_the_demos(self):
        wanted = made_board(300, 11).pads
        for ending in ("ipc", "kicad_pcb", "csv"):
            found = read_board((EXAMPLES / f"tab-11-main-c.{ending}").read_bytes())
            self.assertEqual(found.left_out, (), ending)
            for one, other in zip(found.pads, wanted, strict=True):
                self.assertEqual((one.name, one.net, one.side), (other.name, other.net, other.side))
                self.assertAlmostEqual(one.x_mm, other.x_mm, delta=1e-5)
                self.assertAlmostEqual(one.y_mm, other.y_mm, delta=1e-5)
