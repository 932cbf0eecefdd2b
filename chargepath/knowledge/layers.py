"""The layers of a device as somebody sees them who works on it, and the places of the work (layers.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from chargepath.knowledge.procedures import Literal, literals
from chargepath.knowledge.reader import Reader, Table

# The place of a step that works where the route does: [site] says where that is.
SITE = "site"


class Where(StrEnum):
    """Where a layer of a device is."""

    IN = "in"  # in its place
    ASIDE = "aside"  # lifted, beside the device
    OUT = "out"  # out, in its tray


@dataclass(frozen=True)
class LayerState:
    """A state of a layer: which facts and words of the device it needs, where the layer is then, and how that is said.

    `says` is '' where nobody needs to be told.
    """

    where: str
    needs: tuple[Literal, ...] = ()
    when: tuple[str, ...] = ()
    says: str = ""


@dataclass(frozen=True)
class DeviceLayer:
    """A layer of a device.

    Attributes
    ----------
    id, label, short : str
        `short` is its name in a drawing.
    states : tuple of LayerState
        The first whose needs are met holds; the last needs nothing.
    when, unless : tuple of str
        Words of the devices that have it.
    live : tuple of str
        It carries voltage while one of these facts is so.

    """

    id: str
    label: str
    short: str
    states: tuple[LayerState, ...]
    when: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()
    live: tuple[str, ...] = ()


@dataclass(frozen=True)
class WorkPlace:
    """A place of the work.

    Attributes
    ----------
    id, label : str
    on : str
        The layer that it belongs to and moves with; '' for one that stays with the device.
    under : tuple of str
        Layers over it: nobody works there while one of them is in its place.
    stays : bool
        While its layer is out, the work is where that came from: at the pads of a chip, in the bay of a battery.

    """

    id: str
    label: str
    on: str = ""
    under: tuple[str, ...] = ()
    stays: bool = False


@dataclass(frozen=True)
class LayerTables:
    """Everything that layers.toml says.

    Attributes
    ----------
    layers : tuple of DeviceLayer
        From the outermost inwards.
    places : mapping of id to WorkPlace
    sites : mapping of route to the id of the place where it works
    dangers : mapping of hazard to the id of the place where it sits
    conditions : mapping of fact to str
        What is shown beside the layers while it is so, with its word in a drawing.

    """

    layers: tuple[DeviceLayer, ...]
    places: Mapping[str, WorkPlace]
    sites: Mapping[str, str]
    dangers: Mapping[str, str]
    conditions: Mapping[str, str]


def read_layers(read: Reader) -> LayerTables:
    """The layers and the places."""
    raw, where = read.load("layers"), "layers.toml"
    read.only(raw, where, ("basis", "condition", "layer", "place", "site", "danger"))
    read.basis(raw, where)
    texts = {key: read.table(raw, key, where) for key in ("site", "danger", "condition")}
    sites, dangers, conditions = (
        {name: read.text(table, name, f"{where} [{key}]") for name in table} for key, table in texts.items()
    )
    return LayerTables(
        layers=tuple(
            _layer(read, row, f"{where} [[layer]] {number}") for number, row in enumerate(raw.get("layer", []), 1)
        ),
        places={
            name: read.row(WorkPlace, row, f"{where} [place.{name}]", id=name)
            for name, row in read.table(raw, "place", where).items()
        },
        sites=sites,
        dangers=dangers,
        conditions=conditions,
    )


def _layer(read: Reader, raw: Table, where: str) -> DeviceLayer:
    rows = enumerate(raw.get("state", []), 1)
    states = tuple(_state(read, row, f"{where}.state {number}") for number, row in rows)
    read.known([state.where for state in states], {*Where}, f"{where}.state")
    if not states or states[-1].needs or states[-1].when:
        read.say(where, "its last state needs nothing, so that the layer is always somewhere")
    return read.row(DeviceLayer, raw, where, ("state",), states=states)


def _state(read: Reader, raw: Table, where: str) -> LayerState:
    return read.row(LayerState, raw, where, ("needs",), needs=literals(read.texts(raw, "needs", where)))
