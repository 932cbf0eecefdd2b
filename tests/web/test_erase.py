"""A customer is erased however they are spelled and wherever they are named: rows, files, index, archive."""

import unicodedata
from decimal import Decimal
from pathlib import Path

from django.apps import apps
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import connection, models
from django.test import SimpleTestCase
from django.urls import reverse

from rainfront.counter import actions as counter
from rainfront.counter.everywhere import columns
from rainfront.demo.picture import draw_board
from rainfront.exchange import actions as exchange
from rainfront.inside import actions as inside
from rainfront.inside.models import Photo
from rainfront.instruments.models import Record
from rainfront.jobs import actions
from rainfront.jobs.models import Entry, Job
from rainfront.keeping import media
from rainfront.logbook.index import follow_jobs, forget_words
from rainfront.logbook.models import SavedSearch
from rainfront.stock import actions as stock
from rainfront.web.spellings import Spellings
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job, make_user
from tests.sizes import sized
from tests.web.test_pages import Signed

NAME, PHONE, MAIL, SERIAL, NICK = "Zoë Quaintwright", "+353 1 555 0199", "zoe.q@mail.example", "ZQ-7701", "Zozo"
# Each is this customer.
SPELLINGS = (
    "Zoë Quaintwright", "zoë quaintwright", "ZOË QUAINTWRIGHT", "Zoe Quaintwright", "Zoe\u0308 Quaintwright",
    "Zoë\nQuaintwright", "Zoë  Quaintwright", "Zoë-Quaintwright", "Zoë Quaintwright's", "Zoë Quaintwright\u2019s",
    "Zoë Quaintwrights", "Quaintwright, Zoë", "QUAINTWRIGHT ZOE", "Zoë\u00a0Quaintwright", "Zoë Quaint\u00adwright",
    "Zoë Quaint\u200bwright", "Zoë_Quaintwright", "(Zoë Quaintwright)", "“Zoë Quaintwright”", "Ｚｏë Quaintwright",
    "+353 1 555 0199", "+35315550199", "00353 1 5550199", "01 555 0199", "01/5550199", "015550199", "01-555-01-99",
    "(01) 555 0199", "+353 (0)1 555 0199", "1 5550199",
    "zoe.q@mail.example", "ZOE.Q@MAIL.EXAMPLE", "zoe.q (at) mail.example", "zoe.q [at] mail (dot) example",
    "ZQ-7701", "zq 7701", "ZQ7701", "Zozo", "zozo's", "ZOZO",
)  # fmt: skip
# Nobody of these is.
OTHERS = (
    "Zoe Quaint", "Quaintwrighton", "Zoë", "5550", "555 0199 mV on the third pin", "q@mail.example", "ZQ-77", "Zozone",
    "101 555 01990", "mail.example",
)  # fmt: skip


def spellings():
    return Spellings.of([NAME, SERIAL, NICK], numbers=[PHONE], mails=[MAIL])


class Spelled(SimpleTestCase):
    def test_forty_spellings_are_found_and_others_are_not(self):
        self.assertEqual(len(SPELLINGS), 40)
        for text in SPELLINGS:
            for around in ("{}", "call {}, please", "seen:{};"):
                with self.subTest(text=text, around=around):
                    self.assertTrue(spellings().may_stand_in(around.format(text)))
                    left, count = spellings().take_out(around.format(text), "")
                    self.assertEqual(count, 1)
                    self.assertEqual(sum(map(str.isalnum, left)), sum(map(str.isalnum, around)), left)
        for text in OTHERS:
            with self.subTest(text=text):
                self.assertEqual(spellings().take_out(text, "")[1], 0)

    def test_marks_and_double_letters_within_a_name_are_one_way_of_writing_it(self):
        found = Spellings.of(["Jürgen Größe"])
        for text in ("Jurgen Grosse", "JÜRGEN GRÖSSE", "Ju\u0308rgen Gro\u0308ße", "jürgen größes", "Größe, Jürgen"):
            with self.subTest(text=text):
                self.assertTrue(found.may_stand_in(text))
                self.assertEqual(found.take_out(f"rang: {text}!", "*"), ("rang: *!", 1))
        thin = Spellings.of(numbers=["01 555 0199"])
        self.assertTrue(thin.may_stand_in("Zoë: 01\u2009555\u20280199"))
        self.assertFalse(thin.may_stand_in("Zoë: 515 mV, 4.98 V, 99 %"))

    def test_structures_are_gone_through_and_nothing_else_is_changed(self):
        value = {"a": ["Zoe Quaintwright rang", 3, None], "Zozo": {"b": ("x", "01 555 0199")}}
        found, count = spellings().take_out(value, "*")
        self.assertEqual((found, count), ({"a": ["* rang", 3, None], "*": {"b": ("x", "*")}}, 3))


