"""In and out: the whole shop as an archive, everything as tables, references of another shop."""

import csv
import hashlib
import io
import json
import logging
import os
import tempfile
import time
import tracemalloc
import zipfile
from datetime import timedelta
from pathlib import Path

from django.core.management import call_command
from django.db import transaction
from django.test import Client, TestCase, TransactionTestCase, override_settings
from django.urls import reverse
from django.utils import timezone
from jsonschema import Draft202012Validator

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions as counter
from rainfront.demo.play import ARCHIVE, load_demo
from rainfront.exchange import references
from rainfront.exchange.reading import read_shop, unmoved
from rainfront.exchange.schema import schema, schema_of_row
from rainfront.exchange.shape import ArchiveError, fields_of, tables
from rainfront.exchange.tables import TABLES
from rainfront.exchange.values import reader_of
from rainfront.exchange.writing import write_shop
from rainfront.heat.actions import add_station, log_melt
from rainfront.heat.models import Melted
from rainfront.inside.models import Photo
from rainfront.insights.presenters import insights_of
from rainfront.instruments.models import BenchInstrument, Waiting
from rainfront.jobs import actions as jobs_actions
from rainfront.jobs.models import Job
from rainfront.logbook.index import follow_jobs
from rainfront.people.models import User
from rainfront.proof.actions import close_job
from rainfront.reference.models import DiodeMeter, GoodReading
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import ShopStep
from tests.builders import NOW, empty_files, make_job, make_user
from tests.fuzz.archives import Archives
from tests.runner import ROOT
from tests.sizes import exhaustive, sized
from tests.web.test_pages import Signed

SEED = int(os.environ.get("RAINFRONT_SEED", "20261130"))


def appraisals():
    """What is advised on every open job, and believed of it."""
    from rainfront.jobs.judging import judgement_for

    shop, out = Shop.current(), {}
    for job in Job.objects.with_people().on_bench():
        core = judgement_for(job, None, shop).core
        out[job.pk] = (core.advice.next.id, round(core.advice.next.total, 9), core.belief.faults[:3])
    return out


def figures():
    found = insights_of(Shop.current(), "all", timezone.now())
    return [(section.id, [(row.name, row.numbers) for _, row in section.all_rows]) for section in found.sections]


class Archived(TransactionTestCase):
    def setUp(self):
        empty_files()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def empty(self):
        call_command("flush", verbosity=0, interactive=False)
        empty_files()

    def goes_out_and_in(self):
        """The shop written, read into an empty database and written again: the same bytes, advice and figures."""
        first, second = self.folder / "a.zip", self.folder / "b.zip"
        counts, before, said = write_shop(first), appraisals(), figures()
        self.empty()
        self.assertEqual(read_shop(first), counts)
        self.assertEqual(counts["jobs.job"], Job.objects.count())
        write_shop(second)
        self.assertEqual(hashlib.sha256(first.read_bytes()).digest(), hashlib.sha256(second.read_bytes()).digest())
        self.assertEqual(appraisals(), before)
        follow_jobs(Shop.current(), 500)
        self.assertEqual(figures(), said)


