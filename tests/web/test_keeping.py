"""Backups, the doctor, what a full disk says, what the journal tells, and what browsers are told."""

import hashlib
import io
import json
import logging
import os
import sqlite3
import tarfile
import tempfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import Mock, patch

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage
from django.db import DatabaseError, OperationalError, connection
from django.test import Client, SimpleTestCase, TestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from rainfront.instruments.actions import keep_draft
from rainfront.instruments.models import Draft
from rainfront.keeping import actions, archive, doctor, media
from rainfront.people.models import Workshop
from rainfront.web.journal import Lines
from tests.builders import NOW, PASSWORD, make_job, make_user
from tests.web.test_counter import AtTheCounter


class Rotation(SimpleTestCase):
    def test_the_newest_and_one_of_each_day_week_and_month_stay(self):
        nights = [datetime(2026, 11, 26, 2, 30, tzinfo=UTC) - timedelta(days=back) for back in range(400)]
        stay = archive.kept(nights)
        self.assertEqual(sorted((nights[0] - one).days for one in stay)[:8], [0, 1, 2, 3, 4, 5, 6, 11])
        months = {one.strftime("%Y-%m") for one in stay}
        self.assertEqual((len(months), min(stay).date().isoformat()), (12, "2025-12-31"))
        self.assertEqual(archive.kept(sorted(stay)), stay)

    def test_what_is_no_archive_of_ours_is_refused_and_nothing_is_written(self):
        with tempfile.TemporaryDirectory() as made:
            place = Path(made)
            for name, raw in (
                ("empty.tar.gz", b""),
                ("text.tar.gz", b"no archive"),
                ("cut.tar.gz", b"\x1f\x8b\x08\0" + b"x" * 90),
            ):
                (place / name).write_bytes(raw)
                with self.subTest(name=name), self.assertRaisesMessage(archive.BackupError, "take another backup"):
                    archive.restore(place / name, place / "new" / "shop.sqlite3", place / "new" / "media")
                self.assertFalse((place / "new").exists())
            (place / "shop.sqlite3").write_bytes(b"x")
            with self.assertRaisesMessage(archive.BackupError, "is there already"):
                archive.restore(place / "empty.tar.gz", place / "shop.sqlite3", place / "media")

    def test_a_backup_that_could_hurt_or_is_newer_is_refused_in_words_and_nothing_is_written(self):
        def packed(**more):
            """A whole backup, but for what is given: a manifest, or members by their names."""
            with tempfile.TemporaryDirectory() as made:
                shop = Path(made) / archive.DATABASE
                with closing(sqlite3.connect(shop)) as database:
                    database.execute("CREATE TABLE jobs_job (id integer)")
                    database.execute("CREATE TABLE django_migrations (app text, name text)")
                    database.execute("INSERT INTO django_migrations VALUES ('jobs', '0001_initial')")
                    database.commit()
                raw = shop.read_bytes()
            sums = {archive.DATABASE: hashlib.sha256(raw).hexdigest()}
            manifest = more.pop("manifest", json.dumps({"sha256": sums}).encode())
            whole = io.BytesIO()
            with tarfile.open(fileobj=whole, mode="w:gz") as tar:
                members = {archive.MANIFEST: manifest, archive.DATABASE: raw, **more.pop("files", {})}
                for name, content in members.items():
                    info = tarfile.TarInfo(name)
                    if isinstance(content, bytes):
                        info.size = len(content)
                        tar.addfile(info, io.BytesIO(content))
                    else:
                        info.type, info.linkname = content
                        tar.addfile(info)
            return whole.getvalue()

        known = {("jobs", "0001_initial")}
        with tempfile.TemporaryDirectory() as made:
            place, new = Path(made), Path(made) / "new"
            for says, raw in (
                ("cannot be read", packed(manifest=b"[" * 5000)),
                ("cannot be read", packed(manifest=b'{"sha256": ["a"]}')),
                ("cannot be read", packed(manifest=b'{"sha256": 7}')),
                ("database.sqlite3 is not as it was packed", packed(manifest=b'{"sha256": {"database.sqlite3": 7}}')),
                ("is not as it was packed", packed(files={"media/extra": b"x"})),
                ("cannot be read", packed(files={"../outside": b"x"})),
                ("neither a file nor a folder", packed(files={"media/a": (tarfile.SYMTYPE, "/etc/passwd")})),
                ("neither a file nor a folder", packed(files={"media/a": (tarfile.LNKTYPE, "database.sqlite3")})),
                ("neither a file nor a folder", packed(files={"media/a": (tarfile.FIFOTYPE, "")})),
                ("take another backup", packed()[:-40] + b"x" * 40),
            ):
                (place / "it.tar.gz").write_bytes(raw)
                with self.subTest(says=says), self.assertRaisesMessage(archive.BackupError, says):
                    archive.restore(place / "it.tar.gz", new / "shop.sqlite3", new / "media", known)
                self.assertEqual([path.name for path in place.iterdir()], ["it.tar.gz"])
            (place / "it.tar.gz").write_bytes(packed())
            with (
                patch.object(archive.shutil, "disk_usage", return_value=Mock(free=archive.SPARE_BYTES)),
                self.assertRaisesMessage(archive.BackupError, "the disk has no room for"),
            ):
                archive.restore(place / "it.tar.gz", new / "shop.sqlite3", new / "media", known)
            with self.assertRaisesMessage(archive.BackupError, "a newer version of the program made it"):
                archive.restore(place / "it.tar.gz", new / "shop.sqlite3", new / "media", set())
            self.assertFalse(new.exists())
            self.assertEqual(archive.restore(place / "it.tar.gz", new / "shop.sqlite3", new / "media", known), 0)

    def test_a_backup_made_after_the_clock_was_set_back_stays(self):
        with tempfile.TemporaryDirectory() as made:
            place = Path(made)
            shop = place / "shop.sqlite3"
            with closing(sqlite3.connect(shop)) as database:
                database.execute("CREATE TABLE jobs_job (id integer)")
                database.execute("CREATE TABLE django_migrations (app text, name text)")
            for days in (*range(40), -800):
                last = archive.make_backup(shop, place / "media", place / "kept", (), now=NOW + timedelta(days=days))
            self.assertTrue((place / "kept" / last.name).exists())


