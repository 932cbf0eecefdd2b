"""What nets, parts and pads are: nothing counts before a person has said so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.knowledge import Knowledge
from rainfront.board.models import BoardMap, Meaning, Tie
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.reference.adapters import find_map


@needs(Right.TEACH)
def confirm_meanings(
    board: BoardMap, known: Knowledge, of: str, meant: Mapping[str, str], *, user: User, now: datetime
) -> int:
    """Say what nets or parts are for; what was said of them before is replaced.

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        The board has no such net or part, or it cannot be that; nothing is stored.

    """
    there = board.layout.nets if of == Meaning.Of.NET else board.layout.parts
    allowed = known.boards.roles if of == Meaning.Of.NET else known.boards.parts
    for name, means in meant.items():
        if name not in there:
            raise ReadingError(f"this board has no {of} called {name}", of, "one of its names")
        if means not in allowed:
            raise ReadingError(f"nobody says what {name} is for", of, "choose from the list")
    with transaction.atomic():
        for name, means in meant.items():
            Meaning.objects.update_or_create(
                board=board, of=of, name=name, defaults={"means": means, "by": user, "at": now}
            )
    return len(meant)


@needs(Right.TEACH)
@transaction.atomic
def take_meaning(board: BoardMap, pk: int, *, user: User) -> None:
    """Take back what was said of a net or a part."""
    Meaning.objects.filter(board=board, pk=pk).delete()


@needs(Right.TEACH)
def confirm_ties(
    board: BoardMap,
    known: Knowledge,
    at: tuple[str, str],
    pads: Mapping[str, Sequence[int]],
    *,
    user: User,
    now: datetime,
) -> int:
    """Say which pads the pins of a pin map are at one place (`at`: map and place; the ladder's place is '').

    Raises
    ------
    NotAllowed
        Who asks may not teach.
    ReadingError
        There is no such pin, place or pad; nothing is stored.

    """
    map_id, place = at
    pins = known.rungs if map_id == Tie.LADDER else _pins(map_id, place, known)
    for pin, numbers in pads.items():
        if pin not in pins:
            raise ReadingError(f"there is no {pin}", "pin", "one of the list")
        if not 1 <= len(numbers) <= 2 or not all(0 <= number < board.pads for number in numbers):
            raise ReadingError(f"{pin} has no pad on this board", "pad", "its part and pin, as in J1.A4")
    with transaction.atomic():
        for pin, numbers in pads.items():
            Tie.objects.update_or_create(
                board=board,
                map_id=map_id,
                place=place,
                pin=pin,
                defaults={"pads": list(numbers), "by": user, "at": now},
            )
    return len(pads)


def _pins(map_id: str, place: str, known: Knowledge) -> Mapping[str, str]:
    found = find_map(map_id, known)
    if found is None or place not in known.places:
        raise ReadingError("nobody probes there", "place", "a set of pins and a place from the list")
    return found.pin


@needs(Right.TEACH)
@transaction.atomic
def take_ties(board: BoardMap, map_id: str, place: str, pin: str = "", *, user: User) -> None:
    """Take back which pads the pins of a map are, or one pin's."""
    found = Tie.objects.filter(board=board, map_id=map_id, place=place)
    (found.filter(pin=pin) if pin else found).delete()
