"""Typed access to the knowledge files that collects every problem."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from chargepath.knowledge.changes import Change

Table = dict[str, Any]


class Reader:
    """Typed access to TOML tables that records each problem instead of stopping at it."""

    def __init__(self, folder: Path, changes: Iterable[Change] = ()) -> None:
        self.folder = folder
        self.changes = tuple(changes)
        self.problems: list[str] = []
        self.words: dict[str, float] = {}

    def load(self, stem: str) -> Table:
        """One file as a table; an unreadable one is a problem and an empty table."""
        path = self.folder / f"{stem}.toml"
        try:
            table = tomllib.loads(path.read_text(encoding="utf-8"))
        except FileNotFoundError:
            self.problems.append(f"{path.name}: the file is missing")
            return {}
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            self.problems.append(f"{path.name}: not readable as TOML ({error})")
            return {}
        for change in self.changes:
            if change.stem == stem and not change.put_into(table):
                self.say(f"{path.name}", f"a change names {change.path}, which is no number there")
        return table

    def say(self, where: str, what: str) -> None:
        """Record a problem."""
        self.problems.append(f"{where}: {what}")

    def only(self, table: Table, where: str, allowed: Iterable[str]) -> None:
        """Refuse keys that mean nothing here."""
        for key in table.keys() - set(allowed):
            self.say(where, f"key '{key}' is not known here; allowed are {', '.join(sorted(allowed))}")

    def table(self, table: Table, key: str, where: str) -> Table:
        """A table under a key, empty where there is none."""
        found = table.get(key, {})
        if isinstance(found, dict):
            return found
        self.say(f"{where}.{key}", "must be a table")
        return {}

    def text(self, table: Table, key: str, where: str, default: str | None = None) -> str:
        """A text; one without a default must be there and not be empty."""
        found = table.get(key, default)
        if isinstance(found, str) and (found or default is not None):
            return found
        self.say(f"{where}.{key}", "must be a text")
        return ""

    def basis(self, table: Table, where: str) -> str:
        """Where a table's numbers come from."""
        found = table.get("basis")
        if isinstance(found, str) and (found in ("practice", "memory") or found.startswith("standard: ")):
            return found
        self.say(f"{where}.basis", "every number needs a basis: 'practice', 'memory' or 'standard: <name>'")
        return ""

    def number(
        self, table: Table, key: str, where: str, low: float = 0.0, high: float = 1e6, default: float | None = None
    ) -> float:
        """A number within limits."""
        found = table.get(key, default)
        if isinstance(found, int | float) and not isinstance(found, bool) and low <= found <= high:
            return float(found)
        self.say(f"{where}.{key}", f"must be a number from {low:g} to {high:g}, not {found!r}")
        return low

    def flag(self, table: Table, key: str, where: str) -> bool:
        """True or false, false where it is not named."""
        found = table.get(key, False)
        if not isinstance(found, bool):
            self.say(f"{where}.{key}", "must be true or false")
        return bool(found)

    def texts(self, table: Table, key: str, where: str) -> tuple[str, ...]:
        """A list of texts."""
        found = table.get(key, [])
        if isinstance(found, list) and all(isinstance(item, str) for item in found):
            return tuple(found)
        self.say(f"{where}.{key}", "must be a list of texts")
        return ()

    def pairs(self, table: Table, key: str, where: str) -> tuple[tuple[str, str], ...]:
        """A list of [check, grade]."""
        found = table.get(key, [])
        if isinstance(found, list) and all(isinstance(item, list) and len(item) == 2 for item in found):
            return tuple((str(first), str(second)) for first, second in found)
        self.say(f"{where}.{key}", "must be a list of [check, grade]")
        return ()

    def chances(self, table: Table, where: str) -> dict[str, float]:
        """Map of id to likelihood, each a number in [0, 1] or a word of the scale."""
        out: dict[str, float] = {}
        for key, found in table.items():
            if isinstance(found, str) and found in self.words:
                out[key] = self.words[found]
            elif isinstance(found, int | float) and not isinstance(found, bool) and 0 <= found <= 1:
                out[key] = float(found)
            else:
                words = ", ".join(self.words)
                self.say(f"{where}.{key}", f"must be a number from 0 to 1 or one of {words}, not {found!r}")
        return out

    def numbers(self, table: Table, where: str) -> dict[str, float]:
        """Every number of a table but its basis."""
        return {key: self.number(table, key, where) for key in table if key != "basis"}

    def known(self, names: Iterable[str], allowed: Iterable[str], where: str) -> None:
        """Refuse names that do not exist."""
        allowed = list(allowed)
        for name in names:
            if name not in allowed:
                self.say(where, f"'{name}' is not known; allowed are {', '.join(allowed)}")
