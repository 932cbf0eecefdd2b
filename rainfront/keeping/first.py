"""What a new workshop sets before its first job: what is done, what is missing, and where it is set."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.urls import reverse

from rainfront.instruments.models import Meter
from rainfront.keeping import archive, places
from rainfront.keeping.doctor import LATE
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right
from rainfront.reference.models import DiodeMeter, GoodReading
from rainfront.stock.models import Item
from rainfront.web.regional import NO_CURRENCY
from rainfront.workshop.adapters import Shop

UNNAMED = "Workshop"


@dataclass(frozen=True)
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


def first_things(shop: Shop, now: datetime) -> list[FirstThing]:
    """Everything that a new workshop sets, in the order in which it is wanted."""
    here = Workshop.current()
    people = User.objects.filter(is_active=True).count()
    made = archive.list_backups(places.backups())
    meters, parts = DiodeMeter.objects.count(), Item.objects.count()
    page = reverse("keeping:first_things")
    return [
        FirstThing(
            "Region and currency",
            here.currency != NO_CURRENCY,
            "not chosen yet" if here.currency == NO_CURRENCY else f"{here.currency}, {shop.region.money(1234)}",
            "money, dates and decimals are written by it",
            f"{page}#region",
        ),
        FirstThing(
            "Labour and part prices",
            here.price_level is not None,
            "example numbers, not yours" if here.price_level is None else f"examples times {here.price_level:f}",
            "the advice weighs minutes against parts; quotes and bills begin with them",
            f"{page}#money",
        ),
        FirstThing(
            "Name and address",
            bool(here.name and here.name != UNNAMED and here.address),
            here.name if here.name != UNNAMED else "no name yet",
            "it stands on every paper for a customer",
            reverse("workshop:settings"),
        ),
        FirstThing(
            "People",
            people > 1,
            f"{people} who may sign in" if people > 1 else "only you",
            "each signs in with an own name: the record says who did what",
            reverse("people:people"),
            Right.PEOPLE,
        ),
        FirstThing(
            "Multimeter",
            meters > 0,
            f"{meters} named" if meters else "none named",
            "diode readings are held against those of the same meter",
            reverse("reference:new_meter"),
        ),
        FirstThing(
            "USB power meter",
            Meter.objects.exists(),
            str(Meter.current()) if Meter.objects.exists() else "the simulated one",
            "current is read by itself, over time",
            reverse("instruments:meter"),
            Right.KEEP,
        ),
        FirstThing(
            "Parts on the shelf",
            parts > 0,
            f"{parts} kinds" if parts else "none kept",
            "what lies here is not waited for, and the advice knows it",
            reverse("stock:shelf"),
        ),
        FirstThing(
            "Good boards",
            GoodReading.objects.exists(),
            "readings are kept" if GoodReading.objects.exists() else "none measured yet",
            "a line is held against what good boards of its model read",
            reverse("reference:overview"),
        ),
        FirstThing(
            "Backup",
            bool(made and made[0].tested_at and now - datetime.fromisoformat(made[0].at) < LATE),
            "made and read back" if made and made[0].tested_at else "not made yet" if not made else "not read back yet",
            "a disk that fails takes everything with it",
            reverse("keeping:backups"),
            Right.KEEP,
        ),
    ]
