"""Pin maps: which contact is which, how they lie, which should read alike.

A shop adds two-row connectors of its own.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.reader import InFile

GROUPS = ("power", "ground", "data", "control", "sideband", "rail", "across", "sense")
# Groups that read next to nothing on a good board: contacts on ground, and both ends of one part.
CONTINUITY = ("ground", "across")
GROUP_LABELS: Mapping[str, str] = {
    "power": "power",
    "ground": "ground",
    "data": "data",
    "control": "control",
    "sideband": "side-band",
    "rail": "inner rails",
    "across": "across a part",
    "sense": "battery lines",
}
MAX_PINS = 120


class ConnectorError(ChargepathError):
    """A connector that cannot be."""


@dataclass(frozen=True)
class Net:
    """What a contact is for.

    `check` is the check that its reading is part of ('' where none), `at` the check's variant, `usual_mv` what such a
    line usually reads, `optional` that a good board may leave it unconnected.
    """

    id: str
    label: str
    group: str
    check: Annotated[str, InFile(absent="")]
    at: Annotated[str, InFile(absent="")]
    usual_mv: Annotated[float, InFile(high=3000)]
    optional: bool


@dataclass(frozen=True)
class PinMap:
    """A set of contacts as they lie.

    Attributes
    ----------
    rows : tuple of tuples of pin ids
        Top row first, left to right, as `seen` describes.
    pin : mapping of pin id to net id
    twins : tuple of tuples of pin ids
        Pins that should read alike on a good board.
    directions : mapping of label to pin ids
        Contacts that only one way round of the plug uses.
    note : str
        What to know before it is trusted, '' for nothing.

    """

    id: str
    label: str
    seen: str
    rows: tuple[tuple[str, ...], ...]
    nets: Mapping[str, Net]
    pin: Mapping[str, str]
    twins: tuple[tuple[str, ...], ...]
    directions: Mapping[str, tuple[str, ...]]
    basis: str
    note: str = ""

    @property
    def pins(self) -> tuple[str, ...]:
        """Every pin in reading order."""
        return tuple(pin for row in self.rows for pin in row)

    def net(self, pin: str) -> Net:
        """What a pin is for."""
        return self.nets[self.pin[pin]]

    def twin(self, pin: str) -> tuple[str, ...]:
        """The pins that should read like this one: first those on the same net, then the other twins."""
        for group in self.twins:
            if pin in group:
                others = [other for other in group if other != pin]
                return tuple(sorted(others, key=lambda other: self.pin[other] != self.pin[pin]))
        return ()

    def walk(self) -> tuple[str, ...]:
        """The order to probe in: row by row, each from left to right as drawn."""
        return self.pins

    def mirrored(self) -> tuple[tuple[str, ...], ...]:
        """The rows as seen from the solder side: left and right change places."""
        return tuple(tuple(reversed(row)) for row in self.rows)

    def named(self, pin: str) -> str:
        """A pin with what it is for."""
        net = self.net(pin)
        return f"{pin} {net.label}" if net.label.lower() != pin else net.label


def problems_of(found: PinMap) -> list[str]:
    """What does not hold together in a pin map, in words."""
    said = []
    pins = found.pins
    for pin in sorted({pin for pin in pins if pins.count(pin) > 1}):
        said.append(f"pin {pin} is drawn twice")
    for pin in pins:
        if pin not in found.pin:
            said.append(f"pin {pin} has no net")
    for pin, name in found.pin.items():
        if pin not in pins:
            said.append(f"pin {pin} has a net but is not drawn")
        if name not in found.nets:
            said.append(f"pin {pin} is on the net '{name}', which is not defined")
    for net in found.nets.values():
        if net.group not in GROUPS:
            said.append(f"net {net.id}: '{net.group}' is no group; one of {', '.join(GROUPS)}")
    named = [pin for group in [*found.twins, *found.directions.values()] for pin in group]
    said += [f"pin {pin} is named as a twin or direction but is not drawn" for pin in named if pin not in pins]
    return said


def board_connector(name: str, per_row: int, rows: int, pins: Mapping[str, str], nets: Mapping[str, Net]) -> PinMap:
    """A shop's own board-to-board connector.

    Parameters
    ----------
    name : str
        What the shop calls it.
    per_row, rows : int
        One or two rows of equal length; pins are numbered 1 to per_row in the top row, then on in the lower one.
    pins : mapping of pin number to net id
        Pins left out are not connected.
    nets : mapping of net id to Net
        The nets that may be named.

    Raises
    ------
    ConnectorError
        Wrong pin counts, pins beyond the last, unknown nets.

    """
    if rows not in (1, 2) or not 1 <= per_row <= MAX_PINS // rows:
        raise ConnectorError(
            f"{rows} rows of {per_row}",
            "pins",
            f"one or two rows, up to {MAX_PINS} pins in all, the same number in each",
        )
    numbers = [str(k + 1) for k in range(per_row * rows)]
    beyond = [pin for pin in pins if pin not in numbers]
    if beyond:
        raise ConnectorError(f"pin {beyond[0]} is not there", "pins", f"numbered from 1 to {len(numbers)}")
    unknown = [net for net in pins.values() if net not in nets]
    if unknown:
        raise ConnectorError(f"'{unknown[0]}' is no line", "lines", f"one of {', '.join(nets)}")
    if not pins:
        raise ConnectorError("no pin has a line", "lines", "name at least one, as in 1 vbus")
    laid = tuple(tuple(numbers[k * per_row : (k + 1) * per_row]) for k in range(rows))
    spare = Net(id="nc", label="not used", group="sideband", check="", at="", usual_mv=600.0, optional=True)
    used = {net: nets[net] for net in dict.fromkeys(pins.values())}
    return PinMap(
        id="",
        label=name,
        seen="looking at the connector on its board, pin 1 top left",
        rows=laid,
        nets={**used, "nc": spare},
        pin={number: pins.get(number, "nc") for number in numbers},
        twins=_twins(pins, used),
        directions={},
        basis="practice",
    )


def _twins(pins: Mapping[str, str], nets: Mapping[str, Net]) -> tuple[tuple[str, ...], ...]:
    """Pins on one net are twins, and so are data lines that come in pairs by their names (…p and …m)."""
    groups: dict[str, list[str]] = {}
    for pin, net in pins.items():
        stem = net[:-1] if net[-1:] in ("p", "m", "1", "2") and _paired(net, nets) else net
        groups.setdefault(stem, []).append(pin)
    return tuple(tuple(group) for group in groups.values() if len(group) > 1)


def _paired(net: str, nets: Mapping[str, Net]) -> bool:
    other = {"p": "m", "m": "p", "1": "2", "2": "1"}[net[-1]]
    return net[:-1] + other in nets


def inner_nets(maps: Iterable[PinMap]) -> dict[str, Net]:
    """Every net that some map knows, for a shop's own connectors to name."""
    out: dict[str, Net] = {}
    for found in maps:
        for net in found.nets.values():
            out.setdefault(net.id, net)
    return out
