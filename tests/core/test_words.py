"""One name for one thing, in every text that a person may read: knowledge, templates, sentences in the code."""

import ast
import re
import tomllib
from collections.abc import Iterator
from pathlib import Path

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parents[2]
# Words that are not said any more, each with what is said instead.
GONE = {
    r"\bguard\b": "input protection",
    r"\bcarriers?\b": "sub-board or port flex",
    r"\b(carrier|board) end of the link\b|\blink (is )?(open|unplugged)\b": "board connector",
    r"\b(port|charge) chips?\b|\bcharge controllers?\b|\bthe controller\b": "port IC, charging IC",
    r"\bbattery (link|socket)\b": "battery connector",
    r"\bsense lines?\b": "battery data line",
    r"\b(confused firmware|fouled port)\b": "firmware hang, dirty port",
    r"\bstanding (draw|current)\b|\bquiet on the supply\b": "leakage current",
    r"\bshaken\b": "wiggle test",
    r"\b(rungs?|hops?)\b": "test point, section",
    r"\bbears\b|\bmoves after\b|\bplastic core\b": "limit, melts after, plastic tongue",
    r"\baerials?\b": "antenna",
    r"\bfetched\b": "collected",
    r"\b(taken in|stands at|as it came|as it goes)\b": "received, stage, before, after",
    r"\bmend(s|ed)?\b|\bswarf\b": "repair, metal chips",
    r"\b(cold bath|patience)\b|\blist comes out empty\b": "ultrasonic bath, unheated",
    r"\balcohol\b": "isopropanol",
    r"\brenew\b": "replace",
}


def texts_of(value: object) -> Iterator[str]:
    """Every text inside a table of the knowledge that is no id."""
    if isinstance(value, str):
        if " " in value or value[:1].isupper():
            yield value
    elif isinstance(value, dict):
        for inner in value.values():
            yield from texts_of(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from texts_of(inner)


def sentences_of(source: str) -> Iterator[str]:
    """Every string of two words or more in a module, without its docstrings."""
    tree = ast.parse(source)
    told = {
        node.body[0].value
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and node not in told
            and " " in node.value
            and "[[" not in node.value
        ):
            yield node.value


def read_by_people() -> Iterator[tuple[str, str]]:
    """Where a text stands, and the text."""
    for path in sorted((ROOT / "chargepath" / "knowledge" / "data").glob("*.toml")):
        for text in texts_of(tomllib.loads(path.read_text(encoding="utf-8"))):
            yield path.name, text
    for path in sorted((ROOT / "rainfront").rglob("*.html")):
        bare = re.sub(r"\{[%#].*?[%#]\}|\{\{.*?\}\}|<[^>]*>", " ", path.read_text(encoding="utf-8"), flags=re.S)
        yield path.name, bare
    for room in ("rainfront", "chargepath"):
        for path in sorted((ROOT / room).rglob("*.py")):
            if not {"migrations", "standin", "demo"} & set(path.parts):
                for text in sentences_of(path.read_text(encoding="utf-8")):
                    yield path.name, text


class OneNameForOneThing(SimpleTestCase):
    def test_no_text_says_a_word_that_has_another_name_now(self):
        found, read = [], 0
        for where, text in read_by_people():
            read += 1
            for gone, instead in GONE.items():
                said = re.search(gone, text, re.IGNORECASE)
                if said:
                    found.append(f"{where}: '{said[0]}' in '{text.strip()[:60]}', say {instead}")
        self.assertEqual(found, [])
        self.assertGreater(read, 3000)