class ClockSetBack(TestCase):
    """The clock of the machine was ahead and is put right: what was stored then lies in the future."""

    @classmethod
    def setUpTestData(cls):
        cls.user = make_user("owner", role="owner")
        cls.job = make_job(cls.user, ("port lint", "i 0.2 5.0 18%", "did clean_port yes"))

    def at(self, begun=None, **back):
        now = (begun or timezone.now()) - timedelta(**back)
        return patch("django.utils.timezone.now", return_value=now), patch("time.time", return_value=now.timestamp())

    def test_pages_are_shown_and_the_doctor_says_so(self):
        now, clock = self.at(NOW, days=3)
        with now, clock:
            self.client.force_login(self.user)
            for name in ("jobs:bench", "jobs:decide", "jobs:record", "jobs:details", "counter:order", "work:repair"):
                with self.subTest(page=name):
                    self.assertEqual(self.client.get(reverse(name, args=[self.job.pk])).status_code, 200)
            for name in ("day:list", "jobs:take_in", "logbook:logbook", "insights:insights", "stock:shelf"):
                with self.subTest(page=name):
                    self.assertEqual(self.client.get(reverse(name)).status_code, 200)
            said = [one.text for one in doctor.examine(now=timezone.now()) if not one.fine]
            self.assertTrue(any("which lies ahead: set the clock" in text for text in said), said)
            before = self.job.entries.count()
            self.client.post(reverse("jobs:line", args=[self.job.pk]), {"line": "wiggle drops"})
            self.assertEqual(self.job.entries.count(), before + 1)

    def test_who_signed_in_while_it_was_ahead_signs_in_again(self):
        self.client.force_login(self.user)
        _, clock = self.at(minutes=2)
        with clock:
            self.assertEqual(self.client.get("/").status_code, 200)
        _, clock = self.at(days=3)
        with clock:
            self.assertEqual(self.client.get("/").status_code, 302)

    def test_wrong_passwords_counted_while_it_was_ahead_hold_nobody(self):
        wrong = {"username": "owner", "password": "wrong"}
        answers = [self.client.post("/people/sign-in/", wrong).status_code for _ in range(12)]
        self.assertEqual(answers[-1], 429)
        now, _ = self.at(days=3)
        with now:
            self.assertEqual(self.client.post("/people/sign-in/", wrong).status_code, 200)


class NothingCanBeWritten(TestCase):
    """The database's file is read-only: SQLite itself refuses every write."""

    @classmethod
    def setUpTestData(cls):
        cls.user = make_user("owner", role="owner")
        cls.job = make_job(cls.user, ("port lint", "i 0.2 5.0 18%", "did clean_port yes"))

    def setUp(self):
        self.client.force_login(self.user)
        connection.connection.execute("PRAGMA query_only = ON")
        self.addCleanup(connection.connection.execute, "PRAGMA query_only = OFF")

    def test_what_is_sent_is_refused_in_words(self):
        with self.assertLogs("rainfront.web", "ERROR"):
            sent = self.client.post(reverse("jobs:line", args=[self.job.pk]), {"line": "wiggle drops"})
        self.assertContains(sent, "Nothing was stored", status_code=503)
        nobody = Client(raise_request_exception=False)
        with self.assertLogs("rainfront.web", "ERROR"):
            signed = nobody.post("/people/sign-in/", {"username": "owner", "password": PASSWORD})
        self.assertContains(signed, "the database cannot be written to", status_code=503)


