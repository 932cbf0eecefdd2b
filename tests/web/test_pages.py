"""Every page: who sees it, what it costs, what it says of bad input."""

import io
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client, TestCase
from django.urls import reverse
from django.utils.html import escape

from chargepath.knowledge.loader import shipped
from rainfront.day.standing import keep_up
from rainfront.demo.proofs import good_readings
from rainfront.jobs import actions
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.proof.proving import proving_of
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import Learned
from tests.builders import NOW, hold_likeness, make_job, make_user
from tests.core.case.test_casefile import EXAMPLE

ROOT = Path(__file__).parents[2]
DETAILS = {
    "model_name": "Quillan P2",
    "customer": "purser",
    "kind": "phone",
    "connector": "usb_c",
    "carrier": "flex",
    "value": "210",
    "complaint": "no charge",
    "backup": "done",
    "history": ["liquid"],
}


class Signed(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()

    @classmethod
    def hands(cls):
        """Somebody signed in, for what a class of tests does once for all of them."""
        made = cls()
        made.client = cls.client_class()
        made.client.force_login(cls.user)
        return made

    def setUp(self):
        self.client.force_login(self.user)

    def url(self, name, *args):
        return reverse(name if ":" in name else f"jobs:{name}", args=args)


class Pages(Signed):
    def test_everything_but_signing_in_needs_a_person(self):
        job = make_job(self.user)
        for name, args in (
            ("day:list", ()),
            ("take_in", ()),
            ("bench", (job.pk,)),
            ("record", (job.pk,)),
            ("exchange:case_file", (job.pk,)),
        ):
            response = Client().get(self.url(name, *args))
            self.assertRedirects(
                response, f"/people/sign-in/?next={self.url(name, *args)}", fetch_redirect_response=False
            )

    def test_taking_in_opens_the_bench_and_bad_input_comes_back_whole(self):
        response = self.client.post(self.url("take_in"), {**DETAILS, "value": "-3", "complaint": "PIN 1234"})
        self.assertContains(response, "no code is ever stored", status_code=422)
        self.assertContains(response, 'value="Quillan P2"', status_code=422)
        response = self.client.post(self.url("take_in"), DETAILS)
        job = Job.objects.get()
        self.assertRedirects(response, job.get_absolute_url())
        self.assertEqual((job.history, job.carrier), (["liquid"], "flex"))

    def test_a_line_updates_in_place_for_htmx_and_by_redirect_without(self):
        job = make_job(self.user)
        response = self.client.post(self.url("line", job.pk), {"line": "port lint"}, headers={"HX-Request": "true"})
        self.assertTemplateUsed(response, "jobs/_bench.html")
        self.assertTemplateNotUsed(response, "web/base.html")
        self.assertContains(response, "lint or dust")
        response = self.client.post(self.url("line", job.pk), {"line": "wiggle steady"})
        self.assertRedirects(response, job.get_absolute_url())

    def test_a_line_that_cannot_be_read_keeps_what_was_typed(self):
        job = make_job(self.user)
        for headers in ({}, {"HX-Request": "true"}):
            response = self.client.post(self.url("line", job.pk), {"line": "power 1"}, headers=headers)
            self.assertContains(response, 'value="power 1"', status_code=422)
            self.assertContains(response, "type OL, 1.0V or 1mV", status_code=422)
        self.assertEqual(job.entries.evidence().count(), 0)

    def test_the_meter_decides_how_a_reading_is_read(self):
        job = make_job(self.user)
        self.user.meter = "one_millivolts"
        self.user.save()
        self.client.post(self.url("line", job.pk), {"line": "power 1"})
        self.assertEqual(job.entries.evidence().get().values, {"reading": "OL"})

    def test_each_check_has_a_form_that_records_the_same(self):
        from chargepath.knowledge.loader import shipped

        for check in shipped().checks.values():
            job = make_job(self.user, wireless=True)
            url = self.url("check", job.pk, check.id)
            self.assertContains(self.client.get(url), escape(check.place))
            data = {"signs": list(check.signs[:1])} if check.is_look else {"grade": check.grades[-1]}
            data |= {"variant": check.variants[0]} if check.variants else {}
            data |= {check.needs_value[grade]: "2,4" for grade in check.grades[-1:] if grade in check.needs_value}
            self.assertRedirects(self.client.post(url, data), job.get_absolute_url(), fetch_redirect_response=False)
            self.assertEqual(job.entries.evidence().get().name, check.id)

    def test_a_check_inside_a_closed_device_says_first_how_it_is_opened(self):
        job = make_job(self.user, ("port clean",))
        look = reverse("jobs:check", args=[job.pk, "inside_look"])
        opening = [step for step, *_ in self.client.get(look).context["opening"]]
        made = [fact for step in opening for fact in step.makes]
        self.assertIn(("cell_on", False), made)
        self.assertLess(len(opening), 20)
        self.assertFalse([step for step in opening if "port" in step.id])
        self.assertContains(self.client.get(look), "First open it: cover off")
        actions.record_line(job, "inside clean", user=self.user, now=NOW)
        self.assertEqual(self.client.get(reverse("jobs:check", args=[job.pk, "sense_lines"])).context["opening"], [])
        outside = self.client.get(reverse("jobs:check", args=[job.pk, "port_look"]))
        self.assertEqual(outside.context["opening"], [])

    def test_a_form_reads_numbers_like_the_line_and_refuses_like_it(self):
        job = make_job(self.user)
        url = self.url("check", job.pk, "charger_current")
        shop = {"variant": "shop"}
        self.client.post(url, {**shop, "amps": "20mA", "volts": "5,1", "battery_percent": "3"})
        self.assertEqual(job.entries.evidence().get().values, {"amps": 0.02, "volts": 5.1, "battery_percent": 3})
        rows = (({"amps": "-1"}, "is not possible"), ({"amps": "x"}, "is not a number"), ({}, "Give amps"))
        for data, message in rows:
            self.assertContains(self.client.post(url, {**shop, **data}), message, status_code=422)
        diode = self.url("check", job.pk, "line_power")
        response = self.client.post(diode, {"reading": "1", "variant": "port"})
        self.assertContains(response, "type OL, 1.0V or 1mV", status_code=422)

    def test_a_station_narrows_the_page(self):
        job = make_job(self.user, ("port lint", "cell 3.7"))
        response = self.client.get(job.get_absolute_url() + "?station=battery")
        self.assertContains(response, "Narrowed to")
        bench = response.context["bench"]
        there = {fault.id for fault in shipped().faults.values() if fault.station == "battery"}
        self.assertEqual({suspect.id for suspect in (*bench.suspects, *bench.more_suspects)}, there)
        self.assertEqual([row.said.title for row in bench.log], ["Battery voltage"])
        repairs = [row.id for row in (*bench.routes, *bench.more_routes) if row.id != "refer"]
        self.assertTrue(repairs and all(there & shipped().routes[repair].cures.keys() for repair in repairs))

    def prove_by_forms(self, job):
        """Every item one after the other, each as the page asks for it; numbers with commas."""
        for _ in range(20):
            page = self.client.get(self.url("proof:prove", job.pk)).context["page"]
            proving = proving_of(Job.objects.get(pk=job.pk), Shop.current())
            item = proving.item(page.now.id)
            values = good_readings([item]).numbers
            given = {name: f"{value:g}".replace(".", ",") for name, value in values.items()}
            answer = {} if given else {"answer": next(iter(item.answers))}
            response = self.client.post(self.url("proof:read", job.pk), {"item": item.id, **given, **answer})
            if response.url != self.url("proof:prove", job.pk):
                break
        self.assertRedirects(response, self.url("proof:close", job.pk))

    def test_a_page_that_breaks_after_something_was_stored_does_not_deny_it(self):
        job = make_job(self.user)
        self.client.raise_request_exception = False
        broken = mock.patch("rainfront.jobs.views.bench.show_bench", side_effect=RuntimeError)
        with broken, self.assertLogs("rainfront", level="ERROR"):
            page = self.client.post(self.url("line", job.pk), {"line": "port lint"}, headers={"HX-Request": "true"})
        self.assertContains(page, "may have been stored", status_code=500)
        self.assertNotContains(page, "not stored", status_code=500)
        self.assertEqual(job.entries.filter(kind="check").count(), 1)

    def test_choosing_ticking_proving_and_closing_by_plain_forms(self):
        job = make_job(self.user, ("i 0.0 5.1 20%", "port lint plug_proud", "wiggle drops"), history=["pocket_carried"])
        self.assertRedirects(
            self.client.post(self.url("choose", job.pk, "clean_port")), self.url("work:repair", job.pk)
        )
        for step in ("port_off_charge", "port_pick", "port_alcohol", "port_dry"):
            self.assertContains(self.client.get(self.url("work:repair", job.pk)), f'value="done {step}"')
            self.client.post(self.url("work:step", job.pk), {"act": f"done {step} It has waited, ticked off late"})
        self.assertRedirects(
            self.client.post(self.url("work:step", job.pk), {"act": "prove", "used": "alcohol"}),
            self.url("proof:prove", job.pk),
        )
        self.prove_by_forms(job)
        self.assertContains(
            self.client.get(self.url("proof:close", job.pk)), 'value="port_fouled" id="id_faults_0" checked'
        )
        response = self.client.post(self.url("proof:close", job.pk), {"faults": ["port_fouled"], "note": "lint"})
        self.assertRedirects(response, self.url("counter:order", job.pk))
        self.assertContains(self.client.get(self.url("record", job.pk)), "proof passed")
        self.assertEqual(Job.objects.get().stage, Stage.CLOSED)

    def test_the_second_person_reads_the_whole_record(self):
        job = make_job(self.user, ("i 0.08 5.1 12%",))
        actions.choose_route(job, "swap_battery", "customer asks for it", user=self.user, now=NOW)
        self.client.force_login(make_user("second"))
        response = self.client.get(self.url("record", job.pk))
        for text in ("received", "Charger current", "customer asks for it", "advice was", "does not charge"):
            self.assertContains(response, text)

    def test_unknown_things_are_not_found_and_garbage_is_never_a_500(self):
        job = make_job(self.user)
        for path in ("/jobs/999999/", f"/jobs/{job.pk}/checks/nope/", f"/jobs/{job.pk}/choose/nope/", "/nope/"):
            self.assertEqual(self.client.get(path).status_code, 404)
        posts = [
            ("stage", {"stage": "moon"}, 422),
            ("note", {"text": ""}, 422),
            ("work:step", {"act": "9" * 30}, 302),
            ("work:pick", {"pick": "x y"}, 302),
            ("work:screws", {"act": "in 77"}, 422),
            ("work:screws", {"at.x": "9" * 30, "at.y": "1"}, 422),
            ("proof:reopen", {"why": "x"}, 422),
            ("proof:read", {"item": "current", "amps": "1e9"}, 422),
            ("proof:read", {"item": "wiggle", "answer": "perhaps"}, 422),
            ("proof:read", {"item": "pad", "answer": "charges"}, 422),
            ("proof:again", {"item": "pad"}, 422),
            ("proof:failed", {"back": "nudge bridge"}, 422),
            ("line", {}, 422),
            ("line", {"line": "i " + "9" * 400}, 422),
            ("line", {"line": "i \x00"}, 422),
        ]
        for name, data, status in posts:
            with self.subTest(name=name, data=data):
                self.assertEqual(self.client.post(self.url(name, job.pk), data).status_code, status)
        for query in ("?page=zz", "?stage=moon", "?q=" + "x" * 400, "?q=%00", "?page=-4"):
            self.assertEqual(self.client.get("/" + query).status_code, 200)


class Cost(Signed):
    def setUp(self):
        super().setUp()
        hold_likeness(self)

    def fill(self, count):
        job = Job(
            model_name="m",
            customer="c",
            kind="phone",
            connector="usb_c",
            carrier="flex",
            value=100,
            complaint="x",
            taken_in_by=self.user,
            taken_in_at=NOW,
            changed_at=NOW,
        )
        Job.objects.bulk_create(
            [Job(**{f.name: getattr(job, f.name) for f in Job._meta.fields if f.name != "id"}) for _ in range(count)]
        )

    def test_pages_take_the_same_few_queries_however_many_jobs_and_readings(self):
        short = make_job(self.user, ("port lint",))
        lines = (
            "port lint",
            "i 0.0 5.0",
            "wiggle drops",
            "flip same",
            "inside clean",
            "joint firm",
            "try swap_carrier no",
        )
        long = make_job(self.user, lines)
        self.fill(60)
        self.client.get(long.get_absolute_url())
        for job in (short, long):
            with self.assertNumQueries(7):
                self.client.get(job.get_absolute_url())
            with self.assertNumQueries(7):
                self.client.get(self.url("record", job.pk))
        while keep_up(Shop.current(), 100):
            pass
        with self.assertNumQueries(6):
            self.assertContains(self.client.get("/"), "1 / 2")


class CaseFiles(Signed):
    def upload(self, content, name="case.json"):
        file = SimpleUploadedFile(name, content)
        return self.client.post(
            self.url("exchange:case"), {"file": file, "model_name": "Hestral Tab 10", "customer": "school"}
        )

    def test_what_is_imported_is_exported_again(self):
        self.upload(json.dumps(EXAMPLE).encode())
        job = Job.objects.get()
        self.assertEqual(job.stage, Stage.CLOSED)
        again = self.client.get(self.url("exchange:case_file", job.pk)).json()
        told = {"model": "Hestral Tab 10", "complaint": "Does not charge (imported case)", "id": str(job.case_id)}
        self.assertEqual(again | {"outcome": EXAMPLE["outcome"]}, EXAMPLE | told)

    def test_a_copy_keeps_its_id_is_named_and_teaches_once(self):
        self.upload(json.dumps(EXAMPLE).encode())
        first = Job.objects.get()
        taken = self.client.get(self.url("exchange:case_file", first.pk)).content
        for copy in (json.dumps(EXAMPLE).encode(), taken):
            page = self.client.get(self.upload(copy).url)
            self.assertContains(page, f"here already, as job {first.pk}")
        self.assertEqual(set(Job.objects.values_list("case_id", flat=True)), {first.case_id})
        self.assertEqual((Job.objects.count(), Learned.objects.first().jobs), (3, 1))
        other = {**EXAMPLE, "history": []}
        self.upload(json.dumps(other).encode())
        self.assertEqual(Learned.objects.first().jobs, 2)

    def test_an_open_case_goes_on_where_its_evidence_ends(self):
        data = {key: value for key, value in EXAMPLE.items() if key != "outcome"}
        self.assertRedirects(self.upload(json.dumps(data).encode()), Job.objects.get().get_absolute_url())
        self.assertNotIn(Job.objects.get().stage, (Stage.CLOSED, Stage.TAKE_IN))

    def test_a_bad_file_says_where_and_stores_nothing(self):
        bad = json.dumps(EXAMPLE).replace('"usb_c"', '"round"')
        response = self.upload(bad.encode())
        self.assertContains(response, "$.device.connector", status_code=422)
        self.assertContains(response, "usb_c, micro_b, eight_pad", status_code=422)
        self.assertContains(self.upload(b""), "empty", status_code=422)
        self.assertFalse(Job.objects.exists())

    def test_what_has_no_meaning_is_said_and_kept_in_the_log(self):
        data = {**EXAMPLE, "shop": "elsewhere"}
        del data["outcome"]
        file = SimpleUploadedFile("case.json", json.dumps(data).encode())
        details = {"file": file, "model_name": "Hestral Tab 10", "customer": "school"}
        response = self.client.post(self.url("exchange:case"), details, follow=True)
        self.assertContains(response, "$.shop")
        self.assertTrue(Entry.objects.filter(name="import", text__contains="$.shop").exists())

    def test_fifty_megabytes_are_refused_in_words(self):
        response = self.upload(b"x" * 50_000_000)
        self.assertContains(response, "too large", status_code=422)
        self.assertContains(response, "up to 2 MB", status_code=422)

    def test_appraise_prints_one_entry_a_file_in_order_and_fails_for_a_bad_one(self):
        with tempfile.TemporaryDirectory() as folder:
            good, bad, gone = (Path(folder) / name for name in ("b-good.json", "a-bad.json", "gone.json"))
            good.write_text(json.dumps(EXAMPLE))
            bad.write_text(json.dumps(EXAMPLE).replace("port_look", "port_luck"))
            out, err = io.StringIO(), io.StringIO()
            with self.assertRaises(SystemExit) as caught:
                call_command("appraise", str(good), str(bad), str(gone), "--json", stdout=out, stderr=err)
            self.assertEqual(caught.exception.code, 1)
            entries = json.loads(out.getvalue())
            self.assertEqual([entry["case"] for entry in entries], ["b-good", "a-bad", "gone"])
            self.assertEqual([set(entry) for entry in entries[1:]], [{"case", "error"}] * 2)
            self.assertIn('$.events[1].check: "port_luck" is not known; allowed: port_look', entries[1]["error"])
            self.assertIn("port_luck", err.getvalue())
            out = io.StringIO()
            call_command("appraise", str(good), stdout=out, stderr=err)
            self.assertIn("next:", out.getvalue())


class Production(TestCase):
    def run_check(self, **environment):
        clean = {key: value for key, value in os.environ.items() if not key.startswith(("RAINFRONT", "DJANGO"))}
        command = [
            sys.executable,
            "manage.py",
            "check",
            "--deploy",
            "--fail-level",
            "WARNING",
            "--settings",
            "rainfront.settings.production",
        ]
        return subprocess.run(
            command, cwd=ROOT, env={**clean, **environment}, capture_output=True, text=True, check=False
        )

    def test_refuses_to_start_without_its_environment_and_passes_the_deploy_check_with_it(self):
        bare = self.run_check()
        self.assertNotEqual(bare.returncode, 0)
        for name in ("RAINFRONT_SECRET_KEY", "RAINFRONT_ALLOWED_HOSTS", "RAINFRONT_DATABASE"):
            self.assertIn(name, bare.stderr)
        with tempfile.TemporaryDirectory() as folder:
            key = "k3y-" + "abcdefghij0123456789" * 3
            ready = self.run_check(
                RAINFRONT_SECRET_KEY=key,
                RAINFRONT_ALLOWED_HOSTS="bench.example",
                RAINFRONT_DATABASE=f"{folder}/db.sqlite3",
            )
        self.assertEqual(ready.returncode, 0, ready.stderr)
