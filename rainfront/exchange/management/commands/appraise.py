"""Appraise case files: ranked faults, next step, ranked routes."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from chargepath.case.file import MAX_BYTES
from chargepath.decision.appraisal import appraise_text
from chargepath.knowledge import Knowledge
from chargepath.knowledge.book import HAND_OVER
from rainfront.workshop.adapters import Shop


def _next_in_words(known: Knowledge, step: dict[str, Any]) -> str:
    """What `next` of an entry says, as a line for people: the act, its minutes, its saving, the question after it."""
    if step["kind"] == HAND_OVER:
        return "hand it over, nothing is left to do"
    label = (known.checks if step["kind"] == "check" else known.routes)[step["id"]].label
    words = f"{step['kind']} {label} ({step['id']}), {step['minutes']:g} min"
    if step["saves"] is None:
        return f"{words}, out of the danger"
    words += f", saves {step['saves']:.2f}"
    return f"{words} with {step['then']} after it, {step['alone']:.2f} alone" if step["then"] else words


class Command(BaseCommand):
    """Print an appraisal for each case file, in the order given."""

    help = "Appraise case files (see docs/appraise.md). Exit status 1 where any file could not be read."
    requires_system_checks: list[str] = []
    known: Knowledge

    def add_arguments(self, parser: CommandParser) -> None:
        """Files and --json."""
        parser.add_argument("files", nargs="+", metavar="FILE", help="case files (JSON)")
        parser.add_argument("--json", action="store_true", dest="as_json", help="print the stable JSON list")
        parser.add_argument("--shop", action="store_true", help="by this shop's numbers; else by those that ship")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run; never stops at a bad file."""
        shop = Shop.current() if options["shop"] else Shop.as_shipped()
        self.known, results = shop.known, []
        for name in options["files"]:
            path = Path(name)
            entry = self._appraise(path)
            results.append(entry)
            if "error" in entry:
                self.stderr.write(f"{name}: {entry['error']}")
            elif not options["as_json"]:
                self._print(entry)
        if options["as_json"]:
            self.stdout.write(json.dumps(results, indent=2, ensure_ascii=False))
        if any("error" in entry for entry in results):
            sys.exit(1)

    def _appraise(self, path: Path) -> dict[str, Any]:
        try:
            with path.open("rb") as file:
                text = file.read(MAX_BYTES + 1)
        except OSError as error:
            return {"case": path.stem, "error": f"$: cannot be read ({error.strerror}); give the path of a case file"}
        entry, case = appraise_text(path.stem, text, self.known)
        if case is not None and case.ignored:
            self.stderr.write(f"{path}: without meaning here and left out: {', '.join(case.ignored)}")
        return entry

    def _print(self, entry: dict[str, Any]) -> None:
        known = self.known
        self.stdout.write(entry["case"])
        for fault in entry["faults"][:6]:
            self.stdout.write(f"  {fault['probability']:6.1%}  {known.faults[fault['id']].label} ({fault['id']})")
        step = entry["next"]
        for danger in entry["dangers"]:
            self.stdout.write(f"  danger: {known.hazards[danger].label} ({danger})")
        self.stdout.write(f"  next: {_next_in_words(known, step)}")
        for route in entry["routes"][:6]:
            label = known.routes[route["id"]].label
            self.stdout.write(f"  {route['cure']:6.1%}  {route['cost']:8.2f}  {label} ({route['id']})")
