"""What the nets and parts of a board may be for, and which of its pads a pin map's pins are: proposals for a person.

Names say most, what a net joins says the rest. Nothing here is evidence before somebody has confirmed it.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from chargepath.board.finding import MOST_PADS_OF_SMALL
from chargepath.board.layout import BoardLayout
from chargepath.knowledge.boards import BoardTables, TieRule
from chargepath.knowledge.pinmaps import PinMap

# Names of fuses and beads, which lie in series: the net on their other side carries the same current.
IN_SERIES = re.compile(r"(F|FB|FL)\d+")
# Pins of a port that share a pad are written together, as in A1B12.
PINS = re.compile(r"[AB]\d{1,2}")
# A part is proposed as the other end of a pin map where so many of the map's pins are found on it.
LEAST_PINS = 0.6
# What a shell adds to the contacts of a port.
MOST_SHELL = 6
# A net is proposed as ground where it joins at least this share of all pads, and at least so many of them.
GROUND_SHARE, LEAST_ON_GROUND = 0.2, 6


@dataclass(frozen=True)
class BoardProposal:
    """What something on the board may be: its name there, the id of what it may be, and why."""

    name: str
    id: str
    why: str


@dataclass(frozen=True)
class TieProposal:
    """Which pads a pin of a pin map may be: one, or the two ends of a part."""

    pin: str
    pads: tuple[int, ...]
    why: str


def is_connector(part: str) -> bool:
    """Whether a part is a connector by its name, as J1, X2 or CN3."""
    return part[:1].upper() in ("J", "X") or part[:2].upper() == "CN"


def propose_ties(board: BoardLayout, pins: PinMap) -> list[TieProposal]:
    """The pads of a receptacle's pins: those of the part whose pins are named as the map's.

    Empty where no part has enough of them.
    """
    wanted, numbered = set(pins.pins), all(pin.isdigit() for pin in pins.pins)
    best: dict[str, int] = {}
    part = ""
    for name, numbers in board.parts.items():
        # Every part has pins 1, 2 and 3: where the contacts are numbers, it takes a connector with about as many pads.
        if numbered and not (is_connector(name) and len(numbers) <= len(wanted) + MOST_SHELL):
            continue
        found: dict[str, int] = {}
        for number in numbers:
            written = board.pads[number].pin.upper()
            for pin in PINS.findall(written) or [written]:
                if pin in wanted:
                    found.setdefault(pin, number)
        if len(found) > len(best):
            best, part = found, name
    if len(best) < LEAST_PINS * len(wanted):
        return []
    why = f"{part} has {len(best)} of its {len(wanted)} contacts by name"
    return [TieProposal(pin, (best[pin],), why) for pin in pins.pins if pin in best]


def propose_roles(board: BoardLayout, tables: BoardTables, contacts: Mapping[str, str]) -> list[BoardProposal]:
    """What each net may be for, by contacts of the port first, then by name, then by what it joins.

    Parameters
    ----------
    board : BoardLayout
    tables : BoardTables
    contacts : mapping of net to the net of a pin map
        What is known of nets by tied pins.

    """
    found: dict[str, BoardProposal] = {}
    meant = {contact: role for role in tables.roles.values() for contact in role.contacts}
    for net in board.nets:
        called = next((role for role in tables.roles.values() if role.fits(net)), None)
        contact = meant.get(contacts.get(net, ""))
        if contact is not None and called not in (None, contact):
            found[net] = BoardProposal(
                net, contact.id, f"it is on a contact of the port, but its name says {called.label}"
            )
        elif contact is not None:
            found[net] = BoardProposal(net, contact.id, "a contact of the port is on it")
        elif called is not None:
            found[net] = BoardProposal(net, called.id, "its name")
    for net, numbers in board.nets.items():
        if net not in found and len(numbers) >= max(GROUND_SHARE * len(board.pads), LEAST_ON_GROUND):
            found[net] = BoardProposal(net, "ground", f"it joins {len(numbers)} of {len(board.pads)} pads")
    for row in _behind(board, found):
        found.setdefault(row.name, row)
    order = list(tables.roles)
    return sorted(found.values(), key=lambda row: (order.index(row.id), row.name))


def _behind(board: BoardLayout, found: Mapping[str, BoardProposal]) -> Iterable[BoardProposal]:
    """Nets behind a fuse or a bead on the input."""
    for part, numbers in board.parts.items():
        ends = [board.pads[number].net for number in numbers]
        if len(ends) != 2 or not IN_SERIES.fullmatch(part.upper()):
            continue
        for here, there in (ends, ends[::-1]):
            if here in found and found[here].id == "input" and there and there not in found:
                yield BoardProposal(there, "input_protected", f"it lies behind {part} on {here}")


def propose_parts(board: BoardLayout, tables: BoardTables, roles: Mapping[str, str]) -> list[BoardProposal]:
    """What each part may be for, by the roles of the nets that it touches: the part with most such pads."""
    found: list[BoardProposal] = []
    for row in tables.parts.values():
        if not row.on:
            continue
        counted = []
        for part, numbers in board.parts.items():
            if row.chip != (len(numbers) > MOST_PADS_OF_SMALL) or any(one.name == part for one in found):
                continue
            touched = Counter(roles.get(board.pads[number].net, "") for number in numbers)
            if all(any(touched[role] for role in group) for group in row.on):
                counted.append((sum(touched[role] for group in row.on for role in group), part))
        if counted:
            most = max(counted)
            count = sum(one[0] == most[0] for one in counted)
            words = " and ".join(tables.roles[group[0]].label for group in row.on)
            why = f"it touches {words}" + (f", as {count - 1} more do" if count > 1 else "")
            found.append(BoardProposal(most[1], row.id, why))
    return found


def propose_beside(
    board: BoardLayout, tables: BoardTables, map_id: str, roles: Mapping[str, str], beside: str
) -> list[TieProposal]:
    """The pads of a pin map that is no receptacle: the parts nearest to a part, by the rules of boards.toml.

    Parameters
    ----------
    board : BoardLayout
    tables : BoardTables
    map_id : str
    roles : mapping of net to role
        As a person confirmed them.
    beside : str
        The part that the map lies around.

    """
    if beside not in board.parts:
        return []
    own = [board.pads[number] for number in board.parts[beside]]
    middle = sum(pad.x_mm for pad in own) / len(own), sum(pad.y_mm for pad in own) / len(own)
    out = []
    for pin, rule in tables.ties.get(map_id, {}).items():
        near = _nearest(board, rule, roles, middle, beside)
        place = 1 if rule.next else 0
        if len(near) > place:
            off, number = near[place]
            part = board.pads[number].part
            ends = tuple(board.parts[part])
            pads = ends if rule.across else tuple(end for end in ends if end != number) if rule.other else (number,)
            out.append(TieProposal(pin, pads, f"{off:.1f} mm from the middle of {beside}"))
    return out


def _nearest(
    board: BoardLayout, rule: TieRule, roles: Mapping[str, str], middle: tuple[float, float], beside: str
) -> Sequence[tuple[float, int]]:
    """Distance [mm] and number of the pads that a rule fits, the nearest first."""
    found = []
    for number, pad in enumerate(board.pads):
        own = pad.part == beside
        if roles.get(pad.net) != rule.role or (own if rule.kind != "J" else not own):
            continue
        if rule.kind != "J" and (pad.part[:1].upper() != rule.kind or len(board.parts[pad.part]) != 2):
            continue
        found.append((math.hypot(pad.x_mm - middle[0], pad.y_mm - middle[1]), number))
    return sorted(found)