class Files(TestCase):
    def test_files_without_a_row_go_once_they_are_old_and_those_with_one_stay(self):
        with tempfile.TemporaryDirectory() as made, override_settings(MEDIA_ROOT=made):
            disk = FileSystemStorage(location=made)
            kept, fresh, old = (disk.save(f"records/{name}", ContentFile(b"x")) for name in ("kept", "fresh", "old"))
            for name in (kept, old):
                os.utime(Path(made) / name, (1, 1))
            with patch.object(media, "named_files", return_value={kept, "records/gone"}):
                self.assertEqual(media.missing_files(), ["records/gone"])
                self.assertEqual(media.remove_orphans(3600), [old])
            self.assertEqual(media.stored_files(Path(made)), {kept, fresh})

    def test_tidying_leaves_the_drafts_of_the_week_and_the_files_of_today(self):
        now = timezone.now()
        user = make_user()
        for days in (1, 8):
            hand = {"user": user, "now": now - timedelta(days=days)}
            keep_draft(make_job(user), b"seconds,amps\n0,1\n1,1\n", f"{days}.csv", "file", **hand)
        with patch.object(media, "remove_orphans", return_value=[]) as orphans:
            self.assertEqual(actions.tidy(now=now).drafts, 1)
        self.assertEqual(Draft.objects.get().at, now - timedelta(days=1))
        orphans.assert_called_once_with(3600.0)


class ByAge(AtTheCounter):
    def test_who_came_long_ago_is_erased_and_who_came_again_is_not(self):
        make_user("boss", "owner")
        again = self.repaired(customer="stoker")
        for job, phone in ((self.job, "1"), (again, "2")):
            self.do("contact", job, name="Somebody", phone=phone, mail="")
        make_job(self.user, customer="stoker")
        newer = self.repaired(customer="stoker")
        self.do("contact", newer, name="Somebody", phone="2", mail="")
        type(newer).objects.filter(pk=newer.pk).update(closed_at=NOW + timedelta(days=400))
        later = NOW + timedelta(days=420)
        self.assertEqual(actions.erase_by_age(now=later), [])
        Workshop.objects.update_or_create(pk=1, defaults={"keep_months": 12})
        self.assertEqual(actions.erase_by_age(now=later), [self.job.pk])
        again.refresh_from_db()
        self.assertEqual(again.customer, "stoker")


