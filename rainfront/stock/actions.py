"""Every write to the shelf."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.knowledge import Knowledge
from rainfront.people.models import User
from rainfront.practice.actions import set_part
from rainfront.practice.models import PartPrice
from rainfront.stock.adapters import family_of
from rainfront.stock.models import Move

MOST = 10_000


def kept_family(route: str, family: str) -> str:
    """The family as it is written already, so that small and large letters do not make two shelves."""
    written: dict[str, str] = {name.lower(): name for there, name, _ in Move.objects.counts() if there == route}
    family = family.strip()[:80]
    return written.get(family.lower(), family)


def _require_part(known: Knowledge, route: str) -> None:
    found = known.routes.get(route)
    if found is None or found.part <= 0:
        raise ReadingError(f"'{route}' takes no part", "repair", "choose from the list")


def take_in(
    known: Knowledge, route: str, family: str, count: int, price: Decimal | None = None, *, user: User, now: datetime
) -> Move:
    """Parts came in; with a price, it is the shop's price from now on.

    Raises
    ------
    ReadingError
        A repair without a part, or a count or price that cannot be.

    """
    _require_part(known, route)
    if not 1 <= count <= MOST:
        raise ReadingError(f"{count} parts cannot have come in", "how many", f"1 to {MOST:,}")
    with transaction.atomic():
        family = kept_family(route, family)
        if price is not None:
            last = PartPrice.objects.standing().filter(route=route, family__iexact=family).first()
            days, sold_with = (last.days, last.sold_with) if last else (known.routes[route].days, "")
            set_part(route, family, price, days, sold_with, user=user, now=now)
        return Move.objects.create(route=route, family=family, change=count, why=Move.Why.IN, by=user, at=now)


def count_parts(known: Knowledge, route: str, family: str, there: int, *, user: User, now: datetime) -> Move:
    """Somebody counted: the shelf holds this many.

    Raises
    ------
    ReadingError
        A repair without a part, or a count that cannot be.

    """
    _require_part(known, route)
    if not 0 <= there <= MOST:
        raise ReadingError(f"{there} parts cannot lie there", "how many", f"0 to {MOST:,}")
    with transaction.atomic():
        family = kept_family(route, family)
        held = sum(n for name, where, n in Move.objects.counts() if (name, where) == (route, family))
        return Move.objects.create(
            route=route, family=family, change=there - held, why=Move.Why.COUNTED, by=user, at=now
        )


def book_out(job_pk: int, route: str, kind: str, model_name: str, *, user: User, now: datetime) -> Move | None:
    """A repair used its part; nothing where the shop does not keep it."""
    family = family_of(route, kind, model_name, Move.objects.counts())
    if family is None:
        return None
    return Move.objects.create(route=route, family=family, change=-1, why=Move.Why.USED, job_id=job_pk, by=user, at=now)


def take_again(job_pk: int, route: str, *, user: User, now: datetime) -> Move | None:
    """A repair that was struck out counts again: the part that had been put back is gone after all."""
    moves = list(Move.objects.of_job(job_pk, route))
    if not moves or moves[-1].why != Move.Why.BACK:
        return None
    return Move.objects.create(
        route=route, family=moves[0].family, change=-1, why=Move.Why.USED, job_id=job_pk, by=user, at=now
    )


def put_back(job_pk: int, route: str, *, user: User, now: datetime) -> Move | None:
    """A repair was struck out of the record: the part it took goes back."""
    moves = list(Move.objects.of_job(job_pk, route))
    if sum(move.change for move in moves) >= 0:
        return None
    return Move.objects.create(
        route=route, family=moves[0].family, change=1, why=Move.Why.BACK, job_id=job_pk, by=user, at=now
    )
