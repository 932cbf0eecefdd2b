"""Stations of the charge line and how far a device is opened (stations.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from chargepath.knowledge.reader import Reader


@dataclass(frozen=True)
class Station:
    """One place on the charge line; `position` counts from the charger.

    `on_carrier`: a device whose port sits on the main board has no such place; `label_on` is its label instead, by
    carrier.
    """

    id: str
    label: str
    about: str
    position: int
    on_carrier: bool = False
    label_on: Mapping[str, str] = field(default_factory=dict)

    def worded(self, carrier: str) -> Station:
        """The same station, called as on a device with that carrier."""
        return replace(self, label=self.label_on.get(carrier, self.label))


@dataclass(frozen=True)
class Access:
    """How far a device is opened; `open_minutes` come on top of the levels before."""

    id: str
    label: str
    about: str
    open_minutes: float
    cautions: tuple[str, ...]
    level: int
    stage: str
    basis: str


def read_stations(read: Reader) -> tuple[dict[str, Station], dict[str, Access]]:
    """Stations, charger side first, and access levels, the least opened first."""
    raw = read.load("stations")
    stations = {}
    for position, table in enumerate(raw.get("station", [])):
        where = f"stations.toml [[station]] {position + 1}"
        found = read.row(Station, table, where, position=position)
        stations[found.id] = found
    levels = {}
    for level, table in enumerate(raw.get("access", [])):
        where = f"stations.toml [[access]] {level + 1}"
        reached = read.row(Access, table, where, level=level)
        levels[reached.id] = reached
    return stations, levels
