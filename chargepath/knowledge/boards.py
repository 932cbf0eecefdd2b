"""What a net and a part of a board are for, how that is proposed, and which pad a pin of a pin map is (boards.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fnmatch import fnmatchcase

from chargepath.knowledge.reader import Reader


@dataclass(frozen=True)
class NetRole:
    """What a net is for.

    Attributes
    ----------
    id, label : str
    station : str
        Where on the charge line it belongs.
    names : tuple of str
        Patterns of its name in capitals; * stands for anything.
    contacts : tuple of str
        Nets of pin maps that mean it.
    amps : float
        The most that usually flows there [A].
    rail : bool
        Whether a short on it is looked for among its parts.

    """

    id: str
    label: str
    station: str
    names: tuple[str, ...]
    contacts: tuple[str, ...]
    amps: float
    rail: bool = False

    def fits(self, name: str) -> bool:
        """Whether a net's name looks like it."""
        return any(fnmatchcase(name.upper(), pattern) for pattern in self.names)


@dataclass(frozen=True)
class PartRole:
    """What a part is for.

    Attributes
    ----------
    id, label : str
    station : str
        Where its faults sit.
    routes : tuple of str
        Repairs that work at it.
    on : tuple of tuples of str
        Roles of nets: it touches one of each group where it is proposed.
    chip : bool
        Whether it is a chip, with many pads.

    """

    id: str
    label: str
    station: str
    routes: tuple[str, ...]
    on: tuple[tuple[str, ...], ...] = ()
    chip: bool = False


@dataclass(frozen=True)
class TieRule:
    """Which pad a pin of a pin map is.

    Attributes
    ----------
    kind : str
        First letter of its part's name.
    role : str
        Of the pad's net.
    next : bool
        The second nearest of them, where another pin is the nearest.
    across : bool
        Both ends of the part are meant.
    other : bool
        The other end of the part is meant.

    """

    kind: str
    role: str
    next: bool = False
    across: bool = False
    other: bool = False


@dataclass(frozen=True)
class BoardTables:
    """Everything that boards.toml says: roles of nets and parts by id, rules of ties by pin map and pin."""

    roles: Mapping[str, NetRole]
    parts: Mapping[str, PartRole]
    ties: Mapping[str, Mapping[str, TieRule]]


def read_boards(read: Reader) -> BoardTables:
    """The roles and the rules."""
    raw, where = read.load("boards"), "boards.toml"
    read.only(raw, where, ("basis", "role", "part", "tie"))
    read.basis(raw, where)
    roles = [read.row(NetRole, row, f"{where} [[role]] {number}") for number, row in enumerate(raw.get("role", []), 1)]
    parts = []
    for number, row in enumerate(raw.get("part", []), 1):
        groups = tuple(tuple(group) for group in row.get("on", ()))
        parts.append(read.row(PartRole, row, f"{where} [[part]] {number}", ("on",), on=groups))
    ties = read.table(raw, "tie", where)
    return BoardTables(
        roles={row.id: row for row in roles},
        parts={row.id: row for row in parts},
        ties={
            name: {pin: read.row(TieRule, row, f"{where} [tie.{name}] {pin}") for pin, row in table.items()}
            for name, table in ties.items()
        },
    )
