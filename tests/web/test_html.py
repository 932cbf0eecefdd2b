"""Every page is valid HTML by a checker of its own: html-validate (npm) with its standard rules."""

import json
import subprocess
import tempfile
from collections import Counter
from pathlib import Path

from django.test import Client, TestCase
from django.utils import timezone

from rainfront.demo.play import load_demo
from rainfront.people.models import User
from tests.links import kind_of, links_in
from tests.runner import ROOT
from tests.sizes import sized

CHECKER = ROOT / "node_modules" / ".bin" / "html-validate"
# Of each kind of page so many are checked.
OF_A_KIND = sized(1, 6)
BEGIN = ("/", "/?stage=closed", "/?q=nobody", "/jobs/401/?station=port", *(f"/jobs/{job}/" for job in range(401, 422)))


class ValidHtml(TestCase):
    @classmethod
    def setUpTestData(cls):
        load_demo(now=timezone.now())
        cls.owner = User.objects.get(username="owner")

    def pages(self):
        """Pages of the demo, found by their links: address and text."""
        client, seen, kinds, queue = Client(), set(), Counter(), list(BEGIN)
        client.force_login(self.owner)
        while queue:
            path = queue.pop(0)
            if path in seen or "sign-out" in path or kinds[kind_of(path)] >= OF_A_KIND:
                continue
            seen.add(path)
            kinds[kind_of(path)] += 1
            answer = client.get(path)
            if answer.status_code == 200 and answer["Content-Type"].startswith("text/html"):
                text = answer.content.decode()
                yield path, text
                queue += links_in(text)

    def test_every_page_of_the_demo_passes(self):
        self.assertTrue(CHECKER.exists(), "make dev installs html-validate; it needs node and npm")
        with tempfile.TemporaryDirectory() as folder:
            paths = {}
            for number, (path, text) in enumerate(self.pages()):
                file = Path(folder) / f"{number}.html"
                file.write_text(text, encoding="utf-8")
                paths[str(file)] = path
            program = [str(CHECKER), "--config", str(ROOT / ".htmlvalidate.json"), "--formatter", "json", folder]
            said = subprocess.run(program, capture_output=True, text=True, check=False, cwd=ROOT)
        self.assertGreater(len(paths), 60)
        found = [
            f"{paths[row['filePath']]} line {one['line']}: {one['ruleId']}: {one['message']}"
            for row in json.loads(said.stdout)
            for one in row["messages"]
        ]
        self.assertEqual(found, [], "\n".join(found[:40]))
