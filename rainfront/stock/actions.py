"""Every write to the shelf. The count of an item only ever changes together with a move, and never below nothing."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.knowledge import Knowledge
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.stock.adapters import best_of
from rainfront.stock.models import Donor, Item, Move
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.actions import set_part
from rainfront.workshop.models import PartPrice

MOST = 10_000


def _require_part(known: Knowledge, route: str) -> None:
    found = known.routes.get(route)
    if found is None or found.part <= 0:
        raise ReadingError(f"'{route}' takes no part", "repair", "choose from the list")


def names_of(text: str) -> list[str]:
    """Models or kinds, divided by commas; none for all.

    Raises
    ------
    ReadingError
        More than twenty, or one that is too long.

    """
    names = list(dict.fromkeys(name.strip() for name in text.split(",") if name.strip()))
    if len(names) > 20 or any(len(name) > 80 for name in names):
        raise ReadingError("that are too many models", "fits", "up to twenty, divided by commas, or empty for all")
    return names


def item_for(route: str, fits: Sequence[str], connector: str = "") -> Item:
    """The item of a repair that fits just these, made where there is none; capitals make no second one."""
    wanted = {name.lower() for name in fits}
    item: Item
    for item in Item.objects.filter(route=route, connector=connector):
        if {name.lower() for name in item.fits} == wanted:
            return item
    made: Item = Item.objects.create(route=route, fits=list(fits), connector=connector)
    return made


def _move(item: Item, change: int, why: str, user: User, now: datetime, **more: Any) -> Move:
    """Change a count with the move that says why; False where too few lie there."""
    if change > 0:
        Item.objects.put(item.pk, change)
    elif change < 0 and not Item.objects.take(item.pk, -change):
        raise ReadingError("none of it lies there any more", "part", "count the shelf, or order one")
    made: Move = Move.objects.create(item=item, change=change, why=why, by=user, at=now, **more)
    return made


@needs(Right.PARTS)
def take_in(
    known: Knowledge,
    route: str,
    family: str,
    count: int,
    price: Decimal | None = None,
    *,
    connector: str = "",
    why: str = Move.Why.IN,
    note: str = "",
    donor: Donor | None = None,
    user: User,
    now: datetime,
) -> Move:
    """Parts came in, off a donor board or made good too; with a price, it is the shop's price from now on.

    `family` names the models or kinds that they fit, divided by commas; empty for all.

    Raises
    ------
    ReadingError
        A repair without a part, or a count or price that cannot be.

    """
    _require_part(known, route)
    refuse_unlock_code(note, "note")
    if not 1 <= count <= MOST:
        raise ReadingError(f"{count} parts cannot have come in", "how many", f"1 to {MOST:,}")
    with transaction.atomic():
        item = item_for(route, names_of(family), connector)
        if price is not None:
            set_price(known, item, price, None, user=user, now=now)
        return _move(item, count, why, user, now, note=note.strip()[:200], donor=donor)


@needs(Right.PARTS)
@transaction.atomic
def set_price(known: Knowledge, item: Item, price: Decimal, days: float | None, *, user: User, now: datetime) -> None:
    """What one costs, and how long new ones take to come, for everything that it fits; None keeps the days."""
    for family in item.fits or [""]:
        last = PartPrice.objects.standing().filter(route=item.route, family__iexact=family).first()
        kept, sold_with = (last.days, last.sold_with) if last else (known.routes[item.route].days, "")
        set_part(item.route, family, price, kept if days is None else days, sold_with, user=user, now=now)


@needs(Right.PARTS)
def count_parts(known: Knowledge, item: Item, there: int, *, user: User, now: datetime) -> Move:
    """Somebody counted: so many lie free on the shelf.

    Raises
    ------
    ReadingError
        A count that cannot be.

    """
    if not 0 <= there <= MOST:
        raise ReadingError(f"{there} parts cannot lie there", "how many", f"0 to {MOST:,}")
    with transaction.atomic():
        held = Item.objects.select_for_update().get(pk=item.pk)
        return _move(held, there - held.count, Move.Why.COUNTED, user, now)


def keep_item(
    item: Item, *, minimum: int, supplier: str, fits: str, connector: str, breaks: Sequence[tuple[int, Decimal]]
) -> Item:
    """Correct what is known of a kind of part.

    Raises
    ------
    ReadingError
        A minimum or prices by quantity that cannot be.

    """
    if not 0 <= minimum <= MOST:
        raise ReadingError(f"{minimum} cannot be the least", "at least", f"0 to {MOST:,}")
    if any(count < 2 or not 0 <= price <= 100_000 for count, price in breaks):
        raise ReadingError("a price by quantity begins at two", "price by quantity", "as in 10: 2,40; 50: 1,90")
    item.minimum, item.supplier, item.connector = minimum, supplier.strip()[:60], connector
    item.fits, item.breaks = names_of(fits), [[count, str(price)] for count, price in sorted(breaks)]
    item.save(update_fields=["minimum", "supplier", "connector", "fits", "breaks"])
    return item


@needs(Right.PARTS)
@transaction.atomic
def correct_item(
    known: Knowledge,
    item: Item,
    *,
    there: int | None,
    price: Decimal | None,
    days: float | None,
    minimum: int,
    supplier: str,
    fits: str,
    connector: str,
    breaks: Sequence[tuple[int, Decimal]],
    user: User,
    now: datetime,
) -> None:
    """Correct a kind of part as a whole or not at all; None for a count or a price that stays.

    Raises
    ------
    ReadingError
        Anything of it that cannot be; nothing is stored.

    """
    if there is not None:
        count_parts(known, item, there, user=user, now=now)
    keep_item(item, minimum=minimum, supplier=supplier, fits=fits, connector=connector, breaks=breaks)
    if price is not None:
        set_price(known, item, price, days, user=user, now=now)


@needs(Right.PARTS)
def bin_parts(item: Item, count: int, why: str, *, user: User, now: datetime) -> Move:
    """Parts are thrown away, with the reason.

    Raises
    ------
    ReadingError
        Without a reason, or more than lie there.

    """
    refuse_unlock_code(why, "reason")
    if not why.strip():
        raise ReadingError("say why they are binned", "reason", "in a few words")
    if count < 1:
        raise ReadingError(f"{count} cannot be binned", "how many", "1 or more")
    with transaction.atomic():
        return _move(item, -count, Move.Why.BINNED, user, now, note=why.strip()[:200])


@needs(Right.PARTS)
@transaction.atomic
def add_donor(name: str, note: str, *, user: User, now: datetime) -> Donor:
    """A board is kept to take parts from.

    Raises
    ------
    ReadingError
        Without a name.

    """
    refuse_unlock_code(f"{name} {note}", "board")
    if not name.strip():
        raise ReadingError("which board is it?", "board", "its model, and what is wrong with it")
    made: Donor = Donor.objects.create(name=name.strip()[:80], note=note.strip()[:200], by=user, at=now)
    return made


@needs(Right.PARTS)
@transaction.atomic
def end_donor(pk: int, *, user: User, now: datetime) -> None:
    """Nothing is left on a donor board; what was taken off it stays readable."""
    Donor.objects.filter(pk=pk, gone_at__isnull=True).update(gone_at=now)


def reserve(job_pk: int, route: str, kind: str, model_name: str, connector: str, *, user: User, now: datetime) -> bool:
    """Keep a part for a job whose repair was chosen; whether one was there."""
    held = Move.objects.reserved_by(job_pk)
    items = list(Item.objects.filter(route=route))
    if any(item.pk in held for item in items):
        return True
    item = best_of(items, kind, model_name, connector)
    if item is None or not Item.objects.take(item.pk):
        return False
    Item.objects.hold(item.pk, 1)
    Move.objects.create(item=item, change=-1, why=Move.Why.RESERVED, job_id=job_pk, by=user, at=now)
    return True


def release(job_pk: int, route: str, *, user: User, now: datetime) -> None:
    """A repair was given up: what it had reserved lies free again."""
    held = Move.objects.reserved_by(job_pk)
    for item in Item.objects.filter(pk__in=held, route=route):
        _move(item, held[item.pk], Move.Why.FREED, user, now, job_id=job_pk)
        Item.objects.hold(item.pk, -held[item.pk])


def book_out(
    job_pk: int, route: str, kind: str, model_name: str, connector: str, *, user: User, now: datetime
) -> Move | None:
    """A repair used its part: the one that it had reserved, or one that lies free; None where the shop keeps none.

    Where the shelf is empty the move says that one was used which nobody had counted.
    """
    release(job_pk, route, user=user, now=now)
    item = best_of(Item.objects.filter(route=route), kind, model_name, connector)
    if item is None:
        return None
    there = Item.objects.take(item.pk)
    return Move.objects.create(
        item=item,
        change=-1 if there else 0,
        why=Move.Why.USED,
        note="" if there else "none lay there: count again",
        job_id=job_pk,
        by=user,
        at=now,
    )


def take_again(job_pk: int, route: str, *, user: User, now: datetime) -> Move | None:
    """A repair that was struck out counts again: the part that had been put back is gone after all."""
    moves = [move for move in Move.objects.of_job(job_pk, route) if move.why in (Move.Why.USED, Move.Why.BACK)]
    if not moves or moves[-1].why != Move.Why.BACK:
        return None
    there = Item.objects.take(moves[-1].item_id)
    return Move.objects.create(
        item=moves[-1].item, change=-1 if there else 0, why=Move.Why.USED, job_id=job_pk, by=user, at=now
    )


def put_back(job_pk: int, route: str, *, user: User, now: datetime) -> Move | None:
    """A repair was struck out of the record: the part it took goes back."""
    moves = [move for move in Move.objects.of_job(job_pk, route) if move.why in (Move.Why.USED, Move.Why.BACK)]
    if sum(move.change for move in moves) >= 0:
        return None
    return _move(moves[-1].item, 1, Move.Why.BACK, user, now, job_id=job_pk)
