"""Every worked example in the core's docstrings holds."""

import doctest
import importlib
import pkgutil

from django.test import SimpleTestCase

import chargepath


class WorkedExamples(SimpleTestCase):
    def test_every_example_in_a_docstring_is_what_the_program_says(self):
        ran = 0
        for module in pkgutil.walk_packages(chargepath.__path__, "chargepath."):
            with self.subTest(module=module.name):
                said = []
                finder, runner = doctest.DocTestFinder(), doctest.DocTestRunner(verbose=False)
                for example in finder.find(importlib.import_module(module.name)):
                    runner.run(example, out=said.append)
                self.assertEqual(runner.failures, 0, "".join(said))
                ran += runner.tries
        self.assertGreater(ran, 40)
