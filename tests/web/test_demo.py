"""The demo as a whole: what is in it, what its tables give, and every page of it.

Pages are valid HTML by a checker of its own (html-validate, npm, standard rules), and shown read-only as well.
"""

import csv
import io
import json
import subprocess
import tempfile
from collections import Counter, defaultdict
from contextlib import suppress
from pathlib import Path

from django.db import IntegrityError, connection, transaction
from django.db.models import CharField, Count
from django.test import TestCase
from django.urls import reverse, reverse_lazy
from django.utils import timezone

from bench.filling import fill
from rainfront.demo.play import load_demo
from rainfront.exchange.ids import refuse_unknown
from rainfront.exchange.shape import ArchiveError, fields_of, name_of, tables
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.people.models import User
from rainfront.web.fields import is_typed
from rainfront.workshop.models import Learned
from tests.builders import empty_files
from tests.links import kind_of, links_in
from tests.runner import ROOT
from tests.sizes import exhaustive, sized
from tests.web.test_exchange import figures

CHECKER = ROOT / "node_modules" / ".bin" / "html-validate"
# Of each kind of page so many are checked.
OF_A_KIND = sized(1, 6)
BEGIN = ("/", "/?stage=closed", "/?q=nobody", "/jobs/401/?station=port", *(f"/jobs/{job}/" for job in range(401, 422)))
# What prepares something by being opened: a key for time codes.
WRITES = (reverse_lazy("people:time_codes"),)


