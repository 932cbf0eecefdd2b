"""Boards through their pages: read, confirmed, named, looked at on a job, worked with, sent to another shop."""

import gzip
import json
from dataclasses import replace
from unittest.mock import patch

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from chargepath.board.packed import from_data
from chargepath.standin.layouts import as_lists, as_netlist, made_board
from rainfront.board import actions, reading
from rainfront.board.adapters import laid
from rainfront.board.models import BoardDraft, BoardMap, BoardPicture, Meaning
from rainfront.board.presenters.near import landing_rows, near_rows
from rainfront.board.sending import map_in, map_out, pictures_in
from rainfront.demo.boards import camera, corner_pads, lay
from rainfront.demo.layouts import draw_layout
from rainfront.exchange.references import merge_references, write_references
from rainfront.inside.actions import add_mark, add_photo, keep_good, start_sheet, type_point
from rainfront.inside.models import Photo
from rainfront.reference.actions import keep_readings
from rainfront.reference.models import DiodeMeter, GoodReading, GoodValue
from rainfront.workshop.adapters import Shop
from tests.boards import KNOWN, LAYOUT, MODEL, again, named_board, stored_board, tablet
from tests.builders import NOW, make_user
from tests.web.test_pages import Signed
from tests.web.test_photos import picture

MAPS = reverse("board:maps")


def sent(raw, name="tab.ipc"):
    return SimpleUploadedFile(name, raw if isinstance(raw, bytes) else raw.encode())


class Boards(Signed):
    @property
    def hand(self):
        return {"user": self.user, "now": NOW}

    def stored(self, layout=LAYOUT, **more):
        return stored_board(self.user, layout, **more)

    def named(self):
        return named_board(self.user)

    def tablet(self, lines=("port clean",)):
        return tablet(self.user, lines)


class BroughtIn(Boards):
    def read(self, raw, status=302, name="tab.ipc"):
        answer = self.client.post(reverse("board:read"), {"file": sent(raw, name)})
        self.assertEqual(answer.status_code, status)
        return answer

    def test_nothing_is_stored_before_somebody_has_looked_at_what_was_read(self):
        damaged = as_netlist(LAYOUT).replace("327GND", "327G D", 1)
        page = self.client.get(self.read(damaged)["Location"])
        self.assertContains(page, "302</b> pads")
        self.assertContains(page, "a name is missing, or has a blank in it")
        self.assertFalse(BoardMap.objects.exists())
        draft = BoardDraft.objects.get()
        where = reverse("board:confirm", args=[draft.pk])
        self.assertEqual(self.client.post(where, {"name": "main board", "unit": "1"}).status_code, 422)
        answer = self.client.post(where, {"model_name": MODEL, "name": "main board", "revision": "C", "unit": "1"})
        board = BoardMap.objects.get()
        self.assertEqual(answer["Location"], reverse("board:naming", args=[board.pk]))
        self.assertEqual((board.pads, board.left_out, len(board.layout.pads)), (302, 1, 302))
        self.assertFalse(BoardDraft.objects.exists())
        self.assertEqual(self.client.get(where).status_code, 404)

    def test_a_unit_that_is_likely_wrong_is_said_and_corrected(self):
        table = "part,pin,net,side,x_mm,y_mm\nJ1,1,VBUS,top,0,0\nJ1,2,GND,top,2000,1000\n"
        where = self.read(table, name="pads.csv")["Location"]
        self.assertContains(self.client.get(where), "its unit is likely wrong")
        self.client.post(where, {"model_name": MODEL, "name": "main board", "unit": "0.0254"})
        self.assertEqual(BoardMap.objects.get().layout.pads[1].x_mm, 50.8)

    def test_what_is_no_board_is_refused_in_words_and_what_takes_too_long_too(self):
        self.assertContains(self.read(b"hello", 422), "first line lacks", status_code=422)
        with patch.object(reading, "BOARD_FILE", replace(reading.BOARD_FILE, seconds=0.01)):
            self.assertContains(self.read(as_lists(LAYOUT), 422), "cannot be opened within", status_code=422)
        self.assertFalse(BoardDraft.objects.exists())

    def test_the_pads_are_sent_compressed_under_an_address_that_names_them(self):
        board = self.stored()
        answer = self.client.get(reverse("board:data", args=[board.pk, board.digest[:32]]))
        self.assertEqual((answer["Content-Encoding"], answer["Content-Type"]), ("gzip", "application/json"))
        self.assertIn("immutable", answer["Cache-Control"])
        raw = b"".join(answer.streaming_content)
        self.assertEqual(from_data(json.loads(gzip.decompress(raw))).pads, board.layout.pads)
        self.assertEqual(self.client.get(reverse("board:data", args=[board.pk, "0" * 32])).status_code, 404)

    def test_taken_out_of_use_it_is_on_no_job_and_comes_back(self):
        board, job = self.stored(), self.tablet()
        self.client.post(reverse("board:remove", args=[board.pk]))
        self.assertContains(self.client.get(reverse("board:job", args=[job.pk])), "no map of this model")
        self.assertContains(self.client.get(MAPS), "bring back")
        self.client.post(reverse("board:remove", args=[board.pk]), {"back": "yes"})
        self.assertContains(self.client.get(reverse("board:job", args=[job.pk])), str(board))

    def test_a_list_and_a_page_cost_the_same_however_many_maps_and_pads(self):
        board, job = self.named(), self.tablet()
        for more in (False, True):
            if more:
                self.stored(made_board(900), model_name="Tarn 4")
            for page, queries in ((MAPS, 6), (board.get_absolute_url(), 10), (reverse("board:job", args=[job.pk]), 17)):
                with self.subTest(page=page), self.assertNumQueries(queries):
                    self.assertEqual(self.client.get(page).status_code, 200)