class SmallShop(Archived):
    def setUp(self):
        super().setUp()
        make_user("owner", role="owner")
        make_job(make_user(), ("port lint", "i 0.2 5.0 18%"))

    def test_out_in_and_out_again_is_the_same_to_the_byte_and_advises_the_same(self):
        self.goes_out_and_in()

    def test_a_shop_that_is_there_is_never_written_over(self):
        path = self.folder / "a.zip"
        write_shop(path)
        before = Job.objects.count()
        with self.assertRaisesMessage(ArchiveError, "there is a shop here already"):
            read_shop(path)
        self.assertEqual(Job.objects.count(), before)

    def test_what_is_not_whole_is_refused_as_a_whole(self):
        path = self.folder / "a.zip"
        write_shop(path)
        self.empty()
        for name, change in (
            ("tables/jobs.entry.jsonl", lambda raw: raw.replace(b'"grade"', b'"grape"', 1)),
            ("tables/jobs.job.jsonl", lambda raw: raw[:-40]),
            ("manifest.json", lambda raw: raw.replace(b'"version": 1', b'"version": 9')),
            ("manifest.json", lambda _: b"{}"),
        ):
            broken = self.folder / "broken.zip"
            with zipfile.ZipFile(path) as whole, zipfile.ZipFile(broken, "w") as made:
                for entry in whole.infolist():
                    raw = whole.read(entry)
                    made.writestr(entry, change(raw) if entry.filename == name else raw)
            with self.subTest(name=name), self.assertRaises(ArchiveError):
                read_shop(broken)
            self.assertEqual((Job.objects.count(), User.objects.count()), (0, 0))
        (self.folder / "text").write_text("no archive")
        with self.assertRaisesMessage(ArchiveError, "cannot be read"):
            read_shop(self.folder / "text")

    def test_an_archive_of_an_earlier_version_is_read_with_what_came_since_left_empty(self):
        """Written before own steps had facts, photos and places, a small part's steps one name on every route, and
        instruments a table of their own.
        """
        newer = ("needs", "makes", "photo", "photo_width", "photo_height", "photo_marks", "place_x", "place_y")
        by = User.objects.first()
        ShopStep.objects.create(at="part_iron_on", do="Shim it.", minutes=1, by=by, since=NOW)
        DiodeMeter.objects.create(name="At the window")
        path, old = self.folder / "a.zip", self.folder / "old.zip"
        write_shop(path)
        with zipfile.ZipFile(path) as whole, zipfile.ZipFile(old, "w") as made:
            files = {entry.filename: whole.read(entry) for entry in whole.infolist()}
            manifest = json.loads(files.pop("manifest.json"))
            for table in ("stock.benchtestrun", "stock.benchneed", "instruments.benchinstrument"):
                name = f"tables/{table}.jsonl"
                del manifest["rows"][table]
                manifest["sha256"].pop(name, None)
                files.pop(name, None)
            steps = "tables/workshop.shopstep.jsonl"
            row = json.loads(files[steps])
            row = {name: value for name, value in row.items() if name not in newer} | {"at": "sense_fix"}
            files[steps] = json.dumps(row).encode() + b"\n"
            manifest["sha256"][steps] = hashlib.sha256(files[steps]).hexdigest()
            meters = "tables/reference.diodemeter.jsonl"
            rows = [json.loads(line) | {"host": "", "port": None} for line in files[meters].splitlines()]
            rows[-1] |= {"host": "127.0.0.1", "port": 7712}
            files[meters] = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
            manifest["sha256"][meters] = hashlib.sha256(files[meters]).hexdigest()
            power, row = "tables/instruments.meter.jsonl", {"id": 1, "host": "127.0.0.1", "port": 7711}
            files[power] = json.dumps({**row, "profile": "csv_lines"}).encode() + b"\n"
            manifest["sha256"][power] = hashlib.sha256(files[power]).hexdigest()
            manifest["rows"]["instruments.meter"] = 1
            for name, raw in {**files, "manifest.json": json.dumps(manifest).encode()}.items():
                made.writestr(name, raw)
        self.empty()
        read_shop(old)
        step = ShopStep.objects.get()
        self.assertEqual((step.at, step.do, step.needs, step.place_x), ("part_iron_on", "Shim it.", [], None))
        moved = BenchInstrument.objects.get(sheet_meter__isnull=False)
        self.assertEqual((str(moved.sheet_meter), str(moved.place)), ("At the window", "127.0.0.1:7712"))
        power = BenchInstrument.objects.exclude(pk=moved.pk).get()
        self.assertEqual((power.name, power.profile, str(power.place)), ("Power meter", "csv_lines", "127.0.0.1:7711"))

    def test_whoever_is_here_already_stays_and_may_sign_in(self):
        path = self.folder / "a.zip"
        write_shop(path)
        self.empty()
        mine = make_user("owner", role="owner")
        other = make_user("newcomer", role="owner")
        read_shop(path)
        self.assertTrue(User.objects.get(username="owner").check_password("quay-side"))
        self.assertTrue(User.objects.get(username="newcomer").is_active)
        self.assertEqual(User.objects.filter(username__contains="\n").count(), 0)
        self.assertNotEqual(mine.pk, other.pk)

    def test_whoever_was_switched_off_here_stays_so_whatever_the_archive_says(self):
        path = self.folder / "a.zip"
        write_shop(path)
        self.empty()
        gone = make_user("owner", role="owner")
        User.objects.filter(pk=gone.pk).update(is_active=False)
        read_shop(path)
        self.assertFalse(User.objects.get(username="owner").is_active)

    def test_what_an_archive_unfolds_to_is_asked_before_it_is_unfolded(self):
        path = self.folder / "bomb.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
            made.writestr("manifest.json", b"[" * 200_000_000)
        tracemalloc.start()
        self.addCleanup(tracemalloc.stop)
        with self.assertRaisesMessage(ArchiveError, "manifest.json is too large"):
            read_shop(path)
        self.assertLess(tracemalloc.get_traced_memory()[1], 50_000_000)

    def test_a_file_outside_is_refused_whether_it_comes_with_the_archive_or_not(self):
        path, broken = self.folder / "a.zip", self.folder / "broken.zip"
        Photo.objects.create(
            job=Job.objects.get(),
            file="photos/a.jpg",
            caption="board",
            width=1,
            height=1,
            by=User.objects.first(),
            at=NOW,
        )
        write_shop(path)
        self.empty()
        for name in ("../secret.txt", "/etc/passwd", "photos/../../x", ".hidden", "photos//a"):
            made = Archives(path.read_bytes(), 1).with_value("inside.photo", "file", name)
            broken.write_bytes(made)
            with self.subTest(name=name), self.assertRaisesMessage(ArchiveError, "a file may not lie at"):
                read_shop(broken)
            self.assertEqual(Job.objects.count(), 0)


