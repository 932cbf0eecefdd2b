"""How a device was received: marks, what came along, what was agreed, a signature; and that the same goes back."""

import io
import json
from decimal import Decimal

import segno
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from pypdf import PdfReader

from rainfront.counter import actions
from rainfront.counter.models import DropOff
from rainfront.demo.picture import draw_board
from rainfront.inside.models import Photo
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.writing import JobError
from tests.builders import NOW, make_job
from tests.web.test_counter import text_of
from tests.web.test_pages import Signed

MARKS = [{"side": "front", "x": 0.1, "y": 0.9, "kind": "crack"}, {"side": "edge", "x": 0.5, "y": 0.5, "kind": "bent"}]


class Receiving(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, limit=Decimal(80))
        cls.page = reverse("counter:drop_off", args=[cls.job.pk])

    def send(self, status=302, **values):
        sent = {"marks": json.dumps(MARKS), "kind": "crack", "things": ["sim", "case"], "agreed": "as told"}
        answer = self.client.post(self.page, {**sent, **values})
        self.assertEqual(answer.status_code, status)
        return answer

    def paper(self):
        return self.client.get(reverse("counter:paper", args=[self.job.pk, "drop-off"])).content.decode()

    def test_the_receipt_is_there_in_one_press_with_what_is_known_anyway(self):
        page = self.paper()
        for words in ("No marks were noted", "Nothing but the device", "without asking", "80.00", self.job.complaint):
            self.assertIn(words, page)

    def test_the_label_for_the_bag_is_at_its_foot_with_a_code_that_opens_the_job(self):
        page = self.paper()
        address = f"http://testserver{self.job.get_absolute_url()}"
        drawn = segno.make(address, error="m").svg_inline(scale=3, border=2, light="#fff", dark="#000")
        self.assertIn(drawn, page)
        self.assertIn(f'<b class="num">{self.job.pk}</b>', page)
        for form in ("", "?form=slip"):
            sheet = text_of(self.client.get(reverse("counter:pdf", args=[self.job.pk, "drop-off"]) + form).content)
            self.assertIn(f"{self.job.pk}\n{self.job.model_name}\n{self.job.customer}", sheet)

    def test_marks_and_things_stand_on_page_sheet_and_slip_in_words(self):
        self.send(other="a strap", condition="Back dusty")
        address = reverse("counter:pdf", args=[self.job.pk, "drop-off"])
        sheets = [text_of(self.client.get(address + form).content) for form in ("", "?form=slip")]
        for text in (self.paper(), *sheets):
            text = " ".join(text.split())
            for words in (
                "Crack, front, bottom left",
                "Bent, edge with the port",
                "Back dusty",
                "Case, SIM card, a strap.",
                "as told",
            ):
                self.assertIn(words, text)

    def test_a_mark_is_added_by_its_place_where_there_is_no_script(self):
        self.send(act="mark", place="back top right", kind="dent")
        found = DropOff.objects.get().marks
        self.assertEqual(found[-1], {"side": "back", "x": 0.8333, "y": 0.1667, "kind": "dent"})
        self.assertContains(self.client.get(self.page), "dent, back, top right")

    def test_what_no_page_sends_is_refused_and_nothing_is_stored(self):
        for marks in (
            "{",
            '[{"side": "top", "x": 0, "y": 0, "kind": "dent"}]',
            '[{"side": "back", "x": 2, "y": 0, "kind": "dent"}]',
            json.dumps(MARKS * 30),
        ):
            self.send(422, marks=marks)
        for strokes in ("[[1, 2]]", "[[[0.1, 0.2], [5, 0.2]]]", "[" + "[]," * 70 + "[]]"):
            self.send(422, strokes=strokes)
        self.assertEqual(DropOff.objects.count(), 0)

    def test_a_photo_of_how_it_looked_stands_on_the_receipt_and_takes_the_signature_off(self):
        Entry.objects.create(job=self.job, kind="event", name="take_in", text="received", by=self.user, at=NOW)
        self.send(strokes="[[[0.1, 0.2], [0.3, 0.4]]]")
        picture = SimpleUploadedFile("back.png", draw_board(1), "image/png")
        self.send(act="photo", photo=picture, shows="cracked back")
        self.assertEqual(DropOff.objects.get().signed, "")
        address = reverse("inside:file", args=[self.job.pk, Photo.objects.get().pk])
        for page in (self.paper(), self.client.get(self.page).content.decode()):
            self.assertIn(address, page)
            self.assertIn("cracked back", page)
        plain = len(self.client.get(reverse("counter:pdf", args=[self.job.pk, "drop-off"])).content)
        self.assertGreater(plain, 20_000)
        broken = SimpleUploadedFile("back.png", b"no picture", "image/png")
        self.assertContains(self.send(422, photo=broken, agreed="otherwise"), "JPEG", status_code=422)
        self.assertEqual((DropOff.objects.get().agreed, Photo.objects.count()), ("as told", 1))

    def test_a_signature_stands_for_what_was_above_it_and_goes_when_that_changes(self):
        self.send(strokes="[[[0.1, 0.2], [0.3, 0.4]]]")
        self.assertIn('d="M0.1000 0.0600 L0.3000 0.1200"', self.paper())
        self.send()
        self.assertEqual(DropOff.objects.get().signed, "screen")
        self.send(things=["sim"])
        self.assertEqual((DropOff.objects.get().signed, DropOff.objects.get().strokes), ("", []))
        self.assertIn("Date and signature", self.paper())
        self.send(things=["sim"], on_paper="on")
        self.assertEqual(DropOff.objects.get().signed, "paper")

    def test_what_came_along_goes_back_or_is_said_to_stay(self):
        self.send()
        Job.objects.filter(pk=self.job.pk).update(stage="closed", closed_at=NOW, outcome_works=True)
        actions.set_bill(self.job, [("Repair", Decimal(0))], {}, user=self.user, now=NOW)
        with self.assertRaisesMessage(JobError, "still here: case"):
            actions.hand_over(self.job, back=["sim"], user=self.user, now=NOW)
        page = self.client.get(reverse("counter:order", args=[self.job.pk]))
        self.assertContains(page, "Goes back with it")
        order = actions.hand_over(self.job, back=["sim"], stays=True, user=self.user, now=NOW)
        self.assertIsNotNone(order.handed_at)
        said = list(Entry.objects.filter(job=self.job, name="back").values_list("text", flat=True))
        self.assertEqual(said, ["went back: SIM card", "stays here, as was said: case"])

    def test_erasing_a_customer_takes_the_signature(self):
        self.send(strokes="[[[0.1, 0.2], [0.3, 0.4]]]", other="strap of Amund", condition="from Amund")
        Job.objects.filter(pk=self.job.pk).update(customer="Amund")
        self.user.role = "lead"
        self.user.save()
        actions.erase_customer(self.job.pk, user=self.user, now=NOW)
        found = DropOff.objects.get()
        self.assertEqual((found.signed, found.strokes), ("", []))
        self.assertNotIn("Amund", found.other + found.condition)

    def test_the_sheet_is_one_page(self):
        self.send()
        address = reverse("counter:pdf", args=[self.job.pk, "drop-off"])
        self.assertEqual(len(PdfReader(io.BytesIO(self.client.get(address).content)).pages), 1)