class WhatIsWhat(Boards):
    def test_a_proposal_counts_only_once_it_is_confirmed_and_is_taken_back(self):
        board, job = self.stored(), self.tablet()
        page = reverse("board:job", args=[job.pk])
        self.assertContains(self.client.get(reverse("board:naming", args=[board.pk])), "input, behind the protection")
        self.assertEqual(self.client.get(page).context["told"]["roles"], {})
        say = reverse("board:say", args=[board.pk])
        self.client.post(say, {"of": "net", "take": ["VBUS", "VSYS"], "means:VBUS": "input", "means:VSYS": "system"})
        self.client.post(say, {"of": "net", "name": "PMID", "means": "middle"})
        told = self.client.get(page).context["told"]
        self.assertEqual(set(told["roles"]), {"VBUS", "VSYS", "PMID"})
        self.assertEqual(told["roles"]["VSYS"], ["system rail", "main board"])
        row = Meaning.objects.get(name="VBUS")
        self.client.post(reverse("board:take_back", args=[board.pk]), {"what": "net", "number": row.pk})
        self.assertFalse(Meaning.objects.filter(name="VBUS").exists())

    def test_what_a_board_has_not_is_refused_and_nothing_is_stored(self):
        board = self.stored()
        say, tie = reverse("board:say", args=[board.pk]), reverse("board:tie", args=[board.pk])
        for sent_in, says in (
            ({"of": "net", "name": "NOWHERE", "means": "input"}, "no net called NOWHERE"),
            ({"of": "part", "name": "U2", "means": "king"}, "nobody says what U2 is for"),
        ):
            self.assertContains(self.client.post(say, sent_in, follow=True), says)
        self.assertFalse(Meaning.objects.exists())
        for sent_in, says in (
            ({"at": "usb_c@pads", "pin": "A4", "pads": "J9.A4"}, "This board has no pad J9.A4"),
            ({"at": "usb_c@pads", "pin": "Z4", "pads": "J1.A4"}, "there is no Z4"),
            ({"at": "usb_c@pads", "pin": "A4", "pads": "J1.A4 J1.A5 J1.A6"}, "One pad, or the two ends"),
        ):
            with self.subTest(says=says):
                self.assertContains(self.client.post(tie, sent_in), says, status_code=422)
        self.assertFalse(board.ties.exists())
        self.client.post(tie, {"at": "ladder@", "pin": "guard", "pads": "tp2 1"})
        row = board.ties.get()
        self.assertEqual((row.pin, board.layout.pads[row.pads[0]].name), ("guard", "TP2.1"))

    def test_who_may_not_teach_sees_it_and_is_offered_nothing(self):
        board = self.named()
        client = Client()
        client.force_login(make_user("new", "apprentice"))
        page = client.get(reverse("board:naming", args=[board.pk]))
        self.assertContains(page, "system rail")
        self.assertNotContains(page, "take back")
        self.assertEqual(client.post(reverse("board:remove", args=[board.pk])).status_code, 403)

    def test_what_lies_under_a_shield_is_said_before_a_repair_is_chosen(self):
        board = self.named()
        job = self.tablet(("port clean", "i 0.0 5.0", "power 505/512"))
        sent_in = {"what": "shield", "side": "top", "left": "15", "top": "18", "right": "3", "bottom": "5"}
        self.client.post(reverse("board:cover", args=[board.pk]), sent_in)
        says = "The charging IC (U2) lies under a shield on this board."
        self.assertContains(self.client.get(reverse("jobs:choose", args=[job.pk, "replace_charge_ic"])), says)
        self.assertContains(self.client.get(reverse("jobs:decide", args=[job.pk])), "under a shield on this board")
        self.client.post(
            reverse("board:take_back", args=[board.pk]), {"what": "cover", "number": board.covers.get().pk}
        )
        self.assertNotContains(self.client.get(reverse("jobs:choose", args=[job.pk, "replace_charge_ic"])), says)