class Described(TestCase):
    """The archive's schema: the one in docs is the one of the models, and the demo's archive holds to it."""

    VALUES = (None, True, "", "x" * 300, "2026-13-41", -5, 2.5, 10**30, [], {"a": 1})

    def test_the_schema_in_docs_is_that_of_the_models(self):
        kept = json.loads((ROOT / "docs" / "shop-archive.schema.json").read_text(encoding="utf-8"))
        self.assertEqual(kept, json.loads(json.dumps(schema())), "make schema renews it")
        Draft202012Validator.check_schema(kept)

    def test_every_row_of_the_demo_holds_to_it(self):
        whole = schema()
        seen = 0
        with zipfile.ZipFile(ARCHIVE) as archive:
            Draft202012Validator(whole).validate(json.loads(archive.read("manifest.json")))
            for name, form in whole["$defs"].items():
                check = Draft202012Validator(form, format_checker=Draft202012Validator.FORMAT_CHECKER)
                lines = archive.read(f"tables/{name}.jsonl").splitlines()
                for line in lines[:: sized(40, 1)]:
                    errors = [
                        f"{name}: {error.json_path} {error.message}" for error in check.iter_errors(json.loads(line))
                    ]
                    self.assertEqual(errors, [])
                    seen += 1
        self.assertGreater(seen, 500)

    def test_what_it_refuses_is_refused_when_it_is_read(self):
        refused = 0
        for model in tables():
            form = schema_of_row(model)["properties"]
            for field in fields_of(model):
                read, check = reader_of(field, unmoved), Draft202012Validator(form[field.attname])
                for value in self.VALUES:
                    if not check.is_valid(value):
                        refused += 1
                        with self.subTest(field=str(field), value=value), self.assertRaises(ArchiveError):
                            read(value)
        self.assertGreater(refused, 1000)


