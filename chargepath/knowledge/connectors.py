"""Receptacles and other sets of probe points, with their pin maps (connectors, points .toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from chargepath.knowledge.pinmaps import Net, PinMap, problems_of
from chargepath.knowledge.reader import Reader, Table

MAP_KEYS = ("label", "seen", "note", "rows", "nets", "pin", "twins", "directions", "basis")


@dataclass(frozen=True)
class Connector:
    """A kind of receptacle with its pin map; `most_volts` is the most that each kind of device asks for [V]."""

    id: str
    label: str
    reversible: bool
    pins: int
    source_volts: float
    most_volts: Mapping[str, float]
    map: PinMap
    basis: str


def _groups(raw: Any) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(map(str, group)) for group in raw if isinstance(group, list)) if isinstance(raw, list) else ()


def read_map(read: Reader, name: str, raw: Table, where: str) -> PinMap:
    """One pin map; what does not hold together is said with its place in the file."""
    tables = read.table(raw, "nets", where)
    nets = {net: read.row(Net, table, f"{where}.nets.{net}", id=net) for net, table in tables.items()}
    found = PinMap(
        id=name,
        label=read.text(raw, "label", where),
        seen=read.text(raw, "seen", where),
        note=read.text(raw, "note", where, ""),
        rows=_groups(raw.get("rows")),
        nets=nets,
        pin={str(pin): str(net) for pin, net in read.table(raw, "pin", where).items()},
        twins=_groups(raw.get("twins", [])),
        directions={label: tuple(map(str, pins)) for label, pins in read.table(raw, "directions", where).items()},
        basis=read.basis(raw, where),
    )
    for problem in problems_of(found):
        read.say(where, problem)
    return found


def read_connectors(read: Reader) -> dict[str, Connector]:
    """Receptacles with their pin maps."""
    out = {}
    for name, raw in read.load("connectors").items():
        where = f"connectors.toml [{name}]"
        read.only(raw, where, (*MAP_KEYS, "reversible", "pins", "source_volts", "most_volts"))
        found = read_map(read, name, raw, where)
        pins = int(read.number(raw, "pins", where, low=2, high=100))
        if len(found.pins) != pins:
            read.say(f"{where}.rows", f"{len(found.pins)} pins are drawn, {pins} are named in pins")
        out[name] = Connector(
            id=name,
            label=found.label,
            reversible=read.flag(raw, "reversible", where),
            pins=pins,
            source_volts=read.number(raw, "source_volts", where, high=60),
            most_volts=read.numbers(read.table(raw, "most_volts", where), f"{where}.most_volts"),
            map=found,
            basis=found.basis,
        )
    return out


def read_points(read: Reader) -> dict[str, PinMap]:
    """Sets of probe points that are no receptacle."""
    out = {}
    for name, raw in read.load("points").items():
        where = f"points.toml [{name}]"
        read.only(raw, where, MAP_KEYS)
        out[name] = read_map(read, name, raw, where)
    return out