class OnAJob(Boards):
    def test_a_pad_shows_what_this_job_read_there_its_mark_and_what_good_boards_read_by_meter(self):
        board, job = self.named(), self.tablet()
        meter = DiodeMeter.objects.create(name="Bench meter")
        details = {"model_name": MODEL, "revision": "", "map_id": "usb_c", "place": "pads", "meter": meter}
        for mv in (498, 502, 505, 500):
            keep_readings(details, [("A4", mv), ("A5", 640)], **self.hand)
        sheet = start_sheet(
            job,
            {"map_id": "usb_c", "place": "contact", "mode": "diode", "revision": "", "meter": meter, "good": False},
            **self.hand,
        )
        type_point(job.pk, sheet.pk, "A5", "8", **self.hand)
        page = self.client.get(reverse("board:job", args=[job.pk]), {"probe": "usb_c@pads@A5"})
        number = next(n for n, pad in enumerate(board.layout.pads) if pad.name == "J1.A5")
        row = page.context["told"]["pads"][number]
        self.assertEqual((row["value"], row["mark"], row["at"]), ("8\u00a0mV", "short", "contacts, from the plug side"))
        self.assertEqual(page.context["told"]["focus"], [number])
        self.assertIn("Bench meter", row["good"][0])
        self.assertIn("4 boards", row["good"][0])
        # What the canvas shows stands in a list beside it too.
        self.assertContains(page, f'pad={number}">J1.A5</a>')

    def test_volts_and_ohms_of_good_boards_and_of_this_job_are_shown_at_their_pads(self):
        board, job = self.named(), self.tablet()
        meter = DiodeMeter.objects.create(name="Bench meter")
        details = {"map_id": "charge_ring", "place": "inside", "revision": "", "meter": meter}
        for good, mode, readings in (
            (True, "ohms", {"sys": "12k", "vbat": "OL"}),
            (True, "ohms", {"sys": "13k"}),
            (True, "volts", {"sys": "4,21"}),
            (False, "ohms", {"sys": "0.4", "vbat": "9M"}),
        ):
            sheet = start_sheet(job, {**details, "mode": mode, "good": good}, **self.hand)
            for pin, text in readings.items():
                type_point(job.pk, sheet.pk, pin, text, **self.hand)
            if good:
                self.assertEqual(keep_good(sheet, **self.hand), len(readings))
        self.assertFalse(GoodReading.objects.exists())
        told = self.client.get(reverse("board:job", args=[job.pk])).context["told"]["pads"]
        row = told[next(n for n, pad in enumerate(board.layout.pads) if pad.name == "L1.2")]
        self.assertEqual(
            sorted(row["good"]),
            [
                "12.5\u00a0kΩ (12\u00a0kΩ to 13\u00a0kΩ), 2 boards, Bench meter",
                "4.21\u00a0V, 1 board, Bench meter",
            ],
        )
        self.assertEqual(row["also"], ["400\u00a0mΩ, on the main board"])
        # Out of use they are shown no more; another shop gets them with the references.
        raw = "".join(write_references()).encode()
        sent_in = {"model_name": MODEL, "map_id": "charge_ring", "place": "inside", "meter_id": meter.pk, "unit": "ohm"}
        self.client.post(reverse("reference:forget"), {**sent_in, "revision": ""})
        self.assertEqual(GoodValue.objects.standing().count(), 1)
        self.assertContains(self.client.get(reverse("reference:overview")), "bring back")
        GoodValue.objects.all().delete()
        done, _ = merge_references(Shop.current(), raw, **self.hand)
        again_done, _ = merge_references(Shop.current(), raw, **self.hand)
        self.assertEqual((done["readings"], again_done["readings"], GoodValue.objects.count()), (4, 0, 4))

    def test_the_board_stands_beside_the_sheet_and_the_ladder_where_their_pins_are_tied(self):
        board, job = self.named(), self.tablet()
        sheet = start_sheet(
            job,
            {"map_id": "charge_ring", "place": "inside", "mode": "diode", "revision": "", "meter": None, "good": False},
            **self.hand,
        )
        page = self.client.get(sheet.get_absolute_url())
        pins = page.context["beside_probe"][0].context["pins"]
        self.assertEqual([board.layout.pads[n].name for n in pins["inductor"]], ["L1.1", "L1.2"])
        self.assertNotContains(self.client.get(reverse("inside:ladder", args=[job.pk])), "board-map")
        actions.confirm_ties(board, KNOWN, ("ladder", ""), {"rail": [0]}, **self.hand)
        self.assertContains(self.client.get(reverse("inside:ladder", args=[job.pk])), "board-map")

    def test_parts_of_a_shorted_rail_by_distance_with_what_covers_them(self):
        board = self.named()
        actions.add_cover(board, "shield", "top", (3.0, 5.0, 15.0, 18.0), **self.hand)
        pad = next(pad for pad in board.layout.pads if pad.name == "C7.1")
        rows = near_rows(again(board), KNOWN, "VSYS", (pad.x_mm + 0.4, pad.y_mm))
        self.assertEqual((rows[0].part, rows[0].says, rows[0].covered), ("C7", "0.4\u00a0mm", "under a shield"))
        where = reverse("board:near", args=[board.pk])
        self.assertContains(
            self.client.get(where, {"net": "VSYS", "x": pad.x_mm, "y": pad.y_mm}), "supply and battery unplugged"
        )
        for wrong in ({"net": "X", "x": "1", "y": "1"}, {"net": "VSYS", "x": "nan", "y": "1"}, {"net": "VSYS"}):
            self.assertEqual(self.client.get(where, wrong).status_code, 400)

    def test_a_torn_pad_is_offered_landings_beyond_the_break_and_the_wire_for_them(self):
        board = self.named()
        torn = next(n for n, pad in enumerate(board.layout.pads) if pad.name == "J1.A4")
        first, second = landing_rows(board, KNOWN, torn, [])[:2]
        self.assertNotEqual(first.landing.pad.part, "J1")
        beyond = landing_rows(board, KNOWN, torn, [first.landing.pad.part])
        self.assertEqual(beyond[0].landing.pad.part, second.landing.pad.part)
        self.assertIn(f"length_mm={first.landing.length_mm * 1.2:.1f}&amps=2", first.href)
        self.assertContains(self.client.get(first.href), "is the thinnest that will do")
        page = self.client.get(reverse("board:landings", args=[board.pk]), {"pad": torn})
        self.assertContains(page, "the same name is not the same copper once a pad is torn")
        self.assertEqual(self.client.get(reverse("board:landings", args=[board.pk]), {"pad": "9999"}).status_code, 400)


