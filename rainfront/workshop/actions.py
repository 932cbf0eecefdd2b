"""Every write to the shop's own numbers: check, atomic, a new edition each."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from django.db import transaction

from chargepath.base.errors import KnowledgeError, ReadingError
from chargepath.knowledge import Knowledge
from chargepath.knowledge.changes import OPEN_TO_CHANGE, Change, is_number
from chargepath.knowledge.loader import as_written, load, shipped
from chargepath.learning.examples import Estimates, minutes_of, to_json
from rainfront.people.actions import note_workshop
from rainfront.people.forms import MeForm
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right, needs, require
from rainfront.web.regional import NO_CURRENCY, currency_of
from rainfront.workshop.adapters import examples_at, own_changes
from rainfront.workshop.forms import FirstPricesForm, RegionForm, WorkshopForm
from rainfront.workshop.levels import follow_currency
from rainfront.workshop.models import Edition, KnowledgeChange, Learned, Method, PartPrice, ShopMinutes
from rainfront.workshop.signals import new_numbers, numbers_changed

P = ParamSpec("P")
R = TypeVar("R")


def new_edition(action: Callable[P, R]) -> Callable[P, R]:
    """Run an action in one transaction and name a new edition of the shop's numbers."""

    @wraps(action)
    def inner(*args: P.args, **kwargs: P.kwargs) -> R:
        with transaction.atomic():
            made = action(*args, **kwargs)
            Edition.objects.update_or_create(pk=1, defaults={"token": secrets.token_hex(8)})
        new_numbers.send(sender=Edition)
        return made

    return inner


def learned_again(action: Callable[P, R]) -> Callable[P, R]:
    """Say, once an action is stored, that what was learned has to be worked out anew."""

    @wraps(action)
    def inner(*args: P.args, **kwargs: P.kwargs) -> R:
        made = action(*args, **kwargs)
        numbers_changed.send(sender=inner)
        return made

    return inner


def shipped_number(path: str) -> Any:
    """What ships under a path.

    Raises
    ------
    ReadingError
        No such number, or it is not one that a shop may change.

    """
    stem, *keys = path.split(".")
    right = f"as in faults.port_fouled.weight, in {', '.join(OPEN_TO_CHANGE)}"
    if stem not in OPEN_TO_CHANGE:
        raise ReadingError(f"'{stem}' holds no number that can be changed", "number", right)
    found: Any = as_written(stem)
    for key in keys:
        found = found.get(key) if isinstance(found, dict) else None
    if not is_number(found):
        raise ReadingError(f"'{path}' is no number", "number", right)
    return found


def try_change(path: str, value: float) -> Knowledge:
    """The knowledge as it would be with one more number changed.

    Raises
    ------
    ReadingError
        The number does not exist or cannot have that value; says what would be right.

    """
    shipped_number(path)
    rows = [*examples_at(Workshop.current().price_level), *own_changes()]
    try:
        return load(changes=[*rows, Change(path, value)])
    except KnowledgeError as error:
        raise ReadingError(f"{value:g} cannot be", path, "; ".join(error.problems)[:300]) from error


def store_settings(me: MeForm, shop: WorkshopForm | None, *, user: User, now: datetime) -> None:
    """Store a person's own settings and, by the lead, the workshop's, from valid forms, together.

    Raises
    ------
    NotAllowed
        The workshop's, not by the lead.

    """
    if shop is not None:
        require(user, Right.LEAD)
    with transaction.atomic():
        me.save()
        if shop is not None:
            here = shop.instance
            before = Workshop.current()
            said = (here.price_level, here.hourly_rate) != (before.price_level, before.hourly_rate)
            here.prices_own = here.prices_own or said
            follow_currency(here, before)
            note_workshop(here, user=user, now=now)
            shop.save()


@needs(Right.LEAD)
@transaction.atomic
def choose_region(form: RegionForm, *, user: User, now: datetime) -> None:
    """Store the region from a valid form; its currency goes with it where none was chosen, or the old region's was.

    Until the lead has said what things cost, rate and example prices follow the currency too.
    """
    before, shop = Workshop.current(), form.instance
    if before.currency in (NO_CURRENCY, currency_of(before.locale)):
        shop.currency = currency_of(shop.locale)
    follow_currency(shop, before)
    note_workshop(shop, user=user, now=now)
    shop.save()


@needs(Right.LEAD)
@transaction.atomic
def set_first_prices(form: FirstPricesForm, *, user: User, now: datetime) -> None:
    """Store currency, rate and tax from a valid form; the example prices follow what one part costs here."""
    shop = form.instance
    shop.price_level, shop.prices_own = form.level(), True
    note_workshop(shop, user=user, now=now)
    shop.save()


