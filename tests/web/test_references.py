"""References through the web: tables in and out, boards, meters, connectors."""

import csv
import io
import math
import random

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from chargepath.knowledge.loader import shipped
from rainfront.inside.probed import probed_on
from rainfront.reference import adapters
from rainfront.reference.actions import keep_readings
from rainfront.reference.models import BoardConnector, DiodeMeter, GoodReading
from tests.builders import NOW, make_job, make_user
from tests.web.test_pages import Signed

USB_C = shipped().connectors["usb_c"].map
HEAD = "model,revision,connector,place,pin,meter,reading,date\n"


class ReferenceTest(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.bench = DiodeMeter.objects.create(name="Bench", style="millivolts", test_ma=1.0)
        cls.pocket = DiodeMeter.objects.create(name="Pocket", style="volts", test_ma=0.6)

    def bring(self, text):
        raw = text if isinstance(text, bytes) else text.encode()
        return self.client.post(reverse("reference:import"), {"file": SimpleUploadedFile("r.csv", raw, "text/csv")})

    def keep(self, meter, mv, pins=("A4", "A5", "A6", "A7", "A8", "B5"), boards=4, place="contact", spread=3.0):
        rng = random.Random(int(meter.pk))
        details = {"model_name": "Tab", "revision": "B", "map_id": "usb_c", "place": place, "meter": meter}
        for _ in range(boards):
            rows = [(pin, mv + 20 * k + rng.uniform(-spread, spread)) for k, pin in enumerate(pins)]
            keep_readings(details, rows, user=self.user, now=NOW)


class Tables(ReferenceTest):
    def test_good_lines_are_stored_and_every_bad_one_reported(self):
        page = self.bring(
            HEAD + "Tab,B,usb_c,contact,A4,bench,512,2026-03-02\nTab,B,usb_c,contact,A4,pocket,0.498,\n"
            "Tab,B,usb_c,contact,Q1,bench,512,\nTab,B,usb_c,contact,A2,bench,OL,\n"
        )
        self.assertContains(page, "no pin Q1")
        self.assertEqual([row.line for row in page.context["bad"]], [4])
        self.assertEqual(list(GoodReading.objects.order_by("pk").values_list("mv", flat=True)), [512.0, 498.0, None])

    def test_what_is_no_table_is_refused_with_the_columns_named(self):
        for raw, says in (
            (b"a,b\n1,2\n", "the heading misses model"),
            (b"", "empty"),
            (b"\x89PNG\r\n\x1a\n\0\0", "misses"),
        ):
            with self.subTest(raw=raw):
                page = self.bring(raw)
                self.assertContains(page, says, status_code=422)
        self.assertFalse(GoodReading.objects.exists())

    def test_what_goes_out_comes_in_again(self):
        self.keep(self.bench, 500)
        answer = self.client.get(reverse("reference:export"))
        text = b"".join(answer.streaming_content).decode()
        before = sorted(GoodReading.objects.values_list("pin", "mv"))
        GoodReading.objects.all().delete()
        self.bring(text)
        self.assertEqual(
            [(pin, round(mv, 3)) for pin, mv in sorted(GoodReading.objects.values_list("pin", "mv"))],
            [(pin, round(float(f"{mv:g}"), 3)) for pin, mv in before],
        )
        self.assertEqual(len(list(csv.reader(io.StringIO(text)))), 25)


class Boards(ReferenceTest):
    def test_count_spread_and_age_are_shown(self):
        self.keep(self.bench, 500)
        page = self.client.get(reverse("reference:overview"))
        self.assertContains(page, "Tab")
        row = page.context["rows"][0]
        board = self.client.get(f"{reverse('reference:board')}?{row.query}")
        name, middle, band, spread, count, _ = board.context["lines"][0]
        self.assertEqual((name, count), ("A4 VBUS", 4))
        self.assertIn("mV", middle + band)
        self.assertGreater(float(spread), 0)
        self.assertContains(board, "2 Mar 2026")

    def test_taken_out_of_use_and_brought_back(self):
        self.keep(self.bench, 500)
        details = {
            "model_name": "Tab",
            "revision": "B",
            "map_id": "usb_c",
            "place": "contact",
            "meter_id": self.bench.pk,
        }
        page = self.client.post(reverse("reference:forget"), details, follow=True)
        self.assertContains(page, "24 readings taken out of use")
        self.assertEqual(adapters.references_for("Tab", "B", "usb_c", "contact", self.bench).by_pin, {})
        self.client.post(reverse("reference:forget"), {**details, "back": "yes"})
        self.assertEqual(len(adapters.references_for("Tab", "B", "usb_c", "contact", self.bench).by_pin), 6)

    def test_the_overview_costs_the_same_with_more_boards(self):
        self.keep(self.bench, 500)
        url = reverse("reference:overview")
        self.client.get(url)
        with self.assertNumQueries(9):
            self.client.get(url)
        for place in ("pads", "board_in", "carrier_out"):
            self.keep(self.bench, 510, place=place)
        self.client.get(url)
        with self.assertNumQueries(9):
            self.client.get(url)


class TwoMeters(ReferenceTest):
    def test_another_meters_readings_are_corrected_by_the_shift_measured_with_both(self):
        self.keep(self.bench, 500)
        self.keep(self.pocket, 478)
        self.keep(self.bench, 600, place="pads")
        found = adapters.references_for("Tab", "B", "usb_c", "pads", self.pocket)
        self.assertAlmostEqual(found.by_pin["A4"].median_mv, 578, delta=4)
        self.assertEqual(found.by_pin["A4"].origin, "shifted")
        self.assertIn("corrected by -22", found.notes[0])
        own = adapters.references_for("Tab", "B", "usb_c", "contact", self.pocket)
        self.assertEqual((own.by_pin["A4"].origin, own.notes), ("shop", ()))

    def test_without_common_lines_it_says_that_it_cannot(self):
        self.keep(self.bench, 600, place="pads")
        found = adapters.references_for("Tab", "B", "usb_c", "pads", self.pocket)
        self.assertEqual(found.by_pin, {})
        self.assertIn("cannot be used", found.notes[0])
        self.assertContains(self.client.get(reverse("reference:overview")), "0 line(s) measured with both")

    def test_a_meter_is_named_with_its_test_current(self):
        url = reverse("reference:new_meter")
        self.client.force_login(make_user("owner", "owner"))
        self.client.post(url, {"name": "Third", "style": "volts", "test_ma": "0.8"})
        self.assertEqual(DiodeMeter.objects.get(name="Third").test_ma, 0.8)


class Connectors(ReferenceTest):
    def post(self, **details):
        data = {
            "name": "tail",
            "model_name": "Orvane D2",
            "end": "board_in",
            "rows": "2",
            "per_row": "5",
            "lines": "1 vbus\n2 dp",
        }
        return self.client.post(reverse("reference:new_connector"), {**data, **details})

    def test_a_shops_connector_can_be_drawn_probed_and_has_references(self):
        self.post()
        row = BoardConnector.objects.get()
        self.assertContains(self.client.get(reverse("reference:map", args=(row.map_id,))), "VBUS")
        job = make_job(self.user)
        data = {"what": f"{row.map_id}@board_in", "meter": self.bench.pk, "mode": "diode"}
        sheet_url = self.client.post(reverse("inside:start", args=(job.pk,)), data).url
        self.client.post(sheet_url + "point/", {"pin": "1", "value": "41"})
        seen = probed_on(job, shipped()).location
        self.assertGreater(math.fsum(chance for _, station, chance in seen.chances if station), 0.5)

    def test_wrong_counts_and_names_say_what_would_be_right_and_keep_the_text(self):
        for details, says in (
            ({"lines": "11 vbus"}, "numbered from 1 to 10"),
            ({"lines": "1 moon"}, "is no line; one of"),
            ({"lines": "one vbus"}, "as in 1 vbus"),
            ({"lines": "1 vbus\n1 dp"}, "named twice"),
            ({"rows": "3"}, "one or two rows"),
        ):
            with self.subTest(details=details):
                page = self.post(**details)
                self.assertContains(page, says, status_code=422)
                self.assertContains(page, details.get("lines", "1 vbus").splitlines()[0], status_code=422)
        self.assertFalse(BoardConnector.objects.exists())