class Mutated(TestCase):
    """An archive with something in it that cannot be is refused in words, or every page opens with it."""

    def refused_or_shown(self, raw, paths):
        """What went wrong, '' where it was refused or every page of the shop opens; the shop is empty again then."""
        with tempfile.NamedTemporaryFile(suffix=".zip") as file:
            file.write(raw)
            file.flush()
            client = Client(raise_request_exception=False)
            try:
                with transaction.atomic():
                    try:
                        read_shop(Path(file.name))
                        User.objects.update(is_active=True, role="owner")
                        client.force_login(User.objects.order_by("pk").first())
                        codes = {path: client.get(path).status_code for path in paths}
                        return "; ".join(f"{path}: {code}" for path, code in codes.items() if code >= 500)
                    finally:
                        transaction.set_rollback(True)
            except ChargepathError:
                return ""
            except Exception as error:
                return f"{type(error).__name__}: {str(error)[:200]}"

    def test_mutated_archives(self):
        with transaction.atomic():
            owner = make_user("owner", role="owner")
            job = make_job(owner, ("port lint", "i 0.2 5.0 18%", "wiggle drops"))
            jobs_actions.add_note(job, "as agreed", user=owner, now=NOW)
            quote = jobs_actions.make_quote(job, "clean_port", 9, "we clean it", user=owner, now=NOW)
            jobs_actions.answer_quote(quote, "approved", "deck crew", user=owner, now=NOW)
            jobs_actions.choose_route(job, "clean_port", "", user=owner, now=NOW)
            counter.set_contact(job, "K.M.", "12 34 56", "k@m.example", user=owner, now=NOW)
            closed = close_job(make_job(owner, ["did clean_port yes"]), ["port_fouled"], user=owner, now=NOW)
            Waiting.objects.create(job=job, first=3.1, unit="V", started_at=NOW, by=owner)
            with tempfile.NamedTemporaryFile(suffix=".zip") as file:
                write_shop(Path(file.name))
                whole = Path(file.name).read_bytes()
            transaction.set_rollback(True)
        paths = [
            "/",
            f"/jobs/{job.pk}/",
            f"/jobs/{job.pk}/decide/",
            f"/jobs/{job.pk}/record/",
            f"/jobs/{job.pk}/repair/",
        ]
        paths += [
            f"/jobs/{job.pk}/counter/",
            f"/jobs/{job.pk}/details/",
            f"/jobs/{closed.pk}/",
            "/logbook/",
            "/insights/",
        ]
        archives, bad = Archives(whole, SEED), []
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        for _ in range(sized(20, 3000)):
            what, raw = archives.one()
            begun = time.perf_counter()
            wrong = self.refused_or_shown(raw, paths)
            if wrong:
                bad.append(f"{what}: {wrong}")
            if time.perf_counter() - begun > 60:
                bad.append(f"{what}: took {time.perf_counter() - begun:.0f} s")
        self.assertFalse(bad, "\n".join(bad))


class WholeShop(Archived):
    def setUp(self):
        super().setUp()
        load_demo(now=timezone.now())
        user = User.objects.get(username="tech")
        station = add_station("right bench", "", user=user, now=timezone.now())
        melt = {"target": "metal_thin", "alloy": "sac305", "set_c": 350.0, "flow_l_min": 50.0, "nozzle_mm": 8.0}
        log_melt(station, {**melt, "distance_mm": 12.0, "seconds": 31.0}, user=user, now=timezone.now())

    @exhaustive
    def test_all_of_the_demo_goes_out_and_in(self):
        self.goes_out_and_in()
        self.assertEqual(Melted.objects.get(station__name="right bench").seconds, 31.0)
        self.assertFalse(User.objects.get(username="tech").check_password("rainfront"))


class Pages(Signed):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.enterContext(override_settings(BACKUPS=Path(folder.name)))
        self.owner = make_user("owner", role="owner")
        make_job(self.user, ("i 0.02 5.0 20%", "port lint"), customer="=1+1")

    def test_every_table_comes_as_csv_and_json_with_the_same_rows(self):
        self.client.force_login(self.owner)
        for name in TABLES:
            answers = [self.client.get(reverse("exchange:table", args=[name, kind])) for kind in ("csv", "json")]
            text, data = (b"".join(answer.streaming_content).decode() for answer in answers)
            rows, objects = list(csv.reader(io.StringIO(text))), json.loads(data)
            with self.subTest(table=name):
                self.assertEqual(len(rows) - 1, len(objects))
                if objects:
                    self.assertEqual(rows[0], list(objects[0]))
        self.assertIn("'=1+1", b"".join(self.client.get("/exchange/jobs.csv").streaming_content).decode())
        readings = json.loads(b"".join(self.client.get("/exchange/readings.json").streaming_content))
        self.assertEqual(tuple(readings[0][key] for key in ("quantity", "value", "unit")), ("amps", 0.02, "A"))

    def test_only_the_owner_takes_the_shop_out(self):
        for path in ("/exchange/", "/exchange/jobs.csv", "/exchange/shop.zip"):
            self.assertEqual(self.client.get(path).status_code, 403)
        self.client.force_login(self.owner)
        self.assertRedirects(self.client.get("/exchange/shop.zip"), "/exchange/")
        self.client.post("/exchange/", {"what": "make"})
        page = self.client.get("/exchange/")
        self.assertContains(page, "Download")
        raw = b"".join(self.client.get("/exchange/shop.zip").streaming_content)
        self.assertIn("tables/jobs.job.jsonl", zipfile.ZipFile(io.BytesIO(raw)).namelist())
        self.client.post("/exchange/", {"what": "remove"})
        self.assertRedirects(self.client.get("/exchange/shop.zip"), "/exchange/")


