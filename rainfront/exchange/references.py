"""References of another shop: written into one file, and merged into one's own without anything being there twice."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping, Sequence
from datetime import date, datetime
from typing import Any

from django.db import transaction

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.base.quantities import METERS
from chargepath.knowledge import Knowledge
from rainfront.board.models import BoardMap
from rainfront.board.sending import SentPicture, map_in, map_out, pictures_in
from rainfront.exchange.shape import ArchiveError
from rainfront.instruments.models import KnownGood
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right, needs
from rainfront.reference.actions import store_connector
from rainfront.reference.adapters import BOARD, find_map
from rainfront.reference.models import BoardConnector, DiodeMeter, GoodReading, GoodValue, IdleCurrent
from rainfront.web.files import files_go_with_it
from rainfront.workshop.adapters import Shop
from rainfront.workshop.ownphotos import CleanPhoto, photos_in
from rainfront.workshop.ownsteps import steps_out, take_steps_in

FORMAT, VERSION = "rainfront-references", 1
MOST_BYTES, MOST_READINGS, MOST_BOARDS = 30_000_000, 300_000, 200
RIGHT = "a file as 'Take out for another shop' writes it"
OWN = "own "


def write_references() -> Iterator[str]:
    """Everything that another shop can use, as one JSON text in pieces; meters and connectors by their names."""
    boards = {row.map_id: row.name for row in BoardConnector.objects.all()}
    head = {
        "format": FORMAT,
        "version": VERSION,
        "shop": Workshop.current().name,
        "meters": list(DiodeMeter.objects.order_by("name").values("name", "style", "test_ma")),
        "connectors": list(BoardConnector.objects.values("name", "model_name", "end", "rows", "per_row", "pins")),
        "idle": [{"model": row.model_name, "amps": row.amps} for row in _newest(IdleCurrent)],
        "plateaus": [{"model": row.model_name, "amps": row.amps} for row in _newest(KnownGood)],
        "values": _values_out(boards),
        "steps": steps_out(),
        "boards": [map_out(board) for board in BoardMap.objects.standing().with_all()],
        "units": {
            "readings": "mV, null for open",
            "values": "as each says, null for open",
            "idle": "A",
            "plateaus": "A",
            "test_ma": "mA",
        },
    }
    yield json.dumps(head, indent=1)[:-2] + ',\n "readings": ['
    between = "\n"
    for model, revision, map_id, place, pin, meter, mv, taken in GoodReading.objects.rows():
        named = f"{OWN}{boards[map_id]}" if map_id in boards else map_id
        row = [model, revision, named, place, pin, meter, mv, taken.isoformat()]
        yield between + json.dumps(row, ensure_ascii=False, separators=(",", ":"))
        between = ",\n"
    yield "\n]}\n"


def _values_out(boards: Mapping[str, str]) -> list[list[Any]]:
    """Volts and ohms of good boards: model, revision, pin map, place, pin, unit, value, meter, day."""
    names = ("model_name", "revision", "map_id", "place", "pin", "unit", "value", "meter__name", "taken")
    rows = [list(row) for row in GoodValue.objects.standing().order_by("pk").values_list(*names)]
    for row in rows:
        row[2] = f"{OWN}{boards[row[2]]}" if row[2] in boards else row[2]
        row[8] = row[8].isoformat()
    return rows


def _values_in(
    known: Knowledge, rows: Any, meters: Mapping[str, DiodeMeter], maps: Mapping[str, str], user: User, now: datetime
) -> int:
    """Store volts and ohms that are not here yet; how many."""
    keys = ("model_name", "revision", "map_id", "place", "pin", "unit", "value", "meter_id", "taken")
    there = set(GoodValue.objects.filter(meter__in=list(meters.values())).values_list(*keys))
    new = []
    for model, revision, map_id, place, pin, unit, value, meter, taken in rows:
        own = maps.get(map_id, map_id)
        pins = find_map(own, known)
        if pins is None or pin not in pins.pin or place not in known.places or unit not in GoodValue.Unit.values:
            raise ValueError(f"the reading {pin} of {model}")
        if not (value is None or math.isfinite(value)):
            raise ValueError(f"the reading {pin} of {model}")
        day = date.fromisoformat(taken)
        row = (str(model)[:80], str(revision)[:20], own, place, pin, unit, value, meters[meter].pk, day)
        if row not in there:
            there.add(row)
            new.append(GoodValue(**dict(zip(keys, row, strict=True)), by=user, at=now))
    GoodValue.objects.bulk_create(new, batch_size=1000)
    return len(new)


def _newest(model: type[Any]) -> list[Any]:
    found: dict[str, Any] = {}
    for row in model._base_manager.order_by("-pk"):
        found.setdefault(row.model_name.lower(), row)
    return sorted(found.values(), key=lambda row: row.model_name)


@needs(Right.TEACH)
def merge_references(here: Shop, raw: bytes, *, user: User, now: datetime) -> tuple[dict[str, int], list[str]]:
    """Take in another shop's references; how many meters, connectors, readings, currents and own steps are new.

    Returns
    -------
    dict of str to int
    list of str
        Steps of theirs that were left out, each with the reason.

    Its meters come under its name, since two meters of one name are not one meter; what is there already stays as it
    is, so that the same file twice changes nothing. An own plateau or idle current of a model is kept.

    Raises
    ------
    ArchiveError
        It is no such file, or a line of it cannot be; nothing is stored.

    """
    found = _read(raw)
    # Decoding pictures takes seconds, in which nobody else could write.
    photos = photos_in(found.get("steps", []))
    rows = found.get("boards", [])
    boards = [(row, pictures_in(row)) for row in (rows[:MOST_BOARDS] if isinstance(rows, list) else ())]
    with files_go_with_it(), transaction.atomic():
        return _merge(found, photos, boards, here, user, now)


def _merge(
    found: Mapping[str, Any],
    photos: Mapping[int, CleanPhoto | ReadingError],
    boards: Sequence[tuple[Any, list[SentPicture | None]]],
    here: Shop,
    user: User,
    now: datetime,
) -> tuple[dict[str, int], list[str]]:
    known = here.known
    shop = str(found.get("shop") or "another shop")[:20].strip()
    ours = shop == Workshop.current().name[:20].strip()
    done = dict.fromkeys(("meters", "connectors", "readings", "currents"), 0)
    try:
        meters = {row["name"]: _meter(row, "" if ours else f"{shop}: ", done) for row in found["meters"]}
        maps = {f"{OWN}{row['name']}": _connector(known, row, shop, done, user, now) for row in found["connectors"]}
        done["readings"] = _readings(known, found["readings"], meters, maps, user, now)
        done["readings"] += _values_in(known, found.get("values", [])[:MOST_READINGS], meters, maps, user, now)
        for kind, rows in ((IdleCurrent, found["idle"]), (KnownGood, found["plateaus"])):
            done["currents"] += sum(_current(kind, row, user, now) for row in rows)
        done["boards"] = sum(map_in(row, shown, known, user=user, now=now) is not None for row, shown in boards)
        done["steps"], left = take_steps_in(found.get("steps", []), photos, user=user, now=now, shop=here)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise ArchiveError(f"something in it is not as it should be ({error})", "file", RIGHT) from error
    return done, left


def _read(raw: bytes) -> dict[str, Any]:
    if len(raw) > MOST_BYTES:
        raise ArchiveError(f"{len(raw) / 1e6:.0f} MB is too large", "file", f"up to {MOST_BYTES / 1e6:.0f} MB")
    try:
        found = json.loads(raw)
    except (ValueError, RecursionError) as error:
        raise ArchiveError("it is no JSON", "file", RIGHT) from error
    if not isinstance(found, dict) or (found.get("format"), found.get("version")) != (FORMAT, VERSION):
        raise ArchiveError("it holds no references", "file", RIGHT)
    return found


def _meter(row: dict[str, Any], prefix: str, done: dict[str, int]) -> DiodeMeter:
    name, style, test = f"{prefix}{row['name']}"[:40], str(row["style"]), row["test_ma"]
    if style not in METERS or not (test is None or 0.01 <= float(test) <= 10):
        raise ValueError(f"meter {row['name']}")
    meter, made = DiodeMeter.objects.get_or_create(name=name, defaults={"style": style, "test_ma": test})
    done["meters"] += made
    return meter


def _connector(
    known: Knowledge, row: dict[str, Any], shop: str, done: dict[str, int], user: User, now: datetime
) -> str:
    same = {"rows": row["rows"], "per_row": row["per_row"], "pins": row["pins"], "end": row["end"]}
    for name in (row["name"], f"{row['name']} ({shop})"[:60]):
        there = BoardConnector.objects.filter(name=name).first()
        if there is not None and all(getattr(there, key) == value for key, value in same.items()):
            return there.map_id
        if there is None:
            try:
                made = store_connector(
                    known, name=name, model_name=str(row["model_name"])[:80], **same, user=user, now=now
                )
            except ChargepathError as error:
                raise ArchiveError(f"connector {row['name']}: {error}", "file", RIGHT) from error
            done["connectors"] += 1
            return made.map_id
    raise ValueError(f"connector {row['name']} is there twice, otherwise each time")


def _readings(
    known: Knowledge,
    rows: list[Any],
    meters: dict[str, DiodeMeter],
    maps: dict[str, str],
    user: User,
    now: datetime,
) -> int:
    if len(rows) > MOST_READINGS:
        raise ArchiveError(f"{len(rows):,} readings are too many", "file", f"up to {MOST_READINGS:,}")
    keys = ("model_name", "revision", "map_id", "place", "pin", "meter_id", "mv", "taken")
    there = set(GoodReading.objects.filter(meter__in=list(meters.values())).values_list(*keys))
    pins: dict[str, frozenset[str]] = {}
    new = []
    for model, revision, map_id, place, pin, meter, mv, taken in rows:
        own = maps.get(map_id, map_id)
        if own not in pins:
            found = None if own.startswith(BOARD) and map_id == own else find_map(own, known)
            if found is None:
                raise ValueError(f"the pin map {map_id}")
            pins[own] = frozenset(found.pin)
        day = date.fromisoformat(taken)
        if pin not in pins[own] or place not in known.places or not (mv is None or 0 <= float(mv) < 10_000):
            raise ValueError(f"the reading {pin} of {model}")
        if isinstance(mv, float) and not math.isfinite(mv):
            raise ValueError(f"the reading {pin} of {model}")
        key = (str(model)[:80], str(revision)[:20], own, place, pin, meters[meter].pk, mv, day)
        if key not in there:
            there.add(key)
            new.append(dict(zip(("model_name", "revision", "map_id", "place", "pin"), key[:5], strict=True)) | {
                "meter": meters[meter], "mv": None if mv is None else float(mv), "taken": day, "by": user, "at": now,
            })  # fmt: skip
    GoodReading.objects.all().insert_rows(new)
    return len(new)


def _current(kind: type[Any], row: dict[str, Any], user: User, now: datetime) -> bool:
    model, amps = str(row["model"])[:80], float(row["amps"])
    if not 0 <= amps <= 10 or not model.strip():
        raise ValueError(f"a current of {model}")
    if kind._base_manager.filter(model_name__iexact=model).exists():
        return False
    kind._base_manager.create(model_name=model, amps=amps, by=user, at=now)
    return True
