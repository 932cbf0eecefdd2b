"""Typed access to the knowledge files that collects every problem."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Hashable, Iterable, Mapping
from dataclasses import MISSING, dataclass, fields
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Any, TypeVar, cast, get_args, get_origin, get_type_hints

from chargepath.knowledge.changes import Change

Table = dict[str, Any]
Made = TypeVar("Made")


# `InFile.absent` where a field has no value for a missing key. None would not do: for some fields it is that value.
UNTOLD = object()


@dataclass(frozen=True)
class InFile:
    """What name and type of a dataclass's field do not say to `Reader.row`, as `Annotated[float, InFile(high=1)]`.

    Attributes
    ----------
    key : str
        What it is called in the file, where that is not the field's name.
    low, high : float
        Limits of a number.
    chances : bool
        Whether a table of numbers holds chances: from 0 to 1, or words of the scale.
    absent : object
        What it is where the file does not name it; without this and without a default it must be there.

    """

    key: str = ""
    low: float = 0.0
    high: float = 1e6
    chances: bool = False
    absent: Any = UNTOLD


@dataclass(frozen=True)
class RowField:
    """A field of a dataclass as it stands in a file: its name, its key there, its type, and what it is without one."""

    name: str
    key: str
    hint: Any
    told: InFile
    default: Any


@lru_cache(maxsize=256)
def columns_of(kind: Hashable) -> tuple[RowField, ...]:
    """The columns of a dataclass."""
    hints = get_type_hints(kind, include_extras=True)
    found = []
    for one in fields(kind):  # type: ignore[arg-type]
        hint = hints[one.name]
        told = next((extra for extra in getattr(hint, "__metadata__", ()) if isinstance(extra, InFile)), InFile())
        default = one.default if told.absent is UNTOLD else told.absent
        plain = get_args(hint)[0] if get_origin(hint) is Annotated else hint
        found.append(RowField(name=one.name, key=told.key or one.name, hint=plain, told=told, default=default))
    return tuple(found)


@lru_cache(maxsize=64)
def _parsed(text: str) -> str:
    """A file's tables as JSON: reading TOML takes ten times as long as making the tables anew for each reader."""
    return json.dumps(tomllib.loads(text), default=str)


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
            table: Table = json.loads(_parsed(path.read_text(encoding="utf-8")))
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

    def row(self, kind: type[Made], table: Table, where: str, also: Iterable[str] = (), /, **given: Any) -> Made:
        """One dataclass out of a table: each field by its type, its name and what `InFile` tells of it.

        Parameters
        ----------
        kind : type
        table : dict
        where : str
            The table's place in the files, for what is said of it.
        also : iterable of str
            Keys that belong to the table and are read by whoever calls.
        **given
            Fields that do not come from the table in this way.

        """
        columns = [column for column in columns_of(cast(Hashable, kind)) if column.name not in given]
        self.only(table, where, (*(column.key for column in columns), *also))
        read = {column.name: self._field(column, table, where) for column in columns}
        return kind(**read, **given)

    def rows(self, kind: type[Made], stem: str) -> dict[str, Made]:
        """A whole file whose tables are one dataclass each, by their names; the name is the field `id`."""
        return {name: self.row(kind, raw, f"{stem}.toml [{name}]", id=name) for name, raw in self.load(stem).items()}

    def _field(self, column: RowField, table: Table, where: str) -> Any:
        key, hint, told, default = column.key, column.hint, column.told, column.default
        if key == "basis":
            return self.basis(table, where)
        if hint is bool:
            return self.flag(table, key, where)
        if hint is str:
            return self.text(table, key, where, None if default is MISSING else default)
        if hint in (int, float) or hint == float | None:
            if default is not MISSING and key not in table:
                return default
            number = self.number(table, key, where, told.low, told.high)
            return int(number) if hint is int else number
        if hint == tuple[str, ...]:
            return self.texts(table, key, where)
        if hint == tuple[tuple[str, str], ...]:
            return self.pairs(table, key, where)
        inner, at = self.table(table, key, where), f"{where}.{key}"
        if hint == Mapping[str, str]:
            return {name: self.text(inner, name, at) for name in inner}
        if hint == Mapping[str, float]:
            return self.chances(inner, at) if told.chances else self.numbers(inner, at)
        if hint == Mapping[str, Mapping[str, float]]:
            read = self.chances if told.chances else self.numbers
            return {name: read(rows, f"{at}.{name}") for name, rows in inner.items()}
        raise TypeError(f"{column.name}: {hint} is no type that a table is read as")

    def known(self, names: Iterable[str], allowed: Iterable[str], where: str) -> None:
        """Refuse names that do not exist."""
        allowed = list(allowed)
        for name in names:
            if name not in allowed:
                self.say(where, f"'{name}' is not known; allowed are {', '.join(allowed)}")

    def shown(self, pairs: Iterable[tuple[str, str]], checks: Mapping[str, Any], where: str) -> None:
        """Refuse pairs that are not a check with one of its grades or signs."""
        for check, shows in pairs:
            self.known([check], checks, where)
            if check in checks:
                self.known([shows], (*checks[check].signs, *checks[check].grades), where)
