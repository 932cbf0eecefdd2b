"""The path that readings are taken along.

Places, what goes wrong between them, the ladder (places, locate, ladder .toml).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table

# Grades of a line, as readings and suspicions name them.
LINE_GRADES = ("in_band", "open", "low", "short")


@dataclass(frozen=True)
class Place:
    """Where along the path a net is probed.

    `station` lies between the place before and this one; `access` is how far the device is open for it. `on_carrier`:
    not there where the port sits on the main board.
    """

    id: str
    label: str
    station: str
    access: str
    on_carrier: bool = False


@dataclass(frozen=True)
class Suspicion:
    """One way in which readings along the path go wrong (see locate.toml).

    `groups` and `nets` are the nets it can touch; `touch` the chances (each as likely) with which it touches each of
    them, a lone 0 where it touches exactly one; `per` is 'net', or 'pin' where a single contact of a net can be hit.
    `faults` are those that show themselves in this way, with how often they do.
    """

    id: str
    label: str
    station: Annotated[str, InFile(absent="")]
    weight: Annotated[float, InFile(low=1e-6, high=100)]
    groups: tuple[str, ...]
    nets: tuple[str, ...]
    touch: tuple[float, ...]
    per: Annotated[str, InFile(absent="net")]
    shows: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    basis: str
    faults: Annotated[Mapping[str, float], InFile(chances=True)] = field(default_factory=dict)


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
    of that check, so that its volts are not counted twice. `on_carrier`: not there where the port sits on the
    main board.
    """

    id: str
    label: str
    place: str
    access: str
    min: float
    max: float
    check: str = ""
    joint: bool = False
    on_carrier: bool = False


def read_places(read: Reader) -> dict[str, Place]:
    """Places along the path, charger side first."""
    out = {}
    for index, raw in enumerate(read.load("places").get("place", [])):
        where = f"places.toml [[place]] {index + 1}"
        found = read.row(Place, raw, where)
        out[found.id] = found
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
        found = read.row(Suspicion, raw, where, ("touch",), id=name, touch=_touch(read, raw, where))
        for place, chances in found.shows.items():
            read.known(chances, LINE_GRADES, f"{where}.shows.{place}")
            if sum(chances.values()) > 1 + 1e-9:
                read.say(f"{where}.shows.{place}", f"the chances add up to {sum(chances.values()):g}; not over 1")
        out[name] = found
    return out


def read_ladder(read: Reader) -> tuple[dict[str, Rung], tuple[Hop, ...]]:
    """Rungs and the hops between them; each hop leads from one rung to the next."""
    raw = read.load("ladder")
    rungs, hops = {}, []
    for index, table in enumerate(raw.get("rung", [])):
        where = f"ladder.toml [[rung]] {index + 1}"
        rung = read.row(Rung, table, where)
        rungs[rung.id] = rung
    for index, table in enumerate(raw.get("hop", [])):
        where = f"ladder.toml [[hop]] {index + 1}"
        others = read.table(table, "on", where)
        on = {
            name: (
                read.number(raw, "ohms", f"{where}.on.{name}"),
                read.text(raw, "note", f"{where}.on.{name}"),
                read.basis(raw, f"{where}.on.{name}"),
            )
            for name, raw in others.items()
        }
        hops.append(read.row(Hop, table, where, ("on",), on=on))
    order = list(rungs)
    if [(hop.start, hop.stop) for hop in hops] != list(pairwise(order)):
        read.say("ladder.toml", "each [[hop]] must lead from one [[rung]] to the next, in their order")
    return rungs, tuple(hops)
