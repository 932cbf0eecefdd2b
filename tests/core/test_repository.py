"""What the repository promises about itself: documents that match the program, pins, no host names."""

import json
import os
import re
import shutil
import socket
import subprocess
import sys
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from bench.defects import ROOMS, defects, misplaced
from chargepath.decision.appraisal import appraise_text
from chargepath.knowledge.loader import shipped

ROOT = Path(__file__).parents[2]


def tracked() -> list[Path]:
    found = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
    return [ROOT / name for name in found if name and (ROOT / name).is_file()]


class Documents(SimpleTestCase):
    def test_every_link_and_picture_leads_somewhere(self):
        for page in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]:
            for target in re.findall(r"\]\(([^)#]+)\)", page.read_text(encoding="utf-8")):
                with self.subTest(page=page.name, target=target):
                    self.assertTrue((page.parent / target).exists())

    def test_every_file_that_a_document_names_is_there(self):
        for page in [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]:
            text = re.sub(r"```.*?```", "", page.read_text(encoding="utf-8"), flags=re.S)
            for name in re.findall(r"`((?:chargepath|rainfront|tests|bench|docs|scripts)/[\w./-]+)`", text):
                if "gallery" not in name:  # the page that CONTRIBUTING adds
                    with self.subTest(page=page.name, name=name):
                        self.assertTrue((ROOT / name).exists())

    def test_every_screenshot_is_linked_from_the_readme(self):
        readme = (ROOT / "README.md").read_text(encoding="utf-8")
        shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertLess(len(shots), 20)
        for shot in shots:
            self.assertIn(f"docs/screenshots/{shot.name}", readme)

    def test_the_example_in_the_appraise_page_is_what_the_program_says(self):
        text = (ROOT / "docs" / "appraise.md").read_text(encoding="utf-8")
        entry, _ = appraise_text("example.case", (ROOT / "docs" / "example.case.json").read_bytes(), shipped())
        for shown in (entry["faults"][0], entry["next"], entry["routes"][0]):
            self.assertIn(json.dumps(shown), text)

    def test_the_worked_example_in_the_readme_is_what_the_program_says(self):
        readme = " ".join((ROOT / "README.md").read_text(encoding="utf-8").split())
        entry, _ = appraise_text("example.case", (ROOT / "docs" / "example.case.json").read_bytes(), shipped())
        for fault, words in zip(entry["faults"], ("port IC", "charging IC", "a battery data line"), strict=False):
            self.assertIn(f"{words} {fault['probability']:.0%}".replace("%", " %"), readme)
        self.assertIn(
            f"costs five minutes, putting it together for that included, and saves {entry['next']['saves']:.0f}", readme
        )

    def test_simulated_devices_have_the_knowledges_faults_and_the_meter_protocol_names_them(self):
        from chargepath.standin.device import UNPLUGGED
        from chargepath.standin.faults import BY_NAME, FAULTS
        from chargepath.standin.parts import COMES_IN

        page = (ROOT / "docs" / "instrument-protocols.md").read_text(encoding="utf-8")
        known = shipped()
        self.assertEqual(set(FAULTS), set(known.faults))
        self.assertEqual(set(COMES_IN), set(known.faults))
        self.assertEqual(set(UNPLUGGED), set(known.checks["draw_unplugged"].signs))
        for name in BY_NAME:
            self.assertIn(f"`{name}`", page)


class SetUp(SimpleTestCase):
    def run_script(self, *command, **environment):
        return subprocess.run(
            command, cwd=ROOT, capture_output=True, text=True, check=False, env={**os.environ, **environment}
        )

    def test_a_second_set_up_is_quiet_and_changes_nothing(self):
        first = self.run_script("scripts/setup.sh", "dev")
        second = self.run_script("scripts/setup.sh", "base")
        self.assertEqual((first.returncode, second.returncode, second.stdout, second.stderr), (0, 0, "", ""))

    def test_without_the_right_python_it_says_what_to_install(self):
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(ROOT / "scripts", Path(folder) / "scripts")
            shutil.copytree(ROOT / "requirements", Path(folder) / "requirements")
            done = subprocess.run(
                [Path(folder) / "scripts" / "setup.sh"],
                env={**os.environ, "PYTHON": "python-of-nowhere"},
                capture_output=True,
                text=True,
                check=False,
            )
        self.assertEqual(done.returncode, 1)
        self.assertIn("Python 3.11 is needed", done.stderr)

    def test_a_port_in_use_is_passed_over(self):
        with socket.create_server(("127.0.0.1", 0)) as taken:
            port = taken.getsockname()[1]
            found = self.run_script(sys.executable, "scripts/free_port.py", str(port))
        self.assertGreater(int(found.stdout), port)


class Pins(SimpleTestCase):
    def test_every_requirement_is_pinned_with_a_hash(self):
        for name in ("base", "dev"):
            lines = (ROOT / "requirements" / f"{name}.txt").read_text(encoding="utf-8").splitlines()
            packages = [line for line in lines if re.match(r"[A-Za-z]", line)]
            self.assertTrue(packages)
            for line in packages:
                self.assertRegex(line, r"^[A-Za-z0-9._-]+==\S+ \\$")
            self.assertGreaterEqual(sum("--hash=sha256:" in line for line in lines), len(packages))

    def test_vendored_files_are_listed_with_the_versions_that_are_asked_for(self):
        asked = json.loads((ROOT / "package.json").read_text(encoding="utf-8"))["dependencies"]
        listed = (ROOT / "rainfront" / "web" / "static" / "vendor" / "README.md").read_text(encoding="utf-8")
        for package, version in asked.items():
            self.assertIn(f"| {package} | {version} |", listed)

    def test_no_committed_file_names_a_package_host(self):
        hosts = re.compile(
            "|".join(["python" + "hosted", "pypi" + r"\.org", "registry" + r"\.npmjs", "deb" + r"\.debian\.org"])
        )
        for path in tracked():
            if path.suffix in (".png", ".woff2"):
                continue
            with self.subTest(path=path.name):
                self.assertIsNone(hosts.search(path.read_text(encoding="utf-8", errors="ignore")))


class PlantedDefects(SimpleTestCase):
    def test_each_still_has_its_place_once_and_changes_something(self):
        """What `make defects` plants: a table that has come apart from the code would catch nothing."""
        table = defects()
        self.assertGreaterEqual(len(table), 80)
        self.assertEqual(misplaced(table), [])
        self.assertEqual([defect.name for defect in table if defect.find == defect.put], [])

    def test_the_tests_of_every_room_of_the_core_are_asked(self):
        rooms = {path.name for path in (ROOT / "tests" / "core").iterdir() if (path / "__init__.py").exists()}
        self.assertEqual({*ROOMS}, rooms)
