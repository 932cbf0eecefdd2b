"""A form that is sent twice is stored once; two people with the same form do not undo each other."""

import html
import re
from io import BytesIO
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import IntegrityError, connection
from django.test import TestCase, TransactionTestCase
from django.urls import reverse
from django_otp.plugins.otp_totp.models import TOTPDevice
from PIL import Image

from chargepath.knowledge.loader import shipped
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User, Workshop
from rainfront.stock import actions as stock
from rainfront.stock.models import Item
from rainfront.web.models import Sent
from rainfront.web.once import SentBefore, _Key
from tests.builders import NOW, make_job, make_user
from tests.web.test_pages import DETAILS


def picture(colour):
    """A file of one name and one size, whatever its colour."""
    out = BytesIO()
    Image.new("RGB", (320, 240), colour).save(out, "PNG", compress_level=0)
    return SimpleUploadedFile("board.png", out.getvalue(), "image/png")


class SentTwice(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()

    def setUp(self):
        self.client.force_login(self.user)

    def key(self, path):
        return re.findall(r'name="once" value="([\w-]+)"', self.client.get(path).content.decode())[-1]

    def test_a_job_a_note_and_a_line_are_stored_once_and_each_repeat_is_asked_about(self):
        path = reverse("jobs:take_in")
        once = {"once": self.key(path)}
        first, again = (self.client.post(path, {**DETAILS, **once}) for _ in range(2))
        job = Job.objects.get()
        self.assertEqual((first.status_code, again.status_code), (302, 409))
        self.assertContains(again, "It was not stored a second time.", status_code=409)
        self.assertContains(again, f'href="{job.get_absolute_url()}"', status_code=409)
        page = reverse("jobs:details", args=[job.pk])
        for name, sent in (("note", {"text": "screen cracked"}), ("line", {"line": "port lint"})):
            with self.subTest(act=name):
                before = Entry.objects.count()
                once = {"once": self.key(job.get_absolute_url())}
                for _ in range(3):
                    answer = self.client.post(
                        reverse(f"jobs:{name}", args=[job.pk]), {**sent, **once}, headers={"Referer": page}
                    )
                self.assertEqual(Entry.objects.count(), before + 1)
                self.assertContains(answer, f'href="{page}"', status_code=409)

    def test_the_question_carries_the_form_under_a_key_of_its_own(self):
        job = make_job(self.user)
        path, sent = reverse("jobs:note", args=[job.pk]), {"text": 'two "lines"\nof it', "once": "k" * 20}
        self.client.post(path, sent)
        page = self.client.post(path, sent).content.decode()
        form = page[page.index(f'action="{path}"') :]
        key = re.search(r'name="once" value="([\w-]+)"', form)[1]
        text = html.unescape(re.search(r'name="text" value="([^"]*)"', form)[1])
        self.assertEqual(self.client.post(path, {"text": text, "once": key}).status_code, 302)
        self.assertEqual(list(job.entries.filter(kind="note").values_list("text", flat=True)), [text, text])

    def test_a_fragment_that_comes_twice_is_refused_with_the_reason_and_stored_once(self):
        job = make_job(self.user)
        sent = {"line": "port lint", "once": "k" * 20}
        first, again = (
            self.client.post(reverse("jobs:line", args=[job.pk]), sent, headers={"HX-Request": "true"})
            for _ in range(2)
        )
        self.assertEqual((first.status_code, again.status_code), (200, 409))
        self.assertContains(again, "data-reason", status_code=409)
        self.assertEqual(job.entries.filter(kind="check").count(), 1)

    def test_what_was_refused_or_is_something_else_is_taken(self):
        job = make_job(self.user)
        path, once = reverse("jobs:line", args=[job.pk]), {"once": "k" * 20}
        for _ in range(2):
            self.assertEqual(self.client.post(path, {"line": "nonsense", **once}).status_code, 422)
        for line in ("port lint", "wiggle drops"):
            self.assertEqual(self.client.post(path, {"line": line, **once}).status_code, 302)
        self.assertEqual(job.entries.filter(kind="check").count(), 2)
        other = make_user("other")
        self.client.force_login(other)
        self.client.post(path, {"line": "port lint", **once})
        self.assertEqual(job.entries.filter(kind="check").count(), 3)

    def test_two_photos_of_one_name_and_size_are_two(self):
        job = make_job(self.user)
        path, once = reverse("inside:add_photo", args=[job.pk]), "k" * 20
        for colour in ("red", "red", "blue"):
            self.client.post(path, {"once": once, "file": picture(colour), "caption": "board"})
        self.assertEqual(job.photos.count(), 2)

    def test_the_key_is_written_in_the_transaction_of_the_write_and_goes_with_it(self):
        job = make_job(self.user)
        path, sent = reverse("jobs:note", args=[job.pk]), {"text": "once", "once": "k" * 20}
        with (
            mock.patch("rainfront.jobs.writing.Log._store", side_effect=RuntimeError("killed")),
            self.assertLogs("rainfront.web", "ERROR"),
            self.assertRaises(RuntimeError),
        ):
            self.client.post(path, sent)
        self.assertEqual((Sent.objects.count(), job.entries.filter(kind="note").count()), (0, 0))
        # What comes after the commit is no part of it: the note is there, its answer never came.
        with (
            mock.patch("rainfront.jobs.writing.job_changed.send", side_effect=RuntimeError("killed")),
            self.assertLogs("rainfront.web", "ERROR"),
            self.assertRaises(RuntimeError),
        ):
            self.client.post(path, sent)
        self.assertEqual(self.client.post(path, sent).status_code, 409)
        self.assertEqual(job.entries.filter(kind="note").count(), 1)

    def test_the_later_of_two_at_the_same_moment_is_undone_and_asked(self):
        job = make_job(self.user)
        path, sent = reverse("jobs:note", args=[job.pk]), {"text": "once", "once": "k" * 20}
        self.client.post(path, sent)
        # It looked before the other one was stored, and writes after it.
        with mock.patch("rainfront.web.once._stored", return_value=False):
            self.assertEqual(self.client.post(path, sent).status_code, 409)
        self.assertEqual(job.entries.filter(kind="note").count(), 1)

    def test_what_was_written_and_then_refused_leaves_no_key(self):
        # The page prepares a device for time codes, and refuses the code.
        for _ in range(2):
            sent = {"code": "000000", "once": "k" * 20}
            self.assertEqual(self.client.post(reverse("people:time_codes"), sent).status_code, 422)
        self.assertTrue(TOTPDevice.objects.exists())


class OutsideATransaction(TransactionTestCase):
    def test_a_single_write_takes_its_key_with_it_or_neither_is_there(self):
        user, other = make_user(), make_user("other")
        key = _Key("1:" + "k" * 20, "digest", "/")
        with connection.execute_wrapper(key):
            with self.assertRaises(IntegrityError):
                User.objects.filter(pk=user.pk).update(username=other.username)
            self.assertEqual(Sent.objects.count(), 0)
            User.objects.filter(pk=user.pk).update(initials="AB")
        self.assertEqual(Sent.objects.get().answer, "/")
        with connection.execute_wrapper(_Key(key.key, key.digest, "/")), self.assertRaises(SentBefore):
            User.objects.filter(pk=user.pk).update(initials="CD")
        user.refresh_from_db()
        self.assertEqual(user.initials, "AB")


class SameForm(TestCase):
    """Two people have the same form open; the one who stores later undoes nothing."""

    @classmethod
    def setUpTestData(cls):
        cls.user, cls.lead = make_user(), make_user("lead", "lead")

    def setUp(self):
        self.client.force_login(self.lead)

    def shown(self, path, which=0):
        """The fields of a page's form as a browser would send them back."""
        text = self.client.get(path).content.decode()
        form = [part for part in text.split("<form")[1:] if 'name="made_from"' in part or "-made_from" in part][
            which
        ].split("</form>")[0]
        sent = {}
        for tag in re.findall(r"<(?:input|textarea|select)[^>]*>(?:[^<]*</textarea>)?", form):
            name, value = re.search(r' name="([^"]+)"', tag), re.search(r' value="([^"]*)"', tag)
            if name is None or (('type="radio"' in tag or 'type="checkbox"' in tag) and " checked" not in tag):
                continue
            if tag.startswith("<textarea"):
                sent[name[1]] = html.unescape(tag.split(">", 1)[1].removesuffix("</textarea>").lstrip("\n").strip())
            elif not tag.startswith("<select"):
                sent.setdefault(name[1], []).append(html.unescape(value[1]) if value else "on" * ("checkbox" in tag))
        for name, body in re.findall(r'<select name="([^"]+)"[^>]*>(.*?)</select>', form, re.S):
            chosen = re.search(r'value="([^"]*)" selected', body)
            sent[name] = chosen[1] if chosen else ""
        sent.pop("once", None)
        return sent

    def test_details_keep_what_the_other_has_changed_and_a_clash_is_shown_at_its_field(self):
        job = make_job(self.user, model_name="Tarn 4", customer="purser", complaint="no charge")
        path = reverse("jobs:details", args=[job.pk])
        mine, theirs = self.shown(path), self.shown(path)
        self.client.post(path, {**theirs, "customer": "bosun", "value": "99"})
        self.assertEqual(self.client.post(path, {**mine, "complaint": "slow"}).status_code, 302)
        job.refresh_from_db()
        self.assertEqual((job.customer, float(job.value), job.complaint), ("bosun", 99.0, "slow"))
        self.assertEqual(job.entries.filter(name="details").count(), 2)
        self.assertNotIn("value", job.entries.filter(name="details").last().text)
        said = " ".join(job.entries.filter(name="details").values_list("text", flat=True))
        self.assertTrue("corrected" in said and "purser" not in said and "bosun" not in said, said)
        clash = self.client.post(path, {**mine, "customer": "stoker"})
        self.assertContains(clash, "now it says bosun. Send it again", status_code=422)
        self.assertContains(clash, 'value="stoker"', status_code=422)
        job.refresh_from_db()
        self.assertEqual(job.customer, "bosun")
        made_from = re.search(r'name="made_from" value="([^"]*)"', clash.content.decode())[1]
        self.assertContains(clash, "slow</textarea>", status_code=422)
        again = {**mine, "customer": "stoker", "complaint": "slow", "made_from": html.unescape(made_from)}
        self.assertEqual(self.client.post(path, again).status_code, 302)
        job.refresh_from_db()
        self.assertEqual((job.customer, job.complaint), ("stoker", "slow"))

    def test_settings_parts_and_meters_do_the_same(self):
        shop = reverse("workshop:settings")
        mine, theirs = self.shown(shop), self.shown(shop)
        self.client.post(shop, {**theirs, "shop-name": "Quay"})
        self.client.post(shop, {**mine, "shop-hourly_rate": "61,00"})
        found = Workshop.current()
        self.assertEqual((found.name, str(found.hourly_rate)), ("Quay", "61.00"))
        item = stock.take_in(shipped(), "swap_battery", "", 5, user=self.lead, now=NOW)
        item = Item.objects.get()
        part = reverse("stock:item", args=[item.pk])
        mine = {**self.shown(part), "which": "keep"}
        stock.bin_parts(item, 2, "bent", user=self.lead, now=NOW)
        self.client.post(part, {**mine, "supplier": "Skerry"})
        item.refresh_from_db()
        self.assertEqual((item.count, item.supplier), (3, "Skerry"))
