"""What the reference pages show."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import combinations
from typing import Any
from urllib.parse import urlencode

from chargepath.base.quantities import figure, show
from chargepath.electrical.goodfile import BadRow
from chargepath.electrical.references import Reference, summarise
from chargepath.knowledge import Knowledge
from rainfront.reference import adapters
from rainfront.reference.models import DiodeMeter, GoodReading, GoodValue


@dataclass(frozen=True)
class BoardRow:
    """How much there is of one model at one place with one meter."""

    model: str
    revision: str
    map: str
    place: str
    meter: str
    readings: int
    pins: int
    first: Any
    last: Any
    query: str
    details: dict[str, Any]


def place_label(known: Knowledge, place: str) -> str:
    """A place in words."""
    found = known.places.get(place)
    return found.label if found else place


def board_rows(known: Knowledge, found: list[dict[str, Any]]) -> list[BoardRow]:
    """Rows of the overview; one look-up of a shop's connector for each that is named."""
    labels: dict[str, str] = {}
    rows = []
    for row in found:
        if row["map_id"] not in labels:
            pins = adapters.find_map(row["map_id"], known)
            labels[row["map_id"]] = pins.label if pins else row["map_id"]
        query = urlencode({key: row[key] for key in ("model_name", "revision", "map_id", "place", "meter")})
        rows.append(
            BoardRow(
                model=row["model_name"],
                revision=row["revision"],
                map=labels[row["map_id"]],
                place=place_label(known, row["place"]),
                meter=row["meter__name"],
                readings=row["readings"],
                pins=row["pins"],
                first=row["first"],
                last=row["last"],
                query=query,
                details={
                    **{key: row[key] for key in ("model_name", "revision", "map_id", "place")},
                    "meter_id": row["meter"],
                },
            )
        )
    return rows


@dataclass(frozen=True, kw_only=True)
class ValueRow:
    """How much there is in volts or ohms of one model at one place with one meter; `out` where it is out of use."""

    model: str
    revision: str
    map: str
    place: str
    unit: str
    meter: str
    readings: int
    out: bool
    details: dict[str, Any]


def value_rows(known: Knowledge, found: list[dict[str, Any]]) -> list[ValueRow]:
    """Rows of volts and ohms of good boards; one look-up for each shop's own connector that is named."""
    rows = []
    for row in found:
        pins = adapters.find_map(row["map_id"], known)
        keys = ("model_name", "revision", "map_id", "place", "unit")
        rows.append(
            ValueRow(
                model=row["model_name"],
                revision=row["revision"],
                map=pins.label if pins else row["map_id"],
                place=place_label(known, row["place"]),
                unit=GoodValue.Unit(row["unit"]).label,
                meter=row["meter__name"],
                readings=row["readings"],
                out=row["removed_at"] is not None,
                details={**{key: row[key] for key in keys}, "meter_id": row["meter"]},
            )
        )
    return rows


def shift_rows(meters: list[DiodeMeter]) -> list[tuple[str, str, bool]]:
    """What is known of the shift between every two meters."""
    rows = []
    for first, second in combinations(meters[:6], 2):
        shift = adapters.shift_between(first, second)
        rows.append((f"{second} against {first}", shift.reason, shift.known))
    return rows


def band_words(reference: Reference) -> str:
    """A band in words."""
    if reference.expects_open:
        return "open"
    low, high = reference.band_mv
    return f"{low:.0f} to {show(high, 'mV')}"


def board_page(known: Knowledge, query: Mapping[str, str]) -> dict[str, Any] | None:
    """One model's references at one place with one meter, None where there are none."""
    keys = ("model_name", "revision", "map_id", "place")
    details = {key: query.get(key, "")[:80] for key in keys}
    meter = query.get("meter", "")
    pins = adapters.find_map(details["map_id"], known)
    if pins is None or not meter.isdecimal() or len(meter) > 9:
        return None
    rows = list(GoodReading.objects.standing().filter(**details, meter_id=int(meter)).select_related("meter"))
    if not rows:
        return None
    by_pin: dict[str, list[float]] = {}
    for row in rows:
        by_pin.setdefault(row.pin, []).append(math.inf if row.mv is None else row.mv)
    lines = []
    for pin in pins.walk():
        if pin in by_pin:
            reference = summarise(by_pin[pin])
            middle = "OL" if reference.expects_open else show(reference.median_mv, "mV")
            lines.append(
                (
                    pins.named(pin),
                    middle,
                    band_words(reference),
                    f"{figure(reference.spread_mv, 1)}",
                    reference.count,
                    reference.note,
                )
            )
    dates = sorted(row.taken for row in rows)
    return {
        "details": {**details, "meter_id": meter},
        "map": pins,
        "place": place_label(known, details["place"]),
        "meter": rows[0].meter,
        "lines": lines,
        "first": dates[0],
        "last": dates[-1],
        "readings": len(rows),
    }


def bad_report(bad: list[BadRow]) -> str:
    """Every line that was left out, as a text to keep."""
    return "\n".join(f"line {row.line}: {row.what}" for row in bad)