class Pictures(Boards):
    def laid(self):
        board = self.named()
        raw, seen = draw_layout(LAYOUT, camera(LAYOUT))
        row = actions.add_picture(board, raw, "top", **self.hand)
        return board, row, seen

    def test_it_lies_over_the_map_from_four_pairs_on_and_a_wrong_one_of_six_is_named(self):
        board, row, seen = self.laid()
        page = self.client.get(row.get_absolute_url())
        self.assertContains(page, "4 more pairs")
        self.assertEqual(self.client.get(board.get_absolute_url()).context["told"]["pictures"], [])
        lay(row, seen, self.user)
        found = laid(BoardPicture.objects.get())
        self.assertLess(found.worst_mm, 0.15)
        self.assertEqual((found.wrong, found.mirrored), ([], False))
        told = self.client.get(board.get_absolute_url()).context["told"]["pictures"][0]
        matrix = np.array(told["matrix"]).reshape(3, 3)
        for pad in LAYOUT.pads[::40]:
            u, v, w = matrix @ (pad.x_mm, pad.y_mm, 1)
            ((true_u, true_v),) = seen.to_picture([(pad.x_mm, pad.y_mm)])
            self.assertLess(np.hypot(u / w - true_u, v / w - true_v), 4)
        name = BoardPicture.objects.get().pairs[2][4]
        self.client.post(row.get_absolute_url(), {"pad": name, "x": "50", "y": "50"})
        self.assertContains(self.client.get(row.get_absolute_url()), f"{name} does not belong to the other pairs")
        self.client.post(row.get_absolute_url(), {"gone": "6"})
        self.assertEqual(len(BoardPicture.objects.get().pairs), 5)

    def test_a_mirrored_picture_is_noticed(self):
        _, row, seen = self.laid()
        for number in corner_pads(LAYOUT, seen, (row.width, row.height)):
            ((u, v),) = seen.to_picture([(LAYOUT.pads[number].x_mm, LAYOUT.pads[number].y_mm)])
            row = actions.add_pair(row, number, (1 - u / row.width, v / row.height), user=self.user)
        self.assertContains(self.client.get(row.get_absolute_url()), "it shows the other side of the board")
        below = next(pad for pad in LAYOUT.pads if pad.side == "bottom")
        sent_in = {"pad": below.name, "x": "50", "y": "50"}
        self.assertContains(self.client.post(row.get_absolute_url(), sent_in), "is on the other side", status_code=422)

    def test_a_photo_of_the_job_lies_over_the_map_of_its_own_job_only(self):
        board, job, other = self.named(), self.tablet(), self.tablet()
        raw, seen = draw_layout(LAYOUT, camera(LAYOUT))
        photo = add_photo(job, raw, "Main board", **self.hand)
        answer = self.client.post(
            reverse("board:lay_photo", args=[job.pk, photo.pk]), {"board": board.pk, "side": "top"}
        )
        row = BoardPicture.objects.get()
        self.assertEqual(answer["Location"], row.get_absolute_url())
        lay(row, seen, self.user)
        ((u, v),) = seen.to_picture([(10.0, 12.0)])
        add_mark(photo, u / row.width, v / row.height, "warm", "part", "spray", **self.hand)
        told_here = None
        for one, count in ((job, 1), (other, 0)):
            told = self.client.get(reverse("board:job", args=[one.pk])).context["told"]
            told_here = told if one == job else told_here
            self.assertEqual(len(told["pictures"]), count)
            self.assertEqual(len(told["warm"]), count)
        self.assertLess(np.hypot(*np.subtract(told_here["warm"][0], (10.0, 12.0))), 0.1)
        Photo.objects.update(removed_at=NOW, file="")
        self.assertEqual(self.client.get(reverse("board:job", args=[job.pk])).context["told"]["pictures"], [])

    def test_a_map_is_begun_on_a_picture_and_works_with_a_few_named_points(self):
        sent_in = {
            "model_name": "Tarn 4",
            "name": "main board",
            "side": "top",
            "wide_mm": "64",
            "file": sent(picture(), "a.jpg"),
        }
        board = BoardMap.objects.get(pk=self.client.post(reverse("board:begin"), sent_in)["Location"].split("/")[2])
        where = reverse("board:point", args=[board.pk])
        self.assertContains(
            self.client.post(where, {"x": "10", "y": "10"}), "its part, its pin or its net", status_code=422
        )
        for x, part, pin, net in (("25", "J1", "A4", "VBUS"), ("50", "C1", "1", "VBUS"), ("75", "C2", "1", "VBUS")):
            self.client.post(where, {"x": x, "y": "50", "part": part, "pin": pin, "net": net, "side": "top"})
        board = again(board)
        self.assertEqual(next((pad.name, pad.x_mm, pad.y_mm) for pad in board.layout.pads), ("J1.A4", 16.0, 24.0))
        actions.confirm_ties(board, KNOWN, ("usb_c", "pads"), {"A4": [0]}, **self.hand)
        actions.confirm_ties(board, KNOWN, ("charge_ring", "inside"), {"vin": [2]}, **self.hand)
        rows = landing_rows(board, KNOWN, 0, [])
        self.assertEqual(
            [(row.landing.pad.name, round(row.landing.length_mm, 3)) for row in rows], [("C1.1", 16.0), ("C2.1", 32.0)]
        )
        self.client.post(where, {"gone": "1"})
        board = again(board)
        self.assertEqual([pad.name for pad in board.layout.pads], ["J1.A4", "C2.1"])
        self.assertEqual({tie.pin: tie.pads for tie in board.ties.all()}, {"A4": [0], "vin": [1]})
        bare = actions.begin_on_picture(
            picture(), {"model_name": "Tarn 5", "name": "main board", "revision": ""}, "top", None, **self.hand
        )
        self.assertContains(self.client.get(bare.get_absolute_url()), "lengths are not told")


