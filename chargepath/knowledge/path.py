"""The path that readings are taken along.

Places, what goes wrong between them, the ladder (places, locate, ladder .toml).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise

from chargepath.knowledge.reader import Reader, Table

# Grades of a line, as readings and suspicions name them.
LINE_GRADES = ("in_band", "open", "low", "short")


@dataclass(frozen=True)
class Place:
    """Where along the path a net is probed.

    `station` lies between the place before and this one; `access` is how far the device is open for it.
    """

    id: str
    label: str
    station: str
    access: str


SUSPICION_KEYS = (
    "label",
    "station",
    "weight",
    "groups",
    "nets",
    "touch",
    "per",
    "shows",
    "faults",
    "basis",
)


@dataclass(frozen=True)
class Suspicion:
    """One way in which readings along the path go wrong (see locate.toml).

    `groups` and `nets` are the nets it can touch; `touch` the chances (each as likely) with which it touches each of
    them, a lone 0 where it touches exactly one; `per` is 'net', or 'pin' where a single contact of a net can be hit.
    `faults` are those that show themselves in this way, with how often they do.
    """

    id: str
    label: str
    station: str
    weight: float
    groups: tuple[str, ...]
    nets: tuple[str, ...]
    touch: tuple[float, ...]
    per: str
    shows: Mapping[str, Mapping[str, float]]
    basis: str
    faults: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Hop:
    """One stretch of the ladder: what it may drop.

    `ohms` is what good parts have [ohm]; `fixed_mv` a drop that does not depend on the current [mV]; `converter` marks
    the hop where a converter changes the voltage, which no drop can be read from. `on` gives by connector the ohms
    there instead, with their note and basis.
    """

    start: str
    stop: str
    station: str
    ohms: float
    fixed_mv: float
    converter: bool
    basis: str
    note: str
    on: Mapping[str, tuple[float, str, str]] = field(default_factory=dict)

    def for_connector(self, connector: str) -> Hop:
        """The same hop with the parts that this connector and its cables have."""
        if connector not in self.on:
            return self
        ohms, note, basis = self.on[connector]
        return replace(self, ohms=ohms, note=note, basis=basis)


@dataclass(frozen=True)
class Rung:
    """One place where volts are measured along the path; `access` is how far the device is open for it.

    `check` is the check that its volts are entered as, '' for none. `joint`: the readings along the path stand in place
    of that check, so that its volts are not counted twice.
    """

    id: str
    label: str
    place: str
    access: str
    min: float
    max: float
    check: str = ""
    joint: bool = False


def read_places(read: Reader) -> dict[str, Place]:
    """Places along the path, charger side first."""
    out = {}
    for index, raw in enumerate(read.load("places").get("place", [])):
        where = f"places.toml [[place]] {index + 1}"
        read.only(raw, where, ("id", "label", "station", "access"))
        name = read.text(raw, "id", where)
        label, station, access = (read.text(raw, key, where) for key in ("label", "station", "access"))
        out[name] = Place(id=name, label=label, station=station, access=access)
    return out


def _touch(read: Reader, raw: Table, where: str) -> tuple[float, ...]:
    found = raw.get("touch")
    if isinstance(found, list) and found and all(isinstance(item, int | float) and 0 <= item <= 1 for item in found):
        return tuple(map(float, found))
    read.say(f"{where}.touch", "must be a list of chances from 0 to 1, or [0] for exactly one")
    return (0.0,)


def read_suspicions(read: Reader) -> dict[str, Suspicion]:
    """How each place on the path shows."""
    out = {}
    for name, raw in read.load("locate").items():
        where = f"locate.toml [{name}]"
        read.only(raw, where, SUSPICION_KEYS)
        shows = {
            place: read.chances(table, f"{where}.shows.{place}")
            for place, table in read.table(raw, "shows", where).items()
        }
        for place, chances in shows.items():
            read.known(chances, LINE_GRADES, f"{where}.shows.{place}")
            if sum(chances.values()) > 1 + 1e-9:
                read.say(f"{where}.shows.{place}", f"the chances add up to {sum(chances.values()):g}; not over 1")
        out[name] = Suspicion(
            id=name,
            label=read.text(raw, "label", where),
            station=read.text(raw, "station", where, ""),
            weight=read.number(raw, "weight", where, low=1e-6, high=100),
            groups=read.texts(raw, "groups", where),
            nets=read.texts(raw, "nets", where),
            touch=_touch(read, raw, where),
            per=read.text(raw, "per", where, "net"),
            shows=shows,
            basis=read.basis(raw, where),
            faults=read.chances(read.table(raw, "faults", where), f"{where}.faults"),
        )
    return out


def read_ladder(read: Reader) -> tuple[dict[str, Rung], tuple[Hop, ...]]:
    """Rungs and the hops between them; each hop leads from one rung to the next."""
    raw = read.load("ladder")
    rungs, hops = {}, []
    for index, table in enumerate(raw.get("rung", [])):
        where = f"ladder.toml [[rung]] {index + 1}"
        read.only(table, where, ("id", "label", "place", "access", "min", "max", "check", "joint"))
        name = read.text(table, "id", where)
        rungs[name] = Rung(
            id=name,
            label=read.text(table, "label", where),
            place=read.text(table, "place", where),
            access=read.text(table, "access", where),
            min=read.number(table, "min", where),
            max=read.number(table, "max", where),
            check=read.text(table, "check", where, ""),
            joint=read.flag(table, "joint", where),
        )
    for index, table in enumerate(raw.get("hop", [])):
        where = f"ladder.toml [[hop]] {index + 1}"
        read.only(table, where, ("start", "stop", "station", "ohms", "fixed_mv", "converter", "note", "basis", "on"))
        hops.append(
            Hop(
                start=read.text(table, "start", where),
                stop=read.text(table, "stop", where),
                station=read.text(table, "station", where),
                ohms=read.number(table, "ohms", where),
                fixed_mv=read.number(table, "fixed_mv", where),
                converter=read.flag(table, "converter", where),
                basis=read.basis(table, where),
                note=read.text(table, "note", where),
                on={
                    name: (
                        read.number(raw, "ohms", f"{where}.on.{name}"),
                        read.text(raw, "note", f"{where}.on.{name}"),
                        read.basis(raw, f"{where}.on.{name}"),
                    )
                    for name, raw in read.table(table, "on", where).items()
                },
            )
        )
    order = list(rungs)
    if [(hop.start, hop.stop) for hop in hops] != list(pairwise(order)):
        read.say("ladder.toml", "each hop must lead from one rung to the next, in their order")
    return rungs, tuple(hops)