class Answers(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()
        cls.job = make_job(cls.user)

    def setUp(self):
        self.client.force_login(self.user)

    def test_nobodys_page_is_kept_and_browsers_are_told_what_pages_may_do(self):
        page = self.client.get(self.job.get_absolute_url())
        told = {
            "Cache-Control": "no-store",
            "Referrer-Policy": "same-origin",
            "Cross-Origin-Opener-Policy": "same-origin",
            "Cross-Origin-Resource-Policy": "same-origin",
            "X-Content-Type-Options": "nosniff",
            "X-Frame-Options": "DENY",
        }
        self.assertEqual({name: page[name] for name in told}, told)
        self.assertIn("microphone=()", page["Permissions-Policy"])
        self.assertIn("default-src 'self'", page["Content-Security-Policy"])

    def test_a_request_for_another_host_is_refused_with_a_page_and_its_headers(self):
        for path in ("/people/sign-in/", "/", "/health/", "/nowhere/"):
            with self.subTest(path=path):
                answer = self.client.get(path, headers={"Host": "elsewhere.example"})
                self.assertContains(answer, "That request could not be read", status_code=400)
                self.assertIn("frame-ancestors 'none'", answer["Content-Security-Policy"])
                self.assertIn("camera", answer["Permissions-Policy"])

    def test_a_disk_that_takes_nothing_is_said_and_looking_goes_on(self):
        line = reverse("jobs:line", args=[self.job.pk])
        for error in (
            OperationalError("attempt to write a readonly database"),
            DatabaseError("database or disk is full"),
            OSError(28, "No space left on device"),
        ):
            with (
                self.subTest(error=str(error)),
                patch("rainfront.jobs.writing.Log.add", side_effect=error),
                self.assertLogs("rainfront.web", "ERROR"),
            ):
                self.assertContains(
                    self.client.post(line, {"line": "port lint"}), "Nothing was stored", status_code=503
                )
        with patch(
            "django.contrib.sessions.backends.db.SessionStore.save", side_effect=OperationalError("disk is full")
        ):
            session = self.client.session
            self.assertGreater(session["seen"], 0)
            with self.assertLogs("rainfront.people", "ERROR"), patch("time.time", return_value=session["seen"] + 120):
                self.assertEqual(self.client.get(self.job.get_absolute_url()).status_code, 200)

    def test_the_list_of_the_day_and_the_logbook_are_shown_where_nothing_can_be_written(self):
        full = DatabaseError("database or disk is full")
        type(self.job).objects.update(day_due=True, log_due=True)
        for path, write in (
            ("day:list", "rainfront.day.standing.Standing.objects.update_or_create"),
            ("logbook:logbook", "rainfront.logbook.index.Page.objects.update_or_create"),
        ):
            with self.subTest(path=path), patch(write, side_effect=full) as wrote:
                self.assertEqual(self.client.get(reverse(path)).status_code, 200)
                self.assertTrue(wrote.called)

    def test_a_number_larger_than_any_row_has_is_not_there(self):
        for path, data in (
            (reverse("instruments:command"), {"do": "plug", "back": "9" * 20}),
            (reverse("counter:order", args=[self.job.pk]), {"act": "join", "other": "9" * 20}),
            (reverse("counter:order", args=[self.job.pk]), {"act": "back", "first": "9" * 20, "same": "yes"}),
            (reverse("exchange:case"), {"job": "9" * 20}),
            (reverse("inside:add_photo", args=[self.job.pk]), {"entry": "9" * 20}),
        ):
            with self.subTest(path=path):
                self.assertLess(self.client.post(path, data).status_code, 500)

    def test_a_file_that_is_gone_is_said(self):
        with patch("rainfront.jobs.views.record.get_job", side_effect=FileNotFoundError(2, "gone")):
            self.assertContains(
                self.client.get(reverse("jobs:record", args=[self.job.pk])), "in a backup", status_code=404
            )

    def test_the_journal_says_who_and_where_and_nothing_that_was_typed(self):
        def journal(level="INFO"):
            return self.assertLogs("rainfront.web", level)

        with journal() as seen:
            self.client.post(reverse("jobs:note", args=[self.job.pk]), {"text": "Mrs Somebody rang"})
            self.client.force_login(make_user("apprentice", "apprentice"))
            self.client.post(reverse("proof:close", args=[self.job.pk]), {"note": "Mrs Somebody"})
            self.client.raise_request_exception = False
            with patch("rainfront.jobs.actions.add_note", side_effect=ValueError("Mrs Somebody")):
                self.client.post(reverse("jobs:note", args=[self.job.pk]), {"text": "x"})
        lines = [json.loads(Lines().format(record)) for record in seen.records]
        self.assertEqual([line.get("status") for line in lines], [302, 403, None, 500])
        self.assertEqual(
            (lines[0]["person"], lines[0]["page"], lines[0]["of"]), (self.user.pk, "jobs:note", {"pk": self.job.pk})
        )
        self.assertEqual((lines[2]["error"], lines[2]["level"]), ("ValueError", "error"))
        self.assertEqual(lines[1]["level"], "warning")
        self.assertNotIn("Somebody", json.dumps(lines))
        foreign = logging.LogRecord("django.db", logging.ERROR, "", 1, "failed for %s", ("Mrs Somebody",), None)
        self.assertNotIn("Somebody", Lines().format(foreign))

    def test_what_is_not_there_and_what_is_refused_are_no_errors_of_the_program(self):
        with self.assertNoLogs("rainfront.web", "ERROR"):
            self.assertEqual(self.client.get("/jobs/99999/").status_code, 404)
            self.assertEqual(self.client.get(reverse("people:people")).status_code, 403)
            self.assertEqual(self.client.post(reverse("people:people"), {"name": "x"}).status_code, 403)

    def test_health_says_whether_it_is_well_and_here_whether_somebody_is(self):
        nobody = Client()
        well = nobody.get("/health/")
        self.assertEqual((well.status_code, well.json()["ok"], well.json()["proxy"]), (200, True, False))
        self.assertEqual(
            (nobody.get("/health/here/").status_code, self.client.get("/health/here/").status_code), (401, 204)
        )
        with (
            patch("rainfront.keeping.views.Job.objects.exists", side_effect=OperationalError("no such table")),
            self.assertLogs("rainfront.web", "ERROR"),
        ):
            self.assertEqual(nobody.get("/health/").status_code, 503)

    def test_the_doctor_finds_what_is_missing(self):
        with (
            tempfile.TemporaryDirectory() as made,
            override_settings(BACKUPS=made, MEDIA_ROOT=made, SECRET_KEY="k" * 60),
        ):
            Path(made).chmod(0o755)
            found = {one.text.split(":")[0]: one.fine for one in doctor.examine(now=NOW)}
        wrong = {name for name, fine in found.items() if not fine}
        self.assertEqual(wrong, {"key", "files", "backups", "owner", "backup"})
        self.assertFalse(settings.DEBUG)
