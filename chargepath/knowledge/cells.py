"""What a flat cell may be given from a bench supply (cells.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader

CHARGE = (
    "pre_below_v", "pre_c", "rate_c", "most_c", "end_c", "low_temp_c", "high_temp_c", "cool_below_c", "cool_c",
    "boots_v", "new_low_share", "new_high_share", "over_v", "warms_k",
)  # fmt: skip
OHMS = ("at_once", "later", "later_s", "empty_more", "empty_share")


@dataclass(frozen=True)
class CellKind:
    """One kind of cell by the volts it charges to [V]."""

    id: str
    label: str
    limit_v: Annotated[float, InFile(low=3.0, high=4.6)]


@dataclass(frozen=True)
class CellTables:
    """Everything of cells.toml: kinds, limits and rates by name, volts at rest by share, ohms for 1 Ah."""

    kinds: Mapping[str, CellKind]
    charge: Mapping[str, float]
    rest: tuple[tuple[float, float], ...]
    ohms: Mapping[str, float]


def read_cells(read: Reader) -> CellTables:
    """Read cells.toml."""
    raw = read.load("cells")
    read.only(raw, "cells.toml", ("basis", "kind", "charge", "rest", "ohms"))
    read.basis(raw, "cells.toml")
    rows = read.table(raw, "kind", "cells.toml")
    kinds = {name: read.row(CellKind, row, f"cells.toml [kind.{name}]", id=name) for name, row in rows.items()}
    if not kinds:
        read.say("cells.toml", "there is no kind of cell")
    tables = {}
    for name, keys in (("charge", CHARGE), ("ohms", OHMS)):
        row, where = read.table(raw, name, "cells.toml"), f"cells.toml [{name}]"
        read.only(row, where, (*keys, "basis"))
        read.basis(row, where)
        tables[name] = {key: read.number(row, key, where, high=1000) for key in keys}
    rest = read.table(raw, "rest", "cells.toml").get("points", [])
    points = tuple((float(row[0]), float(row[1])) for row in rest if isinstance(row, list) and len(row) == 2)
    volts = [row[1] for row in points]
    if len(points) < 2 or list(points) != sorted(points) or volts != sorted(volts):
        read.say("cells.toml [rest].points", "must be rows of share and volts, both growing")
        points = ((0.0, 3.0), (1.0, 4.2))
    return CellTables(kinds, tables["charge"], points, tables["ohms"])
