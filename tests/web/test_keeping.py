"""Backups, the doctor, what a full disk says, what the journal tells, and what browsers are told."""

import json
import logging
import os
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage
from django.db import DatabaseError, OperationalError
from django.test import Client, SimpleTestCase, TestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from rainfront.instruments.actions import keep_draft
from rainfront.instruments.models import Draft
from rainfront.keeping import actions, archive, doctor, media
from rainfront.people.models import Workshop
from rainfront.web.journal import Lines
from tests.builders import NOW, make_job, make_user
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
        Workshop.objects.update(keep_months=12)
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