class Erasing(Signed):
    def put(self, texts):
        """Each text into another place; what cannot hold it takes the next."""
        hand = {"user": self.user, "now": NOW}
        job, other, draw = self.job, make_job(self.user, customer="bosun"), iter(texts)
        quote = actions.make_quote(job, "clean_port", 9, next(draw), **hand)
        actions.answer_quote(quote, "approved", next(draw)[:30], **hand)
        photo = inside.add_photo(job, draw_board(3), next(draw), **hand)
        inside.add_mark(photo, 0.1, 0.1, next(draw), **hand)
        gone = inside.add_photo(job, draw_board(3), next(draw), **hand)
        inside.remove_photo(gone, **hand)
        words = {name: next(draw) for name in ("noted", "avoid", "terms")}
        counter.set_bill(job, [(next(draw)[:120], Decimal(5))], words, **hand)
        Job.objects.filter(pk=job.pk).update(complaint=next(draw), outcome_note=next(draw))
        entry = job.entries.get(name="port_look")
        actions.strike_entry(entry, next(draw), **hand)
        for owner in (job, job, other, other, other):
            actions.add_note(owner, next(draw), **hand)
        for encoding, owner in (("utf-8", job), ("utf-16", other), ("utf-8", other)):
            record = Record.objects.create(
                job=owner,
                name=next(draw)[:80],
                by=self.user,
                started_at=NOW,
                last_at=NOW,
                layout={"names": [next(draw)]},
            )
            raw = f"; {next(draw)}\ntime,amps\n0,1\n".encode(encoding)
            # No browser sends a name with a slash in it.
            record.raw.save(f"{next(draw)[:20].replace('/', '-')}.csv", ContentFile(raw))
        SavedSearch.objects.create(name=next(draw)[:40], query=next(draw), person=self.user, at=NOW)
        stock.add_donor(next(draw), next(draw), **hand)
        return job, other

    def everything(self):
        """All that is kept, as bytes: every column of every table, the search's own, every file and its name."""
        texts = [str(list(model.objects.values())) for model in apps.get_models()]
        with connection.cursor() as cursor:
            cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name LIKE 'logbook_search%'")
            for (table,) in cursor.fetchall():
                cursor.execute(f"SELECT * FROM {table}")
                texts.append(str(cursor.fetchall()))
        for folder in ("", "records", "photos"):
            texts += self._files(folder)
        return "\n".join(texts)

    def _files(self, folder):
        found = []
        try:
            folders, names = default_storage.listdir(folder)
        except FileNotFoundError:
            return found
        for name in names:
            path = f"{folder}/{name}".lstrip("/")
            with default_storage.open(path) as file:
                raw = file.read()
            found += [path, raw.decode("utf-8", "replace"), raw.decode("utf-16", "replace")]
        for below in folders:
            found += self._files(f"{folder}/{below}".lstrip("/"))
        return found

    def test_forty_spellings_in_forty_places_are_nowhere_afterwards(self):
        for turn in sized((1,), (0, 1)):
            with self.subTest(turn=turn):
                self.job = make_job(self.user, ["port lint"], customer=NAME)
                Job.objects.filter(pk=self.job.pk).update(serial=SERIAL)
                counter.set_contact(self.job, NAME, PHONE, MAIL, user=self.user, now=NOW)
                texts = [*SPELLINGS[turn * 20 :], *SPELLINGS]
                job, other = self.put(texts)
                while follow_jobs(Shop.current()):
                    pass
                self.client.force_login(make_user(f"owner{turn}", "owner"))
                page = reverse("counter:erase", args=[job.pk])
                look = self.client.get(page, {"nicknames": NICK})
                self.assertContains(look, "of other customers")
                before = Entry.objects.count()
                self.assertEqual(Entry.objects.count(), before)
                with self.captureOnCommitCallbacks(execute=True):
                    self.assertEqual(self.client.post(page, {"nicknames": NICK}).status_code, 302)
                while follow_jobs(Shop.current()):
                    pass
                forget_words()
                left = self.everything()
                self.assertEqual(
                    spellings().spans(left), [], [left[a - 60 : b + 20] for a, b in spellings().spans(left)][:3]
                )
                self.assertEqual([name for name in media.named_files() if not default_storage.exists(name)], [])
                self.assertEqual(Photo.objects.exclude(file="").filter(job=job).count(), 0)
                self.assertEqual(Job.objects.get(pk=other.pk).customer, "bosun")

    def test_a_single_word_is_taken_out_of_others_jobs_only_where_that_is_chosen(self):
        self.job = make_job(self.user, customer="purser")
        other = make_job(self.user, customer="bosun")
        actions.add_note(other, "the purser brought it", user=self.user, now=NOW)
        hand = {"user": make_user("lead", "lead"), "now": NOW}
        counter.erase_customer(self.job.pk, **hand)
        self.assertTrue(other.entries.filter(text="the purser brought it").exists())
        second = make_job(self.user, customer="purser")
        counter.erase_customer(second.pk, everywhere=True, **hand)
        self.assertTrue(other.entries.filter(text="the [redacted] brought it").exists())

    def test_the_archive_that_lies_ready_goes_with_it(self):
        self.job = make_job(self.user, customer=NAME)
        path = exchange.folder() / exchange.NAME
        path.write_bytes(b"everything about everybody")
        self.addCleanup(lambda: path.unlink(missing_ok=True))
        with self.captureOnCommitCallbacks(execute=True):
            counter.erase_customer(self.job.pk, user=make_user("lead", "lead"), now=NOW)
        self.assertFalse(Path(path).exists())

    def test_every_column_that_is_typed_is_looked_through(self):
        found = {(column.model._meta.label, column.name) for column in columns()}
        for column in (("jobs.Job", "complaint"), ("counter.Visit", "mail"), ("instruments.Record", "raw")):
            self.assertIn(column, found)
        files = {
            (model._meta.label, field.name)
            for model in apps.get_models()
            for field in model._meta.concrete_fields
            if isinstance(field, models.FileField)
        }
        self.assertLessEqual(files, found)
        self.assertEqual(unicodedata.normalize("NFC", "Zoe\u0308"), "Zoë")
