"""What nets, parts and pads of a board may be: proposed from names, contacts and what lies beside what."""

from django.test import SimpleTestCase

from chargepath.board.layout import BoardLayout, BoardPad, BoardSide
from chargepath.board.proposing import propose_beside, propose_parts, propose_roles, propose_ties
from chargepath.knowledge.loader import shipped
from chargepath.standin.layouts import made_board

KNOWN = shipped()
TABLES = KNOWN.boards
PORT = KNOWN.connectors["usb_c"].map


def pad(part, pin, net, x=0.0, y=0.0):
    return BoardPad(part=part, pin=pin, net=net, side=BoardSide.TOP, x_mm=x, y_mm=y)


def roles_of(board, contacts=None):
    return {row.name: row.id for row in propose_roles(board, TABLES, contacts or {})}


class Roles(SimpleTestCase):
    def test_names_as_boards_have_them(self):
        for name, role in (
            ("VBUS", "input"), ("/Power/VBUS", "input"), ("USB_VBUS", "input"), ("VBUS_SW", "input_protected"),
            ("USB_VBUS_AFTER_PROTECTION", "input_protected"), ("PMID", "middle"), ("CC2", "control"),
            ("USB_DP", "data"), ("usb_dn", "data"), ("SBU1", "sideband"), ("BAT_NTC", "thermistor"),
            ("BATT_SDA", "battery_data"), ("VBAT", "battery"), ("VSYS", "system"), ("GND", "ground"),
            ("AGND", "ground"), ("N117", None), ("SUBVBUSX", None),
        ):  # fmt: skip
            with self.subTest(name=name):
                self.assertEqual(roles_of(BoardLayout((pad("U1", "1", name),))).get(name), role)

    def test_a_contact_of_the_port_outranks_a_name_and_says_that_they_differ(self):
        board = BoardLayout((pad("J1", "A4", "N9"), pad("J1", "A5", "VBUS")))
        n9, vbus = sorted(propose_roles(board, TABLES, {"N9": "vbus", "VBUS": "cc1"}), key=lambda row: row.name)
        self.assertEqual((n9.id, vbus.id), ("input", "control"))
        self.assertIn("its name says input, before", vbus.why)

    def test_what_lies_behind_a_fuse_on_the_input_and_what_joins_most_pads(self):
        joined = [pad("U9", str(n), "PLANE") for n in range(8)]
        board = BoardLayout((pad("F1", "1", "VBUS"), pad("F1", "2", "N3"), pad("R1", "1", "VBUS"), *joined))
        self.assertEqual(roles_of(board), {"VBUS": "input", "N3": "input_protected", "PLANE": "ground"})

    def test_parts_are_told_by_the_lines_they_touch(self):
        board = made_board(300)
        found = {row.id: row.name for row in propose_parts(board, TABLES, roles_of(board))}
        self.assertEqual(found, {"guard": "U1", "charge_ic": "U2", "port_ic": "U3"})
        self.assertEqual(propose_parts(board, TABLES, {}), [])


class Ties(SimpleTestCase):
    def test_the_contacts_of_a_port_by_their_names_also_where_two_share_a_pad(self):
        found = {row.pin: row.pads for row in propose_ties(made_board(300), PORT)}
        self.assertEqual(len(found), 24)
        shared = BoardLayout(tuple(pad("J3", f"A{a}B{13 - a}", "X") for a in range(1, 13)))
        found = {row.pin: row.pads for row in propose_ties(shared, PORT)}
        self.assertEqual((found["A4"], found["B9"], len(found)), ((3,), (3,), 24))

    def test_contacts_that_are_numbers_are_looked_for_on_a_connector_only(self):
        micro = KNOWN.connectors["micro_b"].map
        chip = [pad("U1", str(n), "X") for n in range(1, 6)]
        self.assertEqual(propose_ties(BoardLayout(tuple(chip)), micro), [])
        plug = [pad("J1", str(n), "X") for n in range(1, 6)]
        self.assertEqual(len(propose_ties(BoardLayout((*chip, *plug)), micro)), 5)

    def test_around_the_charging_ic_each_pin_is_the_nearest_part_of_its_kind(self):
        board = made_board(300)
        roles = roles_of(board)
        rows = propose_beside(board, TABLES, "charge_ring", roles, "U2")
        found = {row.pin: [board.pads[number].name for number in row.pads] for row in rows}
        self.assertEqual(
            found,
            {
                "cin": ["C4.1"], "vin": ["C3.1"], "mid": ["C5.1"], "sw": ["L1.1"], "sys": ["L1.2"],
                "inductor": ["L1.1", "L1.2"], "sense": ["R1.1", "R1.2"], "sense_in": ["R1.2"], "sense_out": ["R1.1"],
                "vbat": ["C8.1"],
            },
        )  # fmt: skip
        self.assertEqual(propose_beside(board, TABLES, "charge_ring", roles, "U77"), [])
