"""What is stored of stations and melts."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from chargepath.base.errors import ReadingError
from rainfront.heat.models import HotAir, Melted
from rainfront.people.models import User
from rainfront.people.rights import Right, needs

MOST_STATIONS, MOST_MELTS = 30, 2000


@needs(Right.MEASURE)
@transaction.atomic
def add_station(name: str, note: str, *, user: User, now: datetime) -> HotAir:
    """Put a station on the bench; one that was given away under this name is back.

    Raises
    ------
    ReadingError
        It has no name, or one that is taken.

    """
    name = " ".join(name.split())
    if not name:
        raise ReadingError("a station needs a name", "name", "as it is called on the bench, 'left bench'")
    found = HotAir.objects.filter(name__iexact=name).first()
    if found and found.gone_at is None:
        raise ReadingError(f"there is a station {found.name} already", "name", "another name")
    if found:
        found.gone_at, found.note = None, note
        found.save(update_fields=["gone_at", "note"])
        return found
    if HotAir.objects.count() >= MOST_STATIONS:
        raise ReadingError("there are too many stations", "name", f"at most {MOST_STATIONS}")
    return HotAir.objects.create(name=name, note=note, by=user, at=now)


@needs(Right.MEASURE)
@transaction.atomic
def give_away(station: HotAir, *, user: User, now: datetime) -> None:
    """Take a station off the bench; its melts stay."""
    HotAir.objects.filter(pk=station.pk).update(gone_at=now)


@needs(Right.MEASURE)
@transaction.atomic
def log_melt(station: HotAir, values: Mapping[str, Any], *, user: User, now: datetime) -> Melted:
    """Keep how long a joint took until it moved."""
    if Melted.objects.filter(station=station).count() >= MOST_MELTS:
        raise ReadingError("there are too many melts", "station", f"at most {MOST_MELTS} a station")
    return Melted.objects.create(station=station, by=user, at=now, **values)


@needs(Right.MEASURE)
@transaction.atomic
def strike_melt(melt: Melted, *, user: User, now: datetime) -> None:
    """Strike a melt out, or let it count again."""
    struck = melt.struck_at is None
    Melted.objects.filter(pk=melt.pk).update(struck_at=now if struck else None, struck_by=user if struck else None)