class Sent(Boards):
    def test_another_shop_takes_a_map_in_with_everything_that_was_confirmed(self):
        board, row, seen = Pictures.laid(self)
        lay(row, seen, self.user)
        actions.add_cover(board, "shield", "top", (3, 5, 15, 18), **self.hand)
        answer = self.client.get(reverse("board:take_out", args=[board.pk]))
        before = map_out(again(board))
        self.assertEqual(json.loads(answer.content), before)
        BoardMap.objects.all().delete()
        where = self.client.post(reverse("board:read"), {"file": sent(answer.content, "board.json")})["Location"]
        self.assertContains(self.client.get(where), "another shop has confirmed")
        self.client.post(where, {"model_name": MODEL, "name": "main board", "revision": "C", "unit": "1"})
        after = map_out(BoardMap.objects.with_all().get())
        self.assertEqual({**after, "pictures": 0}, {**before, "pictures": 0})
        self.assertEqual(after["pictures"][0]["pairs"], before["pictures"][0]["pairs"])

    def test_it_goes_with_the_references_once_and_what_is_not_known_here_is_left_out(self):
        self.named()
        raw = "".join(write_references()).encode()
        shop = Shop.current()
        done, _ = merge_references(shop, raw, **self.hand)
        self.assertEqual((done["boards"], BoardMap.objects.count()), (0, 1))
        BoardMap.objects.all().delete()
        done, _ = merge_references(shop, raw, **self.hand)
        self.assertEqual((done["boards"], BoardMap.objects.get().ties.count() > 30), (1, True))
        odd = {
            **map_out(again(BoardMap.objects.get())),
            "model": "Other",
            "lines": {"VBUS": "king", "VSYS": "system"},
        }
        odd |= {"ties": [["usb_c", "pads", "A4", [99999]], "x"], "covers": [[1]], "pictures": [{"side": "top"}, 4]}
        made = map_in(odd, pictures_in(odd), KNOWN, **self.hand)
        self.assertEqual([row.name for row in made.meanings.filter(of="net")], ["VSYS"])
        self.assertEqual((made.ties.count(), made.covers.count(), made.pictures.count()), (0, 0, 0))