class WholeDemo(TestCase):
    @classmethod
    def setUpTestData(cls):
        empty_files()
        cls.made = load_demo(now=timezone.now())
        cls.owner = User.objects.get(username="owner")

    def setUp(self):
        self.client.force_login(self.owner)

    def answers(self, left_out=()):
        """Pages of the demo, found by their links: address and answer."""
        client, seen, kinds, queue = self.client, set(), Counter(), list(BEGIN)
        while queue:
            path = queue.pop(0)
            if path in seen or path in left_out or "sign-out" in path or kinds[kind_of(path)] >= OF_A_KIND:
                continue
            seen.add(path)
            kinds[kind_of(path)] += 1
            answer = client.get(path)
            if answer.status_code == 200 and answer["Content-Type"].startswith("text/html"):
                queue += links_in(answer.content.decode())
            yield path, answer

    def read_only(self):
        """The same where nothing can be written, but for what prepares something; that comes last, written."""
        connection.connection.execute("PRAGMA query_only = ON")
        try:
            yield from self.answers(WRITES)
        finally:
            connection.connection.execute("PRAGMA query_only = OFF")
        for path in map(str, WRITES):
            yield path, self.client.get(path)

    @exhaustive
    def test_an_id_that_is_not_known_is_refused_with_its_archive_or_shown(self):
        self.client.raise_request_exception = False
        bad = []
        for model in tables():
            for field in fields_of(model):
                if not isinstance(field, CharField) or field.choices or is_typed(field):
                    continue
                if field.unique or name_of(model) == "people.user":
                    continue
                value = "toaster"[: field.max_length]
                with transaction.atomic():
                    rows = model._base_manager.exclude(**{field.name: ""}).order_by("-pk")
                    for row in rows.values()[:300]:
                        with suppress(ArchiveError, IntegrityError), transaction.atomic():
                            refuse_unknown(name_of(model), {**row, field.name: value})
                            model._base_manager.filter(pk=row[model._meta.pk.attname]).update(**{field.name: value})
                    wrong = [path for path, answer in self.answers(WRITES) if answer.status_code >= 500]
                    bad += [f"{name_of(model)}.{field.name}: {', '.join(wrong[:3])}"] if wrong else []
                    transaction.set_rollback(True)
        self.assertEqual(bad, [])

    def test_the_demo_has_jobs_at_every_stage_and_is_loaded_once(self):
        self.assertGreaterEqual(self.made, 300)
        self.assertEqual(load_demo(now=timezone.now()), 0)
        stages = set(Job.objects.values_list("stage", flat=True))
        self.assertEqual(stages, set(Stage.values) - {Stage.TAKE_IN})
        self.assertTrue(Entry.objects.filter(kind="try").exists())
        # Nobody proves a device again and again that has not charged.
        again = Entry.objects.filter(kind="repair", name="prove").values("job").annotate(n=Count("pk")).filter(n__gt=2)
        self.assertEqual(list(again), [])
        signed = self.client.post("/people/sign-in/", {"username": "tech", "password": "rainfront"})
        self.assertRedirects(signed, "/", fetch_redirect_response=False)
        # A year of closed jobs has taught something, and a finished repair took its part off the shelf.
        self.assertGreater(Learned.objects.first().jobs, 80)
        self.assertContains(self.client.get("/learned/"), "Numbers whose interval no longer holds what ships")
        self.assertContains(self.client.get("/stock/"), "used, ")

    def test_the_shop_that_the_figures_are_taken_from_can_be_filled(self):
        made = fill(1000)
        self.assertGreater(made["jobs"], 600)
        self.assertGreater(made["entries"], 10 * made["jobs"])

    def test_every_page_is_valid_and_shown_where_nothing_can_be_written(self):
        self.assertTrue(CHECKER.exists(), "make dev installs html-validate; it needs node and npm")
        with tempfile.TemporaryDirectory() as folder:
            paths, unguided, failed = {}, [], []
            for number, (path, answer) in enumerate(self.read_only()):
                failed += [f"{path}: {answer.status_code}"] if answer.status_code >= 500 else []
                if answer.status_code != 200 or not answer["Content-Type"].startswith("text/html"):
                    continue
                text = answer.content.decode()
                file = Path(folder) / f"{number}.html"
                file.write_text(text, encoding="utf-8")
                paths[str(file)] = path
                if '<main id="main"' in text and 'id="guide"' not in text:
                    unguided.append(path)
            program = [str(CHECKER), "--config", str(ROOT / ".htmlvalidate.json"), "--formatter", "json", folder]
            said = subprocess.run(program, capture_output=True, text=True, check=False, cwd=ROOT)
        self.assertEqual(failed, [])
        self.assertGreater(len(paths), 60)
        self.assertEqual(unguided, [], "these pages have no guide (guides.toml)")
        found = [
            f"{paths[row['filePath']]} line {one['line']}: {one['ruleId']}: {one['message']}"
            for row in json.loads(said.stdout)
            for one in row["messages"]
        ]
        self.assertEqual(found, [], "\n".join(found[:40]))

    def test_insights_are_what_the_tables_give_when_somebody_else_reckons(self):
        """First-route success, come-backs, minutes and what was charged, from the CSV alone."""
        rows = {name: self.table(name) for name in ("repairs", "ended")}
        said = dict(figures())
        first = [row for row in rows["repairs"] if row["first of its job"] == "True"]
        held = [row for row in first if row["proof passed"] == "True" and row["came back"] == "False"]
        whole = dict(said["first"])["every repair"]
        self.assertEqual((whole[3], round(whole[0], 12)), (len(first), round(len(held) / len(first), 12)))
        ratios = sorted(
            float(row["took (min)"]) / float(row["planned (min)"]) for row in rows["repairs"] if row["took (min)"]
        )
        middle = (ratios[(len(ratios) - 1) // 2] + ratios[len(ratios) // 2]) / 2
        self.assertAlmostEqual(dict(said["minutes"])["every repair"][0], middle)
        gaps = [
            float(row["charged (EUR)"]) - float(row["quoted (EUR)"])
            for row in rows["ended"]
            if row["charged (EUR)"] and row["quoted (EUR)"]
        ]
        self.assertAlmostEqual(dict(said["quotes"])["charged less quoted"][0], sum(gaps) / len(gaps))
        backs = defaultdict(list)
        for row in rows["repairs"]:
            if row["proof passed"] == "True":
                backs[row["model"]].append(row["came back"] == "True")
        for name, numbers in said["back_model"]:
            self.assertAlmostEqual(numbers[0], sum(backs[name]) / len(backs[name]))
        self.assertGreater(len(first), 150)

    def table(self, name):
        raw = b"".join(self.client.get(reverse("exchange:table", args=[name, "csv"])).streaming_content).decode()
        return list(csv.DictReader(io.StringIO(raw)))
