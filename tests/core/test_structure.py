"""What the code's structure promises: no circle among the modules of the core, no name for two classes."""

import ast
from collections import defaultdict
from graphlib import CycleError, TopologicalSorter

from django.test import SimpleTestCase

from tests.runner import ROOT

# A drawing is read with its module's name (`charge_line.Scene`); Django finds a command by this name.
BY_MODULE = ("rainfront/web/scenes/", "/management/commands/")


def modules(folder):
    """Source trees of the modules under a folder, by their dotted names; migrations left out."""
    for path in sorted((ROOT / folder).rglob("*.py")):
        if "migrations" not in path.parts:
            name = ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")
            yield name, path.relative_to(ROOT).as_posix(), ast.parse(path.read_text(encoding="utf-8"))


class Core(SimpleTestCase):
    def test_no_module_imports_itself_over_others_not_even_for_its_types(self):
        trees = {name: tree for name, _, tree in modules("chargepath")}
        needs = {}
        for name, tree in trees.items():
            found = [node for node in ast.walk(tree) if isinstance(node, ast.ImportFrom) and node.module]
            asked = {node.module for node in found}
            asked |= {f"{node.module}.{one.name}" for node in found for one in node.names}
            needs[name] = asked & trees.keys()
        try:
            TopologicalSorter(needs).prepare()
        except CycleError as error:
            self.fail(" imports ".join(error.args[1]))


class Writes(SimpleTestCase):
    # What these do is files, or opens its transaction itself once that is done: a picture is decoded before the lock.
    FILES = {"want_archive", "remove_archive", "import_shop", "backup_now", "keep_photo", "merge_references"} | {
        "add_picture"
    }

    def test_every_write_that_asks_for_a_right_is_one_transaction(self):
        """A form's key is stored with what it speaks of; a bare INSERT is still open where that commits, and fails."""
        bare = []
        for _, path, tree in modules("rainfront"):
            for node in ast.walk(tree):
                if not isinstance(node, ast.FunctionDef):
                    continue
                asks = [ast.unparse(one) for one in node.decorator_list]
                if any(text.startswith("needs(") for text in asks) and node.name not in self.FILES:
                    text = ast.unparse(node)
                    if not any(opens in text for opens in ("transaction.atomic", "open_job(", "new_edition")):
                        bare.append(f"{path}:{node.lineno} {node.name}")
        self.assertEqual(bare, [])


class OfTests(SimpleTestCase):
    def test_a_class_opens_the_database_last(self):
        """A set-up that fails once its transaction is open leaves that open: its rows stay for every later class."""
        other = []
        for _, path, tree in modules("tests"):
            for node in ast.walk(tree):
                named = isinstance(node, ast.FunctionDef) and node.name == "setUpClass"
                if named and ast.unparse(node.body[-1]) != "super().setUpClass()":
                    other.append(f"{path}:{node.lineno}")
        self.assertEqual(other, [])


class Names(SimpleTestCase):
    def test_a_class_has_one_meaning(self):
        places = defaultdict(set)
        for folder in ("chargepath", "rainfront"):
            for _, path, tree in modules(folder):
                if not any(part in path for part in BY_MODULE):
                    for node in tree.body:
                        if isinstance(node, ast.ClassDef):
                            places[node.name].add(path)
        twice = {name: sorted(found) for name, found in places.items() if len(found) > 1}
        self.assertEqual(twice, {})

    def test_no_class_of_many_fields_is_built_by_position(self):
        """Five values or fewer may be told apart by their order."""
        trees = [(path, tree) for folder in ("chargepath", "rainfront") for _, path, tree in modules(folder)]
        ours = {node.name for _, tree in trees for node in tree.body if isinstance(node, ast.ClassDef)}
        found = [
            f"{path}:{node.lineno} {node.func.id}"
            for path, tree in trees
            for node in ast.walk(tree)
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ours
            if len(node.args) > 5
        ]
        self.assertEqual(found, [])
