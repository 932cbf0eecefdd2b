"""What the loader says of broken knowledge; the charge line's geometry."""

import shutil
import tempfile
from pathlib import Path
from unittest import mock

from django.apps import apps
from django.core.exceptions import ImproperlyConfigured
from django.test import SimpleTestCase

from chargepath.base.errors import KnowledgeError
from chargepath.knowledge.loader import DATA, load
from rainfront.web.scenes.charge_line import draw


class BrokenKnowledge(SimpleTestCase):
    def problems(self, **changes):
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(DATA, folder, dirs_exist_ok=True)
            for stem, (old, new) in changes.items():
                path = Path(folder) / f"{stem}.toml"
                text = path.read_text(encoding="utf-8")
                self.assertIn(old, text)
                path.write_text(text.replace(old, new, 1), encoding="utf-8")
            with self.assertRaises(KnowledgeError) as caught:
                load(Path(folder))
            return caught.exception.problems

    def test_every_problem_is_collected_with_file_table_and_key(self):
        found = self.problems(
            faults=("charge_wait = { no_rise = 0.70 }", 'charge_wait = { no_rise = "maybe" }'),
            checks=("minutes = 2", 'minutes = "two"'),
            routes=("cures = { port_fouled = 0.88,", "cures = { port_foul = 0.88,"),
        )
        text = "\n".join(found)
        self.assertIn(
            "faults.toml [port_fouled].grades.charge_wait.no_rise: must be a number from 0 to 1 or one of", text
        )
        self.assertIn("checks.toml [port_look].minutes: must be a number", text)
        self.assertIn("routes.toml [clean_port].cures: 'port_foul' is not known; allowed are source_weak", text)

    def test_other_breaks(self):
        rows = [
            ({"scale": ("[words]", "[words")}, "scale.toml: not readable as TOML"),
            ({"faults": ('basis = "practice"', "")}, "faults.toml [source_weak].basis: every number needs a basis"),
            ({"checks": ("steady = 0.96", "steady = 0.90")}, "must add up to 1"),
            ({"checks": ('word = "flip"', 'word = "port"')}, "'port' stands for something else already"),
            ({"faults": ("reduced = 0.20, cycling = 0.08", "reduced = 0.90, cycling = 0.08")}, "they may not pass 1"),
            ({"procedures": ('caution = ["airblow"]', 'caution = ["dragons"]')}, "'dragons' is not known"),
        ]
        for changes, message in rows:
            with self.subTest(message=message):
                self.assertIn(message, "\n".join(self.problems(**changes)))

    def test_a_missing_file_is_named(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            self.assertRaisesMessage(KnowledgeError, "routes.toml: the file is missing"),
        ):
            load(Path(folder))


class Starting(SimpleTestCase):
    def test_the_program_refuses_to_start_with_knowledge_that_does_not_hold_together(self):
        config = apps.get_app_config("workshop")
        problem = KnowledgeError(["faults.toml [port_worn].weight: must be a number"])
        with (
            mock.patch("rainfront.workshop.apps.shipped", side_effect=problem),
            self.assertRaises(ImproperlyConfigured) as caught,
        ):
            config.ready()
        self.assertIn("faults.toml [port_worn].weight: must be a number", str(caught.exception))


class ChargeLine(SimpleTestCase):
    def test_levels_marks_and_words(self):
        stations = {"source": "Charger", "port": "Port"}
        scene = draw(stations, {"source": 0.25, "port": 0.999}, {"port": "short"}, "port", frozenset())
        source, port = scene.gauges
        self.assertEqual((source.level_h, source.percent, source.mark), ("11.5", "25%", "none"))
        self.assertEqual((port.percent, port.title, port.selected), (">99%", "Port: >99%, shorted", True))
        self.assertGreater(len(port.drops), len(source.drops))
        self.assertEqual(scene.title, "Charge line, most rain at Port (>99%)")
        self.assertNotIn(",", scene.tube_x + source.level_y)
