"""What is said of a board, and what is proposed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

from chargepath.board.proposing import TieProposal
from chargepath.knowledge import Knowledge
from rainfront.board.adapters import TieSet, proposed
from rainfront.board.models import BoardMap, Cover, Meaning, Tie
from rainfront.reference.adapters import find_map
from rainfront.reference.presenters import place_label


@dataclass(frozen=True)
class SaidRow:
    """What somebody has said of a net or a part."""

    pk: int
    name: str
    label: str
    who: str


@dataclass(frozen=True)
class ProposedRow:
    """What a net or a part may be; `likely` where its name or a contact says so."""

    name: str
    id: str
    why: str
    likely: bool


@dataclass(frozen=True)
class TiedSet:
    """Pins of one map at one place with their pads, confirmed or proposed; each row is pin, label, pads, why."""

    key: str
    label: str
    place: str
    rows: Sequence[tuple[str, str, str, str]]


@dataclass(frozen=True)
class NamingPage:
    """Everything on the page."""

    nets: Sequence[SaidRow]
    parts: Sequence[SaidRow]
    tied: Sequence[TiedSet]
    covers: Sequence[Cover]
    proposed_nets: Sequence[ProposedRow]
    proposed_parts: Sequence[ProposedRow]
    proposed_ties: Sequence[TiedSet]


def naming_page(board: BoardMap, known: Knowledge) -> NamingPage:
    """What was confirmed, and what may be so."""
    found, tables = proposed(board, known), known.boards
    labels = {**{row.id: row.label for row in tables.roles.values()}, **{r.id: r.label for r in tables.parts.values()}}

    def said(of: str) -> list[SaidRow]:
        rows = [row for row in board.meanings.all() if row.of == of]
        return [SaidRow(row.pk, row.name, labels.get(row.means, row.means), "") for row in rows]

    return NamingPage(
        nets=said(Meaning.Of.NET),
        parts=said(Meaning.Of.PART),
        tied=_tied(board, known),
        covers=list(board.covers.all()),
        proposed_nets=[ProposedRow(r.name, r.id, r.why, not r.why.startswith("it ")) for r in found.nets],
        proposed_parts=[ProposedRow(row.name, row.id, row.why, likely=True) for row in found.parts],
        proposed_ties=[_set(board, known, row) for row in found.ties],
    )


def proposed_ties(board: BoardMap, known: Knowledge, map_id: str, place: str) -> Sequence[TieProposal]:
    """What is proposed for the pins of a map at one place."""
    sets = proposed(board, known).ties
    return next((row.rows for row in sets if (row.pins.id, row.place) == (map_id, place)), ())


def _set(board: BoardMap, known: Knowledge, found: TieSet) -> TiedSet:
    rows = [(row.pin, found.pins.named(row.pin), _pads(board, row.pads), row.why) for row in found.rows]
    return TiedSet(f"{found.pins.id}@{found.place}", found.pins.label, place_label(known, found.place), rows)


def _tied(board: BoardMap, known: Knowledge) -> list[TiedSet]:
    ties = sorted(board.ties.all(), key=lambda tie: (tie.map_id, tie.place, tie.pk))
    out = []
    for (map_id, place), rows in groupby(ties, key=lambda tie: (tie.map_id, tie.place)):
        pins = None if map_id == Tie.LADDER else find_map(map_id, known)
        label = pins.label if pins else "Ladder" if map_id == Tie.LADDER else map_id
        listed = []
        for tie in rows:
            rung = known.rungs.get(tie.pin) if map_id == Tie.LADDER else None
            name = pins.named(tie.pin) if pins and tie.pin in pins.pin else rung.label if rung else tie.pin
            listed.append((tie.pin, name, _pads(board, tie.pads), ""))
        out.append(TiedSet(f"{map_id}@{place}", label, place_label(known, place) if place else "", listed))
    return out


def _pads(board: BoardMap, numbers: Sequence[int]) -> str:
    pads = board.layout.pads
    return ", ".join(pads[number].name for number in numbers if number < len(pads))
