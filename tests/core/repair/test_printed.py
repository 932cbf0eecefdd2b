"""Printed plans: what the hands are told, kept as texts so that a person reads each change before it lands."""

from django.test import SimpleTestCase

from chargepath.knowledge.loader import shipped
from tests.printed import FOLDER, PLANS, path_of, printed


class PrintedPlans(SimpleTestCase):
    def test_they_read_as_they_were_read_aloud(self):
        """After a change that is meant: `python -m tests.printed`, then read the difference aloud."""
        for name in PLANS:
            with self.subTest(plan=name):
                self.assertEqual(printed(shipped(), name), path_of(name).read_text(encoding="utf-8"))
        self.assertEqual({path.name for path in FOLDER.iterdir()}, {path_of(name).name for name in PLANS})

    def test_nearly_every_step_stands_in_one_of_them(self):
        told = "".join(path_of(name).read_text(encoding="utf-8") for name in PLANS)
        words = " ".join(told.split())
        steps = list(shipped().procedures.steps())
        read = [step.id for step in steps if " ".join(step.do.split()) in words]
        self.assertGreater(len(read) / len(steps), 0.5)
