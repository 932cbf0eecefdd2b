"""What lies near what on a board: parts of a rail, landings for a wire, what is covered."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from django.urls import reverse

from chargepath.base.quantities import figure
from chargepath.board.finding import Landing, landings, parts_near
from chargepath.knowledge import Knowledge
from rainfront.board.adapters import NamedBoard, named
from rainfront.board.models import BoardMap

# How many parts and landings are listed.
PARTS, LANDINGS = 8, 6
# A wire is led around things: longer than the straight line by so much (common practice).
SLACK = 1.2


@dataclass(frozen=True)
class NearRow:
    """A part on a rail: how far it is from the warm spot, and the pad that lies nearest to it."""

    part: str
    says: str
    pad: int
    covered: str


def near_rows(board: BoardMap, known: Knowledge, net: str, at: tuple[float, float]) -> list[NearRow]:
    """Parts on a net, the nearest to a point first, with what covers them."""
    layout, said = board.layout, named(board)
    rows = []
    for part, off in parts_near(layout, net, *at)[:PARTS]:
        pads = [number for number in layout.parts[part] if layout.pads[number].net == net]
        nearest = min(pads, key=lambda n: math.hypot(layout.pads[n].x_mm - at[0], layout.pads[n].y_mm - at[1]))
        label = known.boards.parts[said.parts[part]].label if part in said.parts else ""
        far = f"{figure(off, 1)}\u00a0mm" if board.scaled else ""
        says = ", ".join(filter(None, (label, far)))
        rows.append(NearRow(part, says, nearest, covered_by(board, nearest)))
    return rows


def covered_by(board: BoardMap, number: int) -> str:
    """What covers a pad, in words; '' for nothing."""
    pad = board.layout.pads[number]
    for row in board.covers.all():
        over = row.what == "between" or pad.side in (row.side, "both")
        if over and row.left <= pad.x_mm <= row.right and row.top <= pad.y_mm <= row.bottom:
            return row.get_what_display()
    return ""


@dataclass(frozen=True)
class LandingRow:
    """Where a wire can land: in words, with the address of the jumper page for its length."""

    landing: Landing
    says: str
    covered: str
    href: str


def landing_rows(board: BoardMap, known: Knowledge, torn: int, beyond: Sequence[str]) -> list[LandingRow]:
    """Where a wire for a torn pad can land."""
    role = known.boards.roles.get(named(board).nets.get(board.layout.pads[torn].net, ""))
    amps = f"&amps={role.amps:g}" if role else ""
    rows = []
    for row in landings(board.layout, torn, beyond, LANDINGS):
        side = "on the other side of the board" if row.through else "on the same side"
        length = f"{figure(row.length_mm, 1)}\u00a0mm straight, " if board.scaled else ""
        href = f"{reverse('workshop:wire')}?length_mm={max(row.length_mm * SLACK, 1):.1f}{amps}" if board.scaled else ""
        rows.append(LandingRow(row, f"{length}{side}", covered_by(board, row.number), href))
    return rows


def under_covers(board: BoardMap, known: Knowledge) -> dict[str, str]:
    """What is covered where a repair works, by route: the part of the board that it works at, and what lies over it."""
    said: NamedBoard = named(board)
    out = {}
    for role, words in covered_parts(board, said).items():
        for route in known.boards.parts[role].routes:
            out[route] = f"The {known.boards.parts[role].label} ({said.part(role)}) lies {words} on this board."
    return out


def covered_parts(board: BoardMap, said: NamedBoard) -> dict[str, str]:
    """Roles of parts of which more than half of the pads are covered, and by what."""
    out: dict[str, str] = {}
    if not board.covers.all():
        return out
    for part, role in said.parts.items():
        over = [words for number in board.layout.parts.get(part, ()) if (words := covered_by(board, number))]
        if over and len(over) * 2 > len(board.layout.parts[part]):
            out[role] = over[0]
    return out
