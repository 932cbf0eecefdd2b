"""What a new workshop sets before its first job: what is done, what is missing, and where it is set."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.urls import reverse

from rainfront.instruments.asking import power_meters
from rainfront.keeping import archive, places
from rainfront.keeping.doctor import LATE
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right
from rainfront.reference.models import DiodeMeter, GoodReading
from rainfront.stock.models import Item
from rainfront.web.regional import NO_CURRENCY
from rainfront.workshop.adapters import Shop

UNNAMED = "Workshop"


@dataclass(frozen=True, kw_only=True)
class FirstThing:
    """One thing to set: whether it is done, how it stands, why it matters, and the page on which it is set.

    `right` is what somebody must be allowed to set it there.
    """

    label: str
    done: bool
    stands: str
    why: str
    href: str
    right: Right = Right.LEAD


def _prices_stand(here: Workshop) -> str:
    if here.price_level is None:
        return "example numbers, not yours"
    times = f"examples times {here.price_level.normalize():f}"
    return times if here.prices_own else f"{times}, about right for {here.currency}; not yours yet"


def first_things(shop: Shop, now: datetime) -> list[FirstThing]:
    """Everything that a new workshop sets, in the order in which it is wanted."""
    here = Workshop.current()
    people = User.objects.filter(is_active=True).count()
    made = archive.list_backups(places.backups())
    meters, parts, power = DiodeMeter.objects.count(), Item.objects.count(), power_meters()
    page = reverse("keeping:first_things")
    return [
        FirstThing(
            label="Region and currency",
            done=here.currency != NO_CURRENCY,
            stands="not chosen yet" if here.currency == NO_CURRENCY else f"{here.currency}, {shop.region.money(1234)}",
            why="money, dates and decimals are written by it",
            href=f"{page}#region",
        ),
        FirstThing(
            label="Labour and part prices",
            done=here.prices_own,
            stands=_prices_stand(here),
            why="the advice weighs minutes against parts; quotes and bills begin with them",
            href=f"{page}#money",
        ),
        FirstThing(
            label="Name and address",
            done=bool(here.name and here.name != UNNAMED and here.address),
            stands=here.name if here.name != UNNAMED else "no name yet",
            why="it stands on every paper for a customer",
            href=reverse("workshop:settings"),
        ),
        FirstThing(
            label="People",
            done=people > 1,
            stands=f"{people} who may sign in" if people > 1 else "only you",
            why="each signs in with an own name: the record says who did what",
            href=reverse("people:people"),
            right=Right.PEOPLE,
        ),
        FirstThing(
            label="Multimeter",
            done=meters > 0,
            stands=f"{meters} named" if meters else "none named",
            why="diode readings are held against those of the same meter",
            href=reverse("reference:new_meter"),
        ),
        FirstThing(
            label="USB power meter",
            done=bool(power),
            stands=", ".join(map(str, power)) or "none is read",
            why="current is read by itself, over time",
            href=reverse("bench:bench"),
            right=Right.KEEP,
        ),
        FirstThing(
            label="Parts on the shelf",
            done=parts > 0,
            stands=f"{parts} kinds" if parts else "none kept",
            why="what lies here is not waited for, and the advice knows it",
            href=reverse("stock:shelf"),
        ),
        FirstThing(
            label="Good boards",
            done=GoodReading.objects.exists(),
            stands="readings are kept" if GoodReading.objects.exists() else "none measured yet",
            why="a line is held against what good boards of its model read",
            href=reverse("reference:overview"),
        ),
        FirstThing(
            label="Backup",
            done=bool(made and made[0].tested_at and now - datetime.fromisoformat(made[0].at) < LATE),
            stands="made and read back"
            if made and made[0].tested_at
            else "not made yet"
            if not made
            else "not read back yet",
            why="a disk that fails takes everything with it",
            href=reverse("keeping:backups"),
            right=Right.KEEP,
        ),
    ]
