"""The counter: what a customer is charged, pays and reads; papers by their text; devices that come back."""

import io
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from email import message_from_bytes, policy
from unittest import mock

from django.core.files.storage import default_storage
from django.urls import reverse
from django.utils import timezone
from icalendar import Calendar
from pypdf import PdfReader

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions as counter
from rainfront.counter.billing import lines_for, until_of
from rainfront.counter.models import Order, Visit
from rainfront.counter.presenters import earlier_of
from rainfront.demo.picture import draw_board
from rainfront.demo.proofs import TICKED_LATE, prove_whole
from rainfront.inside.actions import add_photo
from rainfront.jobs import actions
from rainfront.jobs.actions.take_in import DETAILS
from rainfront.jobs.models import Job, Quote
from rainfront.learning.examples import examples_of
from rainfront.people.models import Workshop
from rainfront.proof import actions as proof_actions
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, judged, make_job, make_user
from tests.web.test_pages import DETAILS as TYPED
from tests.web.test_pages import Signed


def later(**much):
    return NOW + timedelta(**much)


def text_of(content):
    return "\n".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages)


class AtTheCounter(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = cls.hands().repaired()

    def repaired(self, **details):
        job = make_job(self.user, ("i 0.0 5.1 20%", "port lint plug_proud", "wiggle drops"), **details)
        repair = actions.choose_route(job, "clean_port", "", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=later(minutes=5))
        work_actions.finish_repair(repair, "alcohol", user=self.user, now=later(minutes=6))
        prove_whole(job, self.user, later(minutes=10))
        return proof_actions.close_job(job, ["port_fouled"], "lint", user=self.user, now=later(minutes=30))

    def do(self, act, job=None, **data):
        address = reverse("counter:order", args=[(job or self.job).pk])
        return self.client.post(address, {"act": act, **data})

    def do_get(self):
        return self.client.get(reverse("counter:order", args=[self.job.pk]))

    def lines(self, *rows):
        """What a form with these lines of a bill sends."""
        sent = {"line-TOTAL_FORMS": len(rows), "line-INITIAL_FORMS": 0}
        for number, (label, amount) in enumerate(rows):
            sent |= {f"line-{number}-label": label, f"line-{number}-amount": amount}
        return sent

    def bill(self, job=None, *, act="bill", lines=(("Labour", "30"), ("Part: port", "8,50")), **values):
        given = {"warranty_months": "3", "terms": "No falls.", "noted": "", "avoid": "Keep dry."}
        return self.do(act, job, **{**given, **self.lines(*lines), **values})

    def pdf(self, kind, form="a4", pk=None, job=None):
        name, args = ("counter:pdf", [kind]) if pk is None else ("counter:quote_pdf", [kind, pk])
        response = self.client.get(reverse(name, args=[(job or self.job).pk, *args]), {"form": form})
        self.assertEqual(response["Content-Type"], "application/pdf")
        return response.content

    def order(self, job=None):
        return Order.objects.of_job((job or self.job).pk)


class Counter(AtTheCounter):
    def test_charged_paid_told_and_handed_over_with_a_warranty_from_that_day(self):
        page = self.client.get(reverse("counter:order", args=[self.job.pk]))
        self.assertContains(page, "Keep the port out of pocket lint")
        self.assertContains(self.do("hand"), "nobody said what it costs", status_code=422)
        self.bill()
        self.do("pay", amount="20", how="cash")
        self.do("pay", amount="18.50", how="card")
        self.assertContains(self.do("pay", amount="-99", how="cash"), "less than that given back", status_code=422)
        self.assertContains(self.do_get(), f"(job {self.job.pk}) is ready to be collected.\nIt costs ¤38.50")
        Workshop.objects.update_or_create(pk=1, defaults={"opening": "Mo to Fr 9 to 18\n Sa 9 to 13 \n"})
        self.assertContains(self.do_get(), "We are open Mo to Fr 9 to 18, Sa 9 to 13.")
        self.do("told", how="phone")
        self.do("hand")
        order = self.order()
        self.assertEqual((order.charged, order.paid), (Decimal("38.50"), Decimal("38.50")))
        self.assertTrue(order.told_at and order.handed_at)
        self.assertContains(self.bill(lines=[("More", "1")]), "handed over already", status_code=422)
        Order.objects.filter(pk=order.pk).update(handed_at=datetime(2026, 11, 30, 23, 30, tzinfo=UTC))
        self.assertEqual(until_of(self.order()), date(2027, 2, 28))
        said = [row.text for row in self.job.entries.filter(name__in=("bill", "pay", "told", "handed"))]
        self.assertEqual(said[0], "charged ¤38.50")
        self.assertIn("paid ¤18.50 card", said)

    def test_a_bill_begins_with_the_work_and_its_parts_and_adds_up_to_what_was_agreed(self):
        lines = self.do_get().context["lines"].initial
        self.assertEqual([row["label"] for row in lines], ["Labour: clean the port"])
        self.assertGreater(lines[0]["amount"], 0)
        quote = actions.make_quote(make_job(self.user), "clean_port", Decimal(1), "x", user=self.user, now=NOW)
        Quote.objects.filter(pk=quote.pk).update(job=self.job, answer="approved", amount=Decimal("44.44"))
        self.assertEqual(sum(row["amount"] for row in self.do_get().context["lines"].initial), Decimal("44.44"))
        used = make_job(self.user)
        # What was fitted in vain is not charged as a part.
        for line in ("i 0.0 5.1 20%", "did swap_battery no", "did swap_carrier yes", "did prove yes"):
            actions.record_line(used, line, user=self.user, now=NOW)
        proof_actions.close_job(used, ["carrier_fault"], user=self.user, now=later(minutes=3))
        rows = [(row.label, row.amount) for row in lines_for(Job.objects.get(pk=used.pk), Shop.current(), None)]
        self.assertEqual(rows[1:], [("Part: sub-board", Decimal(11))])

    def test_one_press_bills_takes_the_money_and_hands_over_and_what_is_left_is_said_before_it_leaves(self):
        self.bill(lines=[("Labour", "85")])
        refused = self.do("hand")
        self.assertContains(refused, "85.00 is still to be paid", status_code=422)
        self.assertIsNone(self.order().handed_at)
        self.do("pay", amount="20", how="cash")
        self.assertContains(self.client.get("/owed/"), "¤65.00")
        self.bill(act="collect", lines=[("Labour", "85"), ("Discount", "-5")], how="card")
        order = self.order()
        self.assertEqual((order.charged, order.paid, order.left), (80, 80, 0))
        self.assertTrue(order.handed_at)
        self.assertContains(self.client.get("/owed/"), "Nothing is owed")
        other = self.repaired()
        self.bill(other, act="collect", lines=[("Nothing to pay", "0")], how="cash")
        self.assertTrue(self.order(other).handed_at)
        self.assertEqual(self.order(other).payments.count(), 0)
        third = self.repaired()
        self.bill(third, act="collect", lines=[("Labour", "12")], how="later")
        said = third.entries.get(name="handed").text
        self.assertIn("12.00 to be paid later", said)
        Order.objects.filter(job=third).update(handed_at=timezone.now() - timedelta(days=9))
        page = self.client.get("/owed/")
        self.assertEqual([(row.order.job_id, row.days) for row in page.context["page"].rows], [(third.pk, 9)])

    def test_lines_that_say_too_little_come_back_and_lines_that_somebody_changed_are_not_overwritten(self):
        wrong = self.bill(lines=[("Labour", ""), ("", "5"), ("", "")])
        self.assertContains(wrong, "Say how much", status_code=422)
        self.assertContains(wrong, "Say what it is for", status_code=422)
        self.assertContains(self.bill(lines=[("Off", "-5")]), "less than nothing", status_code=422)
        seen = self.do_get().context["lines"].seen
        self.bill(lines=[("Labour", "20")])
        late = self.bill(lines=[("Labour", "30")], **{"line-seen": seen})
        self.assertContains(late, "Somebody has changed the bill", status_code=422)
        self.assertEqual(self.order().charged, 20)

    def test_bills_are_numbered_without_a_gap_and_hold_the_tax_of_their_day(self):
        Workshop.objects.update(tax_percent=Decimal(23), tax_name="VAT", tax_included=True)
        jobs = [self.job, self.repaired(), self.repaired()]
        for job in (*jobs, jobs[1]):
            self.bill(job)
        self.assertEqual([self.order(job).number for job in jobs], [1, 2, 3])
        self.assertEqual(self.order().tax, Decimal("7.20"))
        Workshop.objects.update(tax_percent=Decimal(10))
        text = " ".join(text_of(self.pdf("receipt")).split())
        for said in (
            "Bill 1: job",
            "Labour",
            "¤30.00",
            "Part: port",
            "¤8.50",
            "Together ¤38.50",
            "VAT 23 % in it ¤7.20",
        ):
            self.assertIn(said, text)
        Workshop.objects.update(tax_percent=Decimal("8.875"), tax_included=False)
        self.bill()
        self.assertEqual((self.order().charged, self.order().tax), (Decimal("41.92"), Decimal("3.42")))
        total = self.client.get(reverse("counter:total", args=[self.job.pk]), self.lines(("Labour", "1.000,50")))
        self.assertContains(total, "1,089.29")

    def test_nothing_is_told_or_handed_over_before_it_is_closed(self):
        job = make_job(self.user)
        for act in ("told", "hand"):
            self.assertEqual(self.do(act, job, how="phone").status_code, 422)
        self.assertEqual(self.do("paint").status_code, 422)
        self.bill(job)
        self.assertContains(self.do("hand", job), "the job is still open", status_code=422)

    def test_the_report_says_it_in_plain_words_on_the_page_the_sheet_and_the_slip(self):
        self.bill(noted="A crack in the back.")
        quote = actions.make_quote(make_job(self.user), "clean_port", Decimal(5), "other", user=self.user, now=NOW)
        page = self.client.get(reverse("counter:paper", args=[self.job.pk, "report"])).content.decode()
        for text in (page, text_of(self.pdf("report")), " ".join(text_of(self.pdf("report", "slip")).split())):
            for said in (
                "full of lint or residue",
                "Charging port cleaned (alcohol).",
                "38.50",
                "A crack in the back.",
                "Keep dry.",
                "3 months from the day",
                "No falls.",
                "There was lint or dust in the charging port.",
                "does not charge",
            ):
                self.assertIn(said, " ".join(text.split()))
        self.assertEqual(len(PdfReader(io.BytesIO(self.pdf("report", "slip"))).pages), 1)
        width = float(PdfReader(io.BytesIO(self.pdf("report", "slip"))).pages[0].mediabox.width)
        self.assertAlmostEqual(width / 72 * 25.4, 80, places=1)
        self.assertEqual(
            self.client.get(reverse("counter:quote", args=[self.job.pk, "quote", quote.pk])).status_code, 404
        )

    def test_papers_escape_what_people_wrote_and_hold_nothing_of_another_job(self):
        evil = "<b>bold</b> & <script>alert(1)</script> ✂ Ωμέγα Жук"
        other = self.repaired(customer="SECRET-OTHER", complaint="OTHER-COMPLAINT", model_name="OTHER-MODEL")
        self.bill(other, noted="OTHER-NOTE")
        job = self.repaired(complaint=evil, customer="<i>x</i>", model_name="Tarn <4> & co")
        self.bill(job, noted=evil, terms=evil)
        counter.set_contact(job, "Contact <u>", "0123", "a@b.example", user=self.user, now=NOW)
        page = self.client.get(reverse("counter:paper", args=[job.pk, "report"])).content.decode()
        self.assertNotIn("<script>alert", page)
        for kind in ("report", "receipt"):
            text = " ".join(text_of(self.pdf(kind, job=job)).split())
            self.assertIn("Tarn <4> & co", text)
            self.assertNotIn("OTHER", text)
            self.assertNotIn("0123", text)
        self.assertIn("<script>alert(1)</script>", " ".join(text_of(self.pdf("report", job=job)).split()))
        self.assertIn("Жук", text_of(self.pdf("report", job=job)))
        label = self.client.get(reverse("counter:label", args=[job.pk]))
        self.assertIn(str(job.pk), text_of(label.content))
        self.assertNotIn("Contact", text_of(label.content))

    def test_a_quote_is_printed_word_for_word_with_its_answer(self):
        job = make_job(self.user)
        quote = actions.make_quote(
            job, "clean_port", Decimal("31.40"), "We clean it.\nIt takes a day.", user=self.user, now=NOW
        )
        text = text_of(self.pdf("quote", pk=quote.pk, job=job))
        self.assertTrue("We clean it." in text and "31.40" in text and "signature" in text)
        actions.answer_quote(quote, "approved", "deck crew", user=self.user, now=NOW)
        self.assertIn("approved by deck crew", text_of(self.pdf("quote", "slip", quote.pk, job)))

    def test_several_devices_of_one_visit_share_a_contact_and_a_receipt(self):
        second = self.repaired(model_name="Hestral Tab 10")
        counter.set_contact(self.job, "K.M.", "12 34", "", user=self.user, now=NOW)
        self.bill()
        self.do("join", second, other=self.job.pk)
        self.bill(second, lines=[("Labour", "10")])
        self.do("pay", second, amount="48.50", how="card")
        self.assertEqual(self.order(second).visit, self.order().visit)
        self.assertEqual(Visit.objects.count(), 1)
        text = " ".join(text_of(self.pdf("receipt")).split())
        for said in ("Hestral Tab 10", "48.50", "Still to pay"):
            self.assertIn(said, text)
        self.assertRegex(text, r"Still to pay ¤0\.00")
        self.assertEqual(self.do("join", second, other=second.pk).status_code, 422)
        self.assertEqual(self.do("join", second, other=9999).status_code, 422)

    def test_a_contact_can_be_erased_and_is_in_no_log_and_no_case_file(self):
        self.do("contact", name="Somebody Real", phone="0123 456", mail="real@mail.example")
        self.assertEqual(self.order().visit.mail, "real@mail.example")
        texts = " ".join(self.job.entries.values_list("text", flat=True))
        self.assertNotIn("Somebody", texts)
        self.assertNotIn(b"Somebody", self.client.get(reverse("exchange:case_file", args=[self.job.pk])).content)
        erase = reverse("counter:erase", args=[self.job.pk])
        self.assertEqual((self.client.get(erase).status_code, self.client.post(erase).status_code), (403, 403))
        other = self.repaired(customer="somebody real")
        counter.set_contact(other, "S. Real", "0123 456", "", user=self.user, now=NOW)
        actions.add_note(other, "Somebody rang, Real impatient, s/n AB-1", user=self.user, now=NOW)
        actions.add_note(other, "rang, S. side of the quay", user=self.user, now=NOW)
        Job.objects.filter(pk=other.pk).update(serial="AB-1")
        third = self.repaired(customer="bosun")
        counter.set_contact(third, "B.", "77", "real@mail.example", user=self.user, now=NOW)
        quoted = make_job(self.user, ("port lint plug_proud",))
        counter.join_visit(quoted, other.pk, user=self.user, now=NOW)
        photo = add_photo(quoted, draw_board(3), "the board", user=self.user, now=NOW)
        quote = actions.make_quote(quoted, "clean_port", Decimal(9), "nine", user=self.user, now=NOW)
        actions.answer_quote(quote, "approved", "Somebody", user=self.user, now=NOW)
        before = [list(job.entries.filter(kind="check").values("name", "values", "signs")) for job in (self.job, other)]
        self.client.force_login(make_user("lead", "lead"))
        page = self.client.get(erase)
        self.assertContains(page, f"photos of jobs {self.job.pk}, {other.pk}, {third.pk}, {quoted.pk}")
        with self.captureOnCommitCallbacks(execute=True):
            self.client.post(erase)
        third.refresh_from_db()
        quote.refresh_from_db()
        self.assertEqual((third.customer, quote.answered_by), ("erased", "erased"))
        self.assertEqual(Job.objects.get(pk=other.pk).serial, "")
        self.assertFalse(default_storage.exists(photo.file.name))
        # Letters and words of two of them stand in too many other texts to be taken out.
        self.assertTrue(other.entries.filter(text__contains="S. side of the quay").exists())
        visit = self.order().visit
        self.assertEqual((visit.name, visit.phone, visit.mail), ("", "", ""))
        self.assertTrue(visit.erased_at)
        for job in (self.job, other):
            page = self.client.get(reverse("jobs:record", args=[job.pk])).content.decode().lower()
            self.assertFalse([word for word in ("somebody", ">real", " real", "0123 456", "ab-1") if word in page])
        after = [list(job.entries.filter(kind="check").values("name", "values", "signs")) for job in (self.job, other)]
        self.assertEqual(after, before)
        self.assertEqual(self.do("contact", name="PIN is 2468").status_code, 422)

    def test_a_model_with_characters_that_are_not_seen_gets_its_mail(self):
        self.bill()
        Job.objects.filter(pk=self.job.pk).update(model_name="Orvane\r\nBcc: x\x07\u2028 D2")
        content = self.client.get(reverse("counter:mail", args=[self.job.pk])).content
        mail = message_from_bytes(content, policy=policy.default)
        self.assertEqual((mail["Subject"], mail["Bcc"]), ("Your Orvane Bcc: x D2 is ready", None))

    def test_mail_and_calendar_are_files_that_hold_what_they_should(self):
        self.bill()
        counter.set_contact(self.job, "K.M.", "", "k@m.example", user=self.user, now=NOW)
        content = self.client.get(reverse("counter:mail", args=[self.job.pk])).content
        mail = message_from_bytes(content, policy=policy.default)
        self.assertEqual((mail["To"], mail["Subject"]), ("k@m.example", "Your Orvane D2 is ready"))
        self.assertIn("38.50", mail.get_body().get_content())
        (report,) = list(mail.iter_attachments())
        self.assertIn("Repair report", text_of(report.get_content()))
        address = reverse("counter:calendar", args=[self.job.pk])
        self.assertEqual(self.client.get(address).status_code, 404)
        # Half an hour before clocks go back, by the shop's own time.
        promised = datetime(2026, 10, 25, 0, 30, tzinfo=UTC)
        Job.objects.filter(pk=self.job.pk).update(promised_at=promised)
        (event,) = Calendar.from_ical(self.client.get(address).content).walk("VEVENT")
        self.assertEqual(event.decoded("dtstart").astimezone(UTC), promised)
        self.assertEqual(event.decoded("dtstart").utcoffset(), timedelta(hours=1))
        self.assertIn("Orvane D2", event["summary"])

    def test_the_list_says_for_when_a_job_is_promised(self):
        job = make_job(self.user, promised_at=timezone.now() + timedelta(hours=2))
        page = self.client.get(reverse("day:list"))
        self.assertContains(page, "promised for")
        self.assertFalse(page.context["first"].late)
        Job.objects.filter(pk=job.pk).update(promised_at=timezone.now() - timedelta(hours=2))
        self.assertTrue(self.client.get(reverse("day:list")).context["first"].late)

    def test_the_old_trouble_counts_against_the_first_outcome_and_a_new_one_does_not(self):
        self.bill()
        self.do("hand", how="later")
        Job.objects.filter(pk=self.job.pk).update(serial="AB-12")
        back = actions.take_in(
            {name: getattr(self.job, name) for name in DETAILS} | {"serial": "ab-12"}, user=self.user, now=later(days=9)
        )
        self.assertEqual((back.came_from_id, back.same_trouble), (self.job.pk, None))
        page = self.client.get(back.get_absolute_url())
        self.assertContains(page, "Clean the port".lower())
        self.assertContains(page, "covered")

        def came_back():
            (example,) = examples_of(Job.objects.get(pk=self.job.pk), Shop.current().known)
            return example.came_back

        def belief():
            return judged(Job.objects.get(pk=back.pk)).belief

        self.assertFalse(came_back())
        self.assertEqual(belief().failures, {})
        self.do("back", back, first=self.job.pk, trouble="same")
        self.assertTrue(came_back())
        # What was done then has not held, and something is wrong with it.
        self.assertEqual(belief().failures["clean_port"], 1)
        self.assertLess(belief().clean, 0.1)
        lines = self.client.get(reverse("counter:order", args=[back.pk])).context["lines"].initial
        self.assertEqual(lines, [{"label": "Repair under warranty", "amount": 0}])
        self.do("back", back, first=self.job.pk, trouble="new")
        self.assertFalse(came_back())
        self.assertEqual(belief().failures, {})
        self.do("back", back, first="", trouble="")
        self.assertIsNone(Job.objects.get(pk=back.pk).came_from)

    def test_a_serial_number_says_what_was_done_before_while_it_is_typed(self):
        self.bill()
        self.do("hand", how="later")
        Job.objects.filter(pk=self.job.pk).update(serial="AB-12")

        def asked(serial):
            return self.client.get(reverse("counter:before"), {"serial": serial})

        for words in (f"job {self.job.pk}", "dirty port", "clean the port", "(covered)", "proved"):
            self.assertContains(asked(" ab-12 "), words)
        for nothing in ("", "  ", "AB-1", "AB-123"):
            self.assertEqual(asked(nothing).content.decode().strip(), "")
        Order.objects.filter(job=self.job).update(handed_at=timezone.now() - timedelta(days=400))
        self.assertContains(asked("AB-12"), "(over)")
        said = self.client.get(reverse("counter:before"), {"serial": "AB-12", "trouble": "same"})
        self.assertInHTML(
            '<input type="radio" id="trouble-2" name="trouble" value="same" checked>', said.content.decode()
        )
        still = make_job(self.user)
        Job.objects.filter(pk=still.pk).update(serial="AB-12")
        self.assertContains(asked("ab-12"), f'is here already: <a href="{still.get_absolute_url()}">job {still.pk}</a>')

    def test_the_old_trouble_is_said_while_the_device_is_taken_in(self):
        self.bill()
        self.do("hand", how="later")
        Job.objects.filter(pk=self.job.pk).update(serial="AB-12", example_due=0)
        page = reverse("jobs:take_in")

        def taken_in(status=302, **values):
            told = {"serial": "ab-12", "trouble": "same"}
            answer = self.client.post(page, {**TYPED, **told, **values})
            self.assertEqual(answer.status_code, status)
            return answer, Job.objects.latest("pk")

        refused, _ = taken_in(422, value="-3")
        self.assertContains(refused, '<input type="hidden" name="trouble" value="same">', status_code=422, html=True)
        with mock.patch("rainfront.learning.tasks.count_examples"):
            _, back = taken_in()
        self.assertEqual((back.came_from_id, back.same_trouble), (self.job.pk, True))
        self.assertEqual(judged(back).belief.failures["clean_port"], 1)
        self.assertTrue(Job.objects.get(pk=self.job.pk).example_due)
        self.assertContains(self.client.get(back.get_absolute_url()), "The old trouble.")
        _, first = taken_in(serial="CD-34")
        self.assertIsNone(first.same_trouble)

    def test_a_return_has_both_jobs_that_it_concerns_counted_again(self):
        second, back = self.repaired(), make_job(self.user)
        Job.objects.update(example_due=0)

        def due():
            return set(Job.objects.filter(example_due__gt=0).values_list("pk", flat=True))

        with mock.patch("rainfront.learning.tasks.count_examples"):
            actions.link_return(back, self.job.pk, True, user=self.user, now=NOW)
            self.assertEqual(due(), {self.job.pk})
            Job.objects.update(example_due=0)
            actions.link_return(back, second.pk, True, user=self.user, now=NOW)
            self.assertEqual(due(), {self.job.pk, second.pk})

    def test_a_device_comes_back_from_no_open_job_not_from_itself_and_not_in_a_circle(self):
        job = make_job(self.user)
        for first in (job.pk, 9999, make_job(self.user).pk):
            self.assertEqual(self.do("back", job, first=first, trouble="same").status_code, 422)
        second = self.repaired()
        actions.link_return(second, self.job.pk, True, user=self.user, now=NOW)
        with self.assertRaisesMessage(ChargepathError, "comes back from this one"):
            actions.link_return(self.job, second.pk, True, user=self.user, now=NOW)

    def test_warranty_holds_by_the_day_on_which_the_device_came_back(self):
        self.bill(warranty_months="1")
        self.do("hand", how="later")
        Order.objects.update(handed_at=NOW)
        for days, covered in ((20, True), (40, False)):
            back = make_job(self.user)
            Job.objects.filter(pk=back.pk).update(taken_in_at=later(days=days))
            actions.link_return(back, self.job.pk, True, user=self.user, now=later(days=days))
            self.assertIs(earlier_of(Job.objects.get(pk=back.pk), Shop.current()).covered, covered)
            # A device that came back in time costs nothing, however late its bill is made.
            with mock.patch("rainfront.counter.billing.timezone.now", return_value=later(days=400)):
                rows = lines_for(Job.objects.get(pk=back.pk), Shop.current(), None)
            self.assertEqual([row.label for row in rows], ["Repair under warranty"] if covered else [])

    def test_warranty_over_is_said(self):
        self.bill()
        self.do("hand", how="later")
        Order.objects.update(handed_at=timezone.now() - timedelta(days=400))
        job = make_job(self.user)
        actions.link_return(job, self.job.pk, True, user=self.user, now=later(days=1))
        self.assertContains(self.client.get(reverse("counter:order", args=[job.pk])), "(over)")
        self.assertEqual(Workshop.current().warranty_months, 6)


class Seals(Signed):
    def test_before_and_after_are_compared_and_a_swollen_cell_sees_no_vacuum(self):
        job = make_job(self.user)
        address = reverse("proof:seal", args=[job.pk])
        choice = reverse("jobs:choose", args=[job.pk, "swap_battery"])
        self.assertContains(self.client.get(choice), address)
        clipped = make_job(self.user, traits=["clip_back"])
        plain = self.client.get(reverse("jobs:choose", args=[clipped.pk, "swap_battery"]))
        self.assertNotContains(plain, "seal test now")
        test = {"start_kpa": "20", "end_kpa": "19,8", "seconds": "20"}
        self.assertRedirects(self.client.post(address, {**test, "when": "before"}), address)
        self.client.post(address, {"known_ml": "50", "before_kpa": "0", "after_kpa": "20.265"})
        self.client.post(address, {**test, "when": "after", "end_kpa": "16"})
        page = self.client.get(address)
        self.assertContains(page, "Leaks more than it should")
        self.assertContains(page, "23.69 ml of air a minute")
        self.assertContains(page, "no promise of any rating")
        wrong = self.client.post(address, {**test, "when": "after", "end_kpa": "25"})
        self.assertContains(wrong, "cannot be", status_code=422)
        actions.record_line(job, "danger swollen", user=self.user, now=NOW)
        self.assertContains(self.client.post(address, {**test, "when": "after"}), "no vacuum", status_code=422)
