"""Every write to the references: check, atomic."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import date, datetime
from typing import Any

from django.db import transaction

from chargepath.base.errors import ReadingError
from chargepath.electrical.goodfile import BadRow, read_good
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import PinMap
from chargepath.trace.table import decode
from rainfront.people.models import User
from rainfront.people.rights import Right, needs
from rainfront.reference import adapters
from rainfront.reference.models import BoardConnector, DiodeMeter, GoodReading, GoodValue, IdleCurrent

BATCH = 2000
MAX_FILE_BYTES = 30_000_000


@needs(Right.TEACH)
def import_readings(known: Knowledge, raw: bytes, *, user: User, now: datetime) -> tuple[int, list[BadRow]]:
    """Store every good line of a table; returns how many, and each line that was left out.

    Raises
    ------
    ReadingError
        It is no such table; nothing is stored.

    """
    if len(raw) > MAX_FILE_BYTES:
        raise ReadingError(
            f"{len(raw) / 1e6:.0f} MB is too large", "file", f"up to {MAX_FILE_BYTES / 1e6:.0f} MB; split it"
        )
    found: dict[str, PinMap | None] = {}

    def cached(map_id: str) -> PinMap | None:
        if map_id not in found:
            found[map_id] = adapters.find_map(map_id, known)
        return found[map_id]

    meters = {meter.name.lower(): meter for meter in DiodeMeter.objects.all()}
    styles = {name: adapters.style_of(meter) for name, meter in meters.items()}
    good, bad = read_good(decode(raw), cached, known.places, styles)
    today = now.date()
    made = (
        {
            "model_name": row.model,
            "revision": row.revision,
            "map_id": row.map_id,
            "place": row.place,
            "pin": row.pin,
            "meter": meters[row.meter],
            "mv": None if math.isinf(row.mv) else row.mv,
            "taken": row.taken or today,
            "by": user,
            "at": now,
        }
        for row in good
    )
    with transaction.atomic():
        GoodReading.objects.all().insert_rows(made)
    return len(good), bad


@needs(Right.TEACH)
def keep_readings(
    details: dict[str, Any],
    readings: Iterable[tuple[str, float]],
    *,
    user: User,
    now: datetime,
    taken: date | None = None,
) -> int:
    """Keep a good board's readings: `details` are model_name, revision, map_id, place and meter.

    Raises
    ------
    ReadingError
        There is no reading, or no meter to put beside it.

    """
    rows = [
        GoodReading(pin=pin, mv=None if math.isinf(mv) else mv, taken=taken or now.date(), by=user, at=now, **details)
        for pin, mv in readings
    ]
    if not rows:
        raise ReadingError("there is nothing to keep", "sheet", "read some lines first")
    if details.get("meter") is None:
        raise ReadingError("no meter is named", "meter", "a reference only holds for the meter it was taken with")
    with transaction.atomic():
        GoodReading.objects.bulk_create(rows, batch_size=BATCH)
    return len(rows)


@needs(Right.TEACH)
@transaction.atomic
def keep_values(
    details: dict[str, Any], unit: str, values: Iterable[tuple[str, float]], *, user: User, now: datetime, taken: date
) -> int:
    """Keep what a good board reads in volts or ohms: `details` are model_name, revision, map_id, place and meter.

    Raises
    ------
    ReadingError
        There is no reading, or no meter to put beside it.

    """
    rows = [
        GoodValue(
            pin=pin, unit=unit, value=None if math.isinf(value) else value, taken=taken, by=user, at=now, **details
        )
        for pin, value in values
    ]
    if not rows:
        raise ReadingError("there is nothing to keep", "sheet", "read some lines first")
    if details.get("meter") is None:
        raise ReadingError("no meter is named", "meter", "a reference only holds for the meter it was taken with")
    GoodValue.objects.bulk_create(rows, batch_size=BATCH)
    return len(rows)


@needs(Right.TEACH)
@transaction.atomic
def forget_values(details: dict[str, Any], *, back: bool, user: User, now: datetime) -> int:
    """Take volts or ohms of one model at one place with one meter out of use, or bring them `back`; how many."""
    found = GoodValue.objects.filter(**details, removed_at__isnull=not back)
    fields = {"removed_at": None, "removed_by": None} if back else {"removed_at": now, "removed_by": user}
    return int(found.update(**fields))


@needs(Right.TEACH)
@transaction.atomic
def forget_board(details: dict[str, Any], *, user: User, now: datetime) -> int:
    """Take one model's readings at one place with one meter out of use; returns how many."""
    found = GoodReading.objects.standing().filter(**details)
    return int(found.update(removed_at=now, removed_by=user))


@needs(Right.TEACH)
@transaction.atomic
def restore_board(details: dict[str, Any], *, user: User) -> int:
    """Bring readings that were taken out back into use; returns how many."""
    return int(GoodReading.objects.removed().filter(**details).update(removed_at=None, removed_by=None))


@needs(Right.TEACH)
@transaction.atomic
def store_connector(
    known: Knowledge,
    name: str,
    model_name: str,
    end: str,
    rows: int,
    per_row: int,
    pins: dict[str, str],
    *,
    user: User,
    now: datetime,
) -> BoardConnector:
    """Store a shop's own board connector.

    Raises
    ------
    ConnectorError
        Wrong pin counts or unknown lines; nothing is stored.

    """
    row = BoardConnector(
        name=name, model_name=model_name, end=end, rows=rows, per_row=per_row, pins=pins, by=user, at=now
    )
    adapters.map_of_board(row, known)
    row.save()
    return row


@needs(Right.TEACH)
@transaction.atomic
def keep_idle(model_name: str, amps: float, *, user: User, now: datetime) -> IdleCurrent:
    """Keep what a good board of a model draws before the power key."""
    if not 0 <= amps <= 0.3:
        raise ReadingError(f"{amps:g} A is no good board's idle current", "amps", "allowed: 0 to 0.3 A")
    return IdleCurrent.objects.create(model_name=model_name, amps=amps, by=user, at=now)


@needs(Right.TEACH)
@transaction.atomic
def store_meter(form: Any, *, user: User) -> None:
    """Store a multimeter from a valid form."""
    form.save()