@learned_again
@new_edition
def change_number(path: str, value: float, reason: str, *, user: User, now: datetime) -> KnowledgeChange:
    """Put the shop's own number in place of the shipped one.

    Raises
    ------
    NotAllowed
        Not by the lead.
    ReadingError
        Without a reason, or a value that cannot be.

    """
    require(user, Right.LEAD)
    if not reason.strip():
        raise ReadingError("say why", "reason", "in a few words; the list keeps it")
    try_change(path, value)
    return KnowledgeChange.objects.create(
        path=path, shipped=str(shipped_number(path))[:40], value=value, reason=reason.strip()[:300], by=user, at=now
    )


@learned_again
@new_edition
def undo_change(change: KnowledgeChange, *, user: User, now: datetime) -> None:
    """Go back to the number that ships, or to an earlier change of it."""
    require(user, Right.LEAD)
    change.undone_at, change.undone_by = now, user
    change.save(update_fields=["undone_at", "undone_by"])


@new_edition
def set_minutes(key: str, family: str, minutes: float | None, *, user: User, now: datetime) -> None:
    """Set how long something takes here; None goes back to what ships.

    Raises
    ------
    NotAllowed
        Not by the lead.
    ReadingError
        An unknown key, or minutes that cannot be.

    """
    require(user, Right.LEAD)
    if key not in minutes_of(shipped()):
        raise ReadingError(f"'{key}' takes no minutes", "what", "choose from the list")
    if minutes is not None and not 0 <= minutes <= 600:
        raise ReadingError(f"{minutes:g} minutes are not possible", "minutes", "0 to 600")
    ShopMinutes.objects.standing().filter(key=key, family__iexact=family.strip()).update(replaced_at=now)
    if minutes is not None:
        ShopMinutes.objects.create(key=key, family=family.strip()[:80], minutes=minutes, by=user, at=now)


@new_edition
@needs(Right.PARTS)
def set_part(
    route: str, family: str, price: Decimal | None, days: float = 0.0, sold_with: str = "", *, user: User, now: datetime
) -> None:
    """Set what a repair's part costs here; None goes back to what ships. Anybody at the bench may: prices are read off
    an order.

    Raises
    ------
    ReadingError
        An unknown repair, a price or days that cannot be, or a part that is sold with itself.

    """
    routes = shipped().routes
    if route not in routes or (sold_with and sold_with not in routes):
        raise ReadingError(f"'{sold_with or route}' is no repair", "repair", "choose from the list")
    if sold_with == route:
        raise ReadingError("a part is not sold with itself", "sold with", "another repair, or none")
    if price is not None and not 0 <= price <= 100_000:
        raise ReadingError(f"{price} is not possible", "price", "0 to 100,000")
    if not 0 <= days <= 90:
        raise ReadingError(f"{days:g} days are not possible", "days", "0 to 90")
    PartPrice.objects.standing().filter(route=route, family__iexact=family.strip()).update(replaced_at=now)
    if price is not None:
        PartPrice.objects.create(
            route=route, family=family.strip()[:80], price=price, days=days, sold_with=sold_with, by=user, at=now
        )


@new_edition
def set_method(slot: str, option: str, *, user: User, now: datetime) -> None:
    """Set how this shop does one thing; '' leaves it to what costs least on the device.

    Raises
    ------
    NotAllowed
        Not by the lead.
    ReadingError
        No such choice or option.

    """
    require(user, Right.LEAD)
    options = shipped().procedures.options
    if slot not in options or (option and option not in options[slot]):
        raise ReadingError("there is no such way of doing it", "choice", "one of those on the page")
    Method.objects.standing().filter(slot=slot).update(replaced_at=now)
    if option:
        Method.objects.create(slot=slot, option=option, by=user, at=now)


@new_edition
def store_estimates(estimates: Estimates, *, user: User | None, now: datetime) -> Learned | None:
    """Keep what was learned as the numbers in force; nothing is stored while learning is frozen or off.

    Of those before, what people set stays, without its numbers.
    """
    last = Learned.objects.first()
    if last is not None and last.state != Learned.State.ON:
        return None
    since = last.since if last else None
    Learned.objects.filter(by__isnull=True).delete()
    Learned.objects.update(data={})
    return Learned.objects.create(
        data=to_json(estimates), jobs=estimates.jobs, state=Learned.State.ON, since=since, by=user, at=now
    )


@learned_again
@new_edition
def set_learning(state: str, *, user: User, now: datetime) -> Learned:
    """Go on learning, freeze what was learned, switch it off, or begin anew from now (`reset`).

    Raises
    ------
    NotAllowed
        Not by the lead.
    ReadingError
        An unknown state.

    """
    require(user, Right.LEAD)
    last = Learned.objects.first()
    Learned.objects.update(data={})
    if state == "reset":
        return Learned.objects.create(state=Learned.State.ON, since=now, data={}, jobs=0, by=user, at=now)
    if state not in Learned.State.values:
        raise ReadingError(f"'{state}' is no state", "learning", f"one of {', '.join(Learned.State.values)}, reset")
    return Learned.objects.create(
        state=state,
        since=last.since if last else None,
        data=last.data if last else {},
        jobs=last.jobs if last else 0,
        by=user,
        at=now,
    )
