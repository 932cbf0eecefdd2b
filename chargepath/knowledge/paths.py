"""Read pin maps, places, suspicions and the ladder: everything about the path that readings are taken along."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from chargepath.connectors import Net, PinMap, problems_of
from chargepath.knowledge.definitions import Connector, Hop, Place, Rung, Suspicion
from chargepath.knowledge.reader import Reader
from chargepath.lines import GRADES

Table = dict[str, Any]
MAP_KEYS = ("label", "seen", "rows", "nets", "pin", "twins", "directions", "basis")


def _net(read: Reader, name: str, raw: Table, where: str) -> Net:
    read.only(raw, where, ("label", "group", "check", "at", "usual_mv", "optional"))
    return Net(
        name,
        read.text(raw, "label", where),
        read.text(raw, "group", where),
        read.text(raw, "check", where, ""),
        read.text(raw, "at", where, ""),
        read.number(raw, "usual_mv", where, high=3000),
        read.flag(raw, "optional", where),
    )


def _groups(raw: Any) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(map(str, group)) for group in raw if isinstance(group, list)) if isinstance(raw, list) else ()


def read_map(read: Reader, name: str, raw: Table, where: str) -> PinMap:
    """One pin map; what does not hold together is said with its place in the file."""
    nets = {net: _net(read, net, table, f"{where}.nets.{net}") for net, table in read.table(raw, "nets", where).items()}
    found = PinMap(
        id=name,
        label=read.text(raw, "label", where),
        seen=read.text(raw, "seen", where),
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
        read.only(raw, where, (*MAP_KEYS, "reversible", "pins", "source_volts"))
        found = read_map(read, name, raw, where)
        pins = int(read.number(raw, "pins", where, low=2, high=100))
        if len(found.pins) != pins:
            read.say(f"{where}.rows", f"{len(found.pins)} pins are drawn, {pins} are named in pins")
        out[name] = Connector(
            name,
            found.label,
            read.flag(raw, "reversible", where),
            pins,
            read.number(raw, "source_volts", where, high=60),
            found,
            found.basis,
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


def read_places(read: Reader) -> dict[str, Place]:
    """Places along the path, charger side first."""
    out = {}
    for index, raw in enumerate(read.load("places").get("place", [])):
        where = f"places.toml [[place]] {index + 1}"
        read.only(raw, where, ("id", "label", "station"))
        name = read.text(raw, "id", where)
        out[name] = Place(name, read.text(raw, "label", where), read.text(raw, "station", where))
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
        read.only(raw, where, ("label", "station", "weight", "groups", "nets", "touch", "per", "shows", "basis"))
        shows = {
            place: read.chances(table, f"{where}.shows.{place}")
            for place, table in read.table(raw, "shows", where).items()
        }
        for place, chances in shows.items():
            read.known(chances, GRADES, f"{where}.shows.{place}")
            if sum(chances.values()) > 1 + 1e-9:
                read.say(f"{where}.shows.{place}", f"the chances add up to {sum(chances.values()):g}; not over 1")
        out[name] = Suspicion(
            name,
            read.text(raw, "label", where),
            read.text(raw, "station", where, ""),
            read.number(raw, "weight", where, low=1e-6, high=100),
            read.texts(raw, "groups", where),
            read.texts(raw, "nets", where),
            _touch(read, raw, where),
            read.text(raw, "per", where, "net"),
            shows,
            read.basis(raw, where),
        )
    return out


def read_ladder(read: Reader) -> tuple[dict[str, Rung], tuple[Hop, ...]]:
    """Rungs and the hops between them; each hop leads from one rung to the next."""
    raw = read.load("ladder")
    rungs, hops = {}, []
    for index, table in enumerate(raw.get("rung", [])):
        where = f"ladder.toml [[rung]] {index + 1}"
        read.only(table, where, ("id", "label", "place", "min", "max"))
        name = read.text(table, "id", where)
        rungs[name] = Rung(
            name,
            read.text(table, "label", where),
            read.text(table, "place", where),
            read.number(table, "min", where),
            read.number(table, "max", where),
        )
    for index, table in enumerate(raw.get("hop", [])):
        where = f"ladder.toml [[hop]] {index + 1}"
        read.only(table, where, ("start", "stop", "station", "ohms", "fixed_mv", "converter", "note", "basis"))
        hops.append(
            Hop(
                read.text(table, "start", where),
                read.text(table, "stop", where),
                read.text(table, "station", where),
                read.number(table, "ohms", where),
                read.number(table, "fixed_mv", where),
                read.flag(table, "converter", where),
                read.basis(table, where),
                read.text(table, "note", where),
            )
        )
    order = list(rungs)
    if [(hop.start, hop.stop) for hop in hops] != list(pairwise(order)):
        read.say("ladder.toml", "each hop must lead from one rung to the next, in their order")
    return rungs, tuple(hops)