class OtherShops(Signed):
    def setUp(self):
        super().setUp()
        meter = DiodeMeter.objects.create(name="Bench meter", style="millivolts", test_ma=1.0)
        keep = {"model_name": "Tarn 4", "revision": "A", "map_id": "usb_c", "place": "contact", "meter": meter}
        rows = [
            GoodReading(pin=pin, mv=mv, taken=NOW.date(), by=self.user, at=NOW, **keep)
            for pin, mv in (("A5", 610.0), ("B5", None))
        ]
        GoodReading.objects.bulk_create(rows)
        self.theirs = (
            "".join(references.write_references()).replace('"shop": "Workshop"', '"shop": "Holm Point"').encode()
        )

    def merge(self, raw):
        from rainfront.workshop.adapters import Shop

        done, self.left = references.merge_references(
            Shop.as_shipped(), raw, user=self.user, now=NOW + timedelta(days=1)
        )
        return done

    def test_own_steps_go_along_once_and_what_does_not_fit_is_told(self):
        given = {"at": "cell_off", "goes": "after", "minutes": 1.5, "tools": "mat"}
        given |= {"settings": {"plate_c": 60.0}, "acts": ["warm"], "cautions": ["lithium"]}
        for do, more in (("Peel it off whole.", {}), ("Look twice.", {"at": "off"})):
            ShopStep.objects.create(do=do, **{**given, **more}, by=self.user, since=NOW)
        raw = "".join(references.write_references())
        self.assertEqual((self.merge(raw.encode())["steps"], self.left), (0, []))
        ShopStep.objects.all().delete()
        changed = raw.replace("Look twice.", "Lever it up.").replace('"at": "cell_off"', '"at": "gone_step"')
        self.assertEqual(self.merge(changed.encode())["steps"], 1)
        self.assertIn("tick that, or say it otherwise", self.left[0])
        step = ShopStep.objects.get()
        self.assertEqual((step.at, step.minutes, step.settings), ("gone_step", 1.5, {"plate_c": 60.0}))
        self.assertEqual(self.merge(changed.encode())["steps"], 0)

    def test_come_under_their_name_and_only_once(self):
        done = self.merge(self.theirs)
        self.assertEqual((done["meters"], done["readings"]), (1, 2))
        self.assertEqual(
            set(DiodeMeter.objects.values_list("name", flat=True)), {"Bench meter", "Holm Point: Bench meter"}
        )
        self.assertEqual(set(self.merge(self.theirs).values()), {0})
        self.assertEqual(GoodReading.objects.count(), 4)

    def test_nothing_is_stored_of_a_file_that_cannot_be(self):
        for old, new in (
            ("610.0", '"much"'),
            ('"A5"', '"Z9"'),
            ('"contact"', '"moon"'),
            ("rainfront-references", "else"),
            ("]}", ""),
        ):
            with self.subTest(new=new), self.assertRaises(ArchiveError):
                self.merge(self.theirs.decode().replace(old, new).encode())
        self.assertEqual((DiodeMeter.objects.count(), GoodReading.objects.count()), (1, 2))

    def test_through_the_page(self):
        file = io.BytesIO(self.theirs)
        file.name = "references.json"
        page = self.client.post(reverse("exchange:references"), {"file": file}, follow=True)
        self.assertContains(page, "2 readings")
        bad = io.BytesIO(b"{}")
        bad.name = "x.json"
        self.assertContains(
            self.client.post(reverse("exchange:references"), {"file": bad}), "holds no references", status_code=422
        )
