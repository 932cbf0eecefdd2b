"""Rows into what the core's boards take, and what is proposed of a board."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ChargepathError
from chargepath.board.layout import BoardLayout
from chargepath.board.overlay import PictureFit, fit, wrong_pairs
from chargepath.board.proposing import (
    BoardProposal,
    TieProposal,
    is_connector,
    propose_beside,
    propose_parts,
    propose_roles,
    propose_ties,
)
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import PinMap
from rainfront.board.models import BoardMap, BoardPicture, Meaning
from rainfront.jobs.models import Job

# The place where a map's pins are probed on the board itself, and which part the map lies around.
PORT_PLACE, INSIDE = "pads", "inside"
AROUND = {"charge_ring": "charge_ic", "battery_connector": "battery_connector"}
# Points along each edge at which the error of a picture is worked out.
GRID = 6


@dataclass(frozen=True)
class NamedBoard:
    """What somebody has confirmed of a board: roles of nets and of parts, by name."""

    nets: Mapping[str, str]
    parts: Mapping[str, str]

    def part(self, role: str) -> str:
        """The part with a role, '' where none has it."""
        return next((name for name, means in self.parts.items() if means == role), "")


def named(board: BoardMap) -> NamedBoard:
    """What was confirmed of a board; no query where it was fetched with it."""
    rows = list(board.meanings.all())
    return NamedBoard(
        {row.name: row.means for row in rows if row.of == Meaning.Of.NET},
        {row.name: row.means for row in rows if row.of == Meaning.Of.PART},
    )


@dataclass(frozen=True)
class TieSet:
    """What is proposed for the pins of one map at one place."""

    pins: PinMap
    place: str
    rows: Sequence[TieProposal]


@dataclass(frozen=True)
class Proposed:
    """Everything that may be so of a board, without what was confirmed already."""

    nets: Sequence[BoardProposal]
    parts: Sequence[BoardProposal]
    ties: Sequence[TieSet]


def connectors_of(board: BoardMap, known: Knowledge) -> list[PinMap]:
    """Receptacles that the board's model may have: that of its newest job, else all."""
    newest = Job.objects.of_model(board.model_name).first()
    return [row.map for name, row in known.connectors.items() if newest is None or name == newest.connector]


def proposed(board: BoardMap, known: Knowledge) -> Proposed:
    """What may be so of a board, for a person to confirm."""
    layout, said = board.layout, named(board)
    tied = {(tie.map_id, tie.pin) for tie in board.ties.all()}
    ports = [(pins, propose_ties(layout, pins)) for pins in connectors_of(board, known)]
    ports = sorted(ports, key=lambda row: -len(row[1]))[:1]
    contacts = {
        layout.pads[row.pads[0]].net: pins.pin[row.pin]
        for pins, rows in ports
        for row in rows
        if layout.pads[row.pads[0]].net
    }
    nets = [row for row in propose_roles(layout, known.boards, contacts) if row.name not in said.nets]
    roles = {**{row.name: row.id for row in nets}, **said.nets}
    parts = [row for row in propose_parts(layout, known.boards, roles) if row.id not in said.parts.values()]
    parts = [*_ends(layout, ports, roles, said), *parts]
    chips = {**{row.id: row.name for row in parts}, **{means: name for name, means in said.parts.items()}}
    sets = [TieSet(pins, PORT_PLACE, rows) for pins, rows in ports]
    for map_id, around in AROUND.items():
        beside = propose_beside(layout, known.boards, map_id, roles, chips.get(around, ""))
        sets.append(TieSet(known.points[map_id], INSIDE, beside))
    left = [
        TieSet(row.pins, row.place, [one for one in row.rows if (row.pins.id, one.pin) not in tied]) for row in sets
    ]
    return Proposed(nets, parts, [row for row in left if row.rows])


def _ends(
    layout: BoardLayout,
    ports: Sequence[tuple[PinMap, Sequence[TieProposal]]],
    roles: Mapping[str, str],
    said: NamedBoard,
) -> list[BoardProposal]:
    """The port, and the connector of the battery: the part with battery rail and thermistor or data on it."""
    out = []
    for _, rows in ports:
        if rows and "port" not in said.parts.values():
            part = layout.pads[rows[0].pads[0]].part
            out.append(BoardProposal(part, "port", rows[0].why))
    for part, numbers in layout.parts.items():
        touched = {roles.get(layout.pads[number].net, "") for number in numbers}
        if is_connector(part) and "battery" in touched and touched & {"thermistor", "battery_data"}:
            if "battery_connector" not in said.parts.values():
                out.append(BoardProposal(part, "battery_connector", "it has the battery rail and the battery's data"))
            break
    return out


@dataclass(frozen=True)
class Laid:
    """A picture with how well it lies over its board; `fitted` is None below four pairs, `trouble` says why not."""

    picture: BoardPicture
    fitted: PictureFit | None
    trouble: str = ""

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """What of the board the picture shows: left, top, right, bottom [mm]."""
        if self.fitted is None:
            return (0, 0, 0, 0)
        w, h = self.picture.width, self.picture.height
        corners = self.fitted.to_board([(0, 0), (w, 0), (w, h), (0, h)])
        left, top, right, bottom = self.picture.board.layout.box
        low, high = corners.min(axis=0), corners.max(axis=0)
        return max(left, low[0]), max(top, low[1]), min(right, high[0]), min(bottom, high[1])

    @cached_property
    def errors(self) -> Array:
        """How far off it may be over what it shows [mm]: rows of a grid, shape (GRID, GRID)."""
        assert self.fitted is not None
        left, top, right, bottom = self.box
        across, down = np.linspace(left, right, GRID), np.linspace(top, bottom, GRID)
        points = [(x, y) for y in down for x in across]
        return self.fitted.errors_mm(points).reshape(GRID, GRID)

    @property
    def worst_mm(self) -> float:
        """The largest of these."""
        return float(self.errors.max())

    @cached_property
    def wrong(self) -> list[str]:
        """Names of the pads of which one pair does not belong to the others."""
        pairs = self.picture.pairs
        if self.fitted is None:
            return []
        found = wrong_pairs([(row[0], row[1]) for row in pairs], [(row[2], row[3]) for row in pairs])
        return [pairs[number][4] for number in found]

    @property
    def mirrored(self) -> bool:
        """Whether the picture shows the other side than it says."""
        return self.fitted is not None and self.fitted.mirrored != (self.picture.side == "bottom")


def laid(picture: BoardPicture) -> Laid:
    """How a picture lies over its board."""
    pairs = picture.pairs
    try:
        return Laid(picture, fit([(row[0], row[1]) for row in pairs], [(row[2], row[3]) for row in pairs]))
    except ChargepathError as error:
        return Laid(picture, None, str(error) if len(pairs) >= 4 else "")


def boards_of(job: Job) -> list[BoardMap]:
    """Maps of a job's model, the newest first."""
    return list(BoardMap.objects.of_model(job.model_name))
