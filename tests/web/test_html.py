"""Every page: valid HTML by a checker of its own (html-validate, npm, standard rules), and shown read-only as well."""

import json
import subprocess
import tempfile
from collections import Counter
from contextlib import suppress
from pathlib import Path

from django.db import IntegrityError, connection, transaction
from django.db.models import CharField
from django.test import TestCase
from django.urls import reverse_lazy
from django.utils import timezone

from bench.filling import fill
from rainfront.demo.play import load_demo
from rainfront.exchange.ids import refuse_unknown
from rainfront.exchange.shape import ArchiveError, fields_of, name_of, tables
from rainfront.people.models import User
from rainfront.web.fields import is_typed
from tests.builders import empty_files
from tests.links import kind_of, links_in
from tests.runner import ROOT
from tests.sizes import exhaustive, sized

CHECKER = ROOT / "node_modules" / ".bin" / "html-validate"
# Of each kind of page so many are checked.
OF_A_KIND = sized(1, 6)
BEGIN = ("/", "/?stage=closed", "/?q=nobody", "/jobs/401/?station=port", *(f"/jobs/{job}/" for job in range(401, 422)))
# What prepares something by being opened: a key for time codes.
WRITES = (reverse_lazy("people:time_codes"),)


class EveryPage(TestCase):
    @classmethod
    def setUpTestData(cls):
        empty_files()
        load_demo(now=timezone.now())
        cls.owner = User.objects.get(username="owner")

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

    def pages(self):
        """Address and text of each page."""
        for path, answer in self.answers():
            if answer.status_code == 200 and answer["Content-Type"].startswith("text/html"):
                yield path, answer.content.decode()

    def test_every_page_is_shown_where_nothing_can_be_written(self):
        self.client.force_login(self.owner)
        connection.connection.execute("PRAGMA query_only = ON")
        self.addCleanup(connection.connection.execute, "PRAGMA query_only = OFF")
        wrong = [f"{path}: {answer.status_code}" for path, answer in self.answers(WRITES) if answer.status_code >= 500]
        self.assertEqual(wrong, [])

    @exhaustive
    def test_an_id_that_is_not_known_is_refused_with_its_archive_or_shown(self):
        self.client.force_login(self.owner)
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

    def test_the_shop_that_the_figures_are_taken_from_can_be_filled(self):
        made = fill(1000)
        self.assertGreater(made["jobs"], 600)
        self.assertGreater(made["entries"], 10 * made["jobs"])

    def test_every_page_of_the_demo_passes(self):
        self.client.force_login(self.owner)
        self.assertTrue(CHECKER.exists(), "make dev installs html-validate; it needs node and npm")
        with tempfile.TemporaryDirectory() as folder:
            paths, unguided = {}, []
            for number, (path, text) in enumerate(self.pages()):
                file = Path(folder) / f"{number}.html"
                file.write_text(text, encoding="utf-8")
                paths[str(file)] = path
                if '<main id="main"' in text and 'id="guide"' not in text:
                    unguided.append(path)
            program = [str(CHECKER), "--config", str(ROOT / ".htmlvalidate.json"), "--formatter", "json", folder]
            said = subprocess.run(program, capture_output=True, text=True, check=False, cwd=ROOT)
        self.assertGreater(len(paths), 60)
        self.assertEqual(unguided, [], "these pages have no guide (guides.toml)")
        found = [
            f"{paths[row['filePath']]} line {one['line']}: {one['ruleId']}: {one['message']}"
            for row in json.loads(said.stdout)
            for one in row["messages"]
        ]
        self.assertEqual(found, [], "\n".join(found[:40]))
