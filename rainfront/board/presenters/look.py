"""What a canvas is told of a board beside its pads: roles, covers, pictures, what reads how there."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any

from django.urls import reverse

from chargepath.base.quantities import show
from chargepath.base.sentences import inside
from chargepath.electrical.references import summarise
from chargepath.knowledge import Knowledge
from rainfront.board.adapters import laid, named
from rainfront.board.models import BoardMap, BoardPicture, Tie
from rainfront.inside.models import Sheet
from rainfront.inside.presenters import shown
from rainfront.inside.probed import Probed
from rainfront.jobs.adapters import own_repairs
from rainfront.jobs.models import Job
from rainfront.reference.adapters import find_map
from rainfront.reference.models import GoodReading, GoodValue
from rainfront.reference.presenters import band_words, place_label
from rainfront.web.words import counted

# Names under the cursor are shown where the picture is off by less than this share of the distance to the next pad.
SHARE_OF_PITCH = 0.5


def known_of(
    board: BoardMap, known: Knowledge, job: int | None = None, pads: Mapping[int, Mapping[str, Any]] | None = None
) -> dict[str, Any]:
    """What a canvas is told of a board beside its pads: roles, covers, pictures, readings by pad."""
    said, tables = named(board), known.boards
    pictures = [row for row in board.pictures.all() if row.photo_id is None or (job and row.photo.job_id == job)]
    return {
        "roles": {
            net: [tables.roles[role].label, inside(known.stations[tables.roles[role].station].label)]
            for net, role in said.nets.items()
            if role in tables.roles
        },
        "rails": [net for net, role in said.nets.items() if role in tables.roles and tables.roles[role].rail],
        "parts": {part: tables.parts[role].label for part, role in said.parts.items() if role in tables.parts},
        "covers": [
            {"side": row.side, "box": [row.left, row.top, row.right, row.bottom], "says": row.get_what_display()}
            for row in board.covers.all()
        ],
        "pictures": [told for row in pictures if (told := _picture(board, row)) is not None],
        "pads": {} if pads is None else pads,
        "warm": [spot for row in pictures if row.photo_id for spot in _warm(board, row)],
        "cut": list(board.layout.cut),
        "scaled": board.scaled,
        "onPicture": board.made == BoardMap.Made.PICTURE,
        "near": reverse("board:near", args=[board.pk]),
        "landings": reverse("board:landings", args=[board.pk]),
    }


def _picture(board: BoardMap, row: BoardPicture) -> dict[str, Any] | None:
    """A picture as a canvas draws it, None where it does not lie over the board yet."""
    row.board = board
    found = laid(row)
    if found.fitted is None:
        return None
    return {
        "url": picture_url(row),
        "side": row.side,
        "width": row.width,
        "height": row.height,
        "matrix": [float(value) for value in found.fitted.matrix.ravel()],
        "box": [float(value) for value in found.box],
        "errors": [round(float(value), 4) for value in found.errors.ravel()],
        "share": SHARE_OF_PITCH,
        "label": f"{'photo of this job' if row.photo_id else 'picture'}, {row.side}",
    }


def _warm(board: BoardMap, row: BoardPicture) -> list[list[float]]:
    """Hot spots that are marked on a photo of the job, on the board [mm]; none where the photo does not lie over it."""
    row.board = board
    fitted = laid(row).fitted
    marks = [mark for mark in row.photo.marks.all() if mark.part and not mark.removed_at] if row.photo else []
    if fitted is None or not marks:
        return []
    places = fitted.to_board([(mark.x * row.width, mark.y * row.height) for mark in marks])
    return [[round(float(x), 3), round(float(y), 3)] for x, y in places]


def picture_url(row: BoardPicture) -> str:
    """Where the picture itself is."""
    if row.photo is not None:
        return reverse("inside:file", args=[row.photo.job_id, row.photo_id])
    return reverse("board:picture", args=[row.board_id, row.pk])


def good_by_pad(board: BoardMap, known: Knowledge) -> dict[int, dict[str, Any]]:
    """What good boards read at each tied pad, by meter, and what the pad is called; two queries."""
    readings: dict[tuple[str, str, str], dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    rows = GoodReading.objects.standing().filter(model_name__iexact=board.model_name)
    for map_id, place, pin, meter, mv in rows.values_list("map_id", "place", "pin", "meter__name", "mv"):
        readings[map_id, place, pin][meter].append(math.inf if mv is None else mv)
    values: dict[tuple[str, str, str], dict[tuple[str, str], list[float]]] = defaultdict(lambda: defaultdict(list))
    others = GoodValue.objects.standing().filter(model_name__iexact=board.model_name)
    for map_id, place, pin, unit, meter, value in others.values_list(
        "map_id", "place", "pin", "unit", "meter__name", "value"
    ):
        values[map_id, place, pin][unit, meter].append(math.inf if value is None else value)
    out: dict[int, dict[str, Any]] = {}
    for tie in board.ties.all():
        label = _pin_label(tie, known)
        for pad in tie.pads:
            row = out.setdefault(pad, {"names": [], "good": []})
            row["names"].append(label)
            for place in tie.places:
                for meter, mvs in readings.get((tie.map_id, place, tie.pin), {}).items():
                    row["good"].append(_good_words(mvs, meter))
                for (unit, meter), read in values.get((tie.map_id, place, tie.pin), {}).items():
                    row["good"].append(_value_words(read, unit, meter))
    return out


def _good_words(values: Sequence[float], meter: str) -> str:
    reference = summarise(values)
    middle = "open" if reference.expects_open else f"{show(reference.median_mv, 'mV')} ({band_words(reference)})"
    return f"{middle}, {counted(reference.count, 'board')}, {meter}"


def _value_words(values: Sequence[float], unit: str, meter: str) -> str:
    """Volts or ohms of good boards: the middle one, and how far they lie apart."""
    ends = f" ({show(min(values), unit)} to {show(max(values), unit)})" if min(values) != max(values) else ""
    return f"{show(median(values), unit)}{ends}, {counted(len(values), 'board')}, {meter}"


def _pin_label(tie: Tie, known: Knowledge) -> str:
    """What a pin is, in words."""
    if tie.map_id == Tie.LADDER:
        rung = known.rungs.get(tie.pin)
        return f"ladder: {rung.label}" if rung else tie.pin
    pins = find_map(tie.map_id, known)
    return f"{pins.label}: {pins.named(tie.pin)}" if pins and tie.pin in pins.pin else tie.pin


def read_by_pad(board: BoardMap, known: Knowledge, probed: Probed) -> dict[int, dict[str, Any]]:
    """What `good_by_pad` gives, with what this job read at each tied pad and its mark."""
    out = good_by_pad(board, known)
    read: dict[tuple[str, str, str], tuple[str, str]] = {}
    for found in probed.judged.values():
        for pin, verdict in found.verdicts.items():
            key = (found.sheet.map_id, found.sheet.place, pin)
            mark = verdict.verdict.mark if verdict.counts else "none"
            read.setdefault(key, (shown(found.readings[pin].mv, found.sheet), mark))
    _put_others(board, known, probed.job, out)
    if probed.ladder is not None:
        for rung, volts in probed.ladder.volts.items():
            read[Tie.LADDER, "", rung] = (show(volts, "V"), "none")
    for tie in board.ties.all():
        there = next((place for place in tie.places if (tie.map_id, place, tie.pin) in read), None)
        if there is None:
            continue
        value, mark = read[tie.map_id, there, tie.pin]
        for pad in tie.pads:
            out[pad] |= {"value": value, "mark": mark, "at": place_label(known, there)}
    return out


def _put_others(board: BoardMap, known: Knowledge, job: Job, out: dict[int, dict[str, Any]]) -> None:
    """What this job read in volts and ohms since the newest repair of this bench, the newest sheet of each first."""
    repairs, seen = own_repairs(job), set()
    for sheet in Sheet.objects.in_volts_or_ohms(job.pk, repairs[-1].at if repairs else None):
        for point in sheet.points.all():
            key = (sheet.map_id, sheet.place, point.pin, sheet.mode)
            if point.replaced_at is not None or key in seen:
                continue
            seen.add(key)
            for tie in board.ties.all():
                if (tie.map_id, tie.pin) == (sheet.map_id, point.pin) and sheet.place in tie.places:
                    words = f"{shown(point.value, sheet)}, {place_label(known, sheet.place)}"
                    for pad in tie.pads:
                        out[pad].setdefault("also", []).append(words)


@dataclass(frozen=True)
class ReadRow:
    """A pad that was read on this job: its name, what it is, what it reads, its mark, and what good boards read."""

    pad: int
    name: str
    what: str
    value: str
    mark: str
    good: Sequence[str]


def read_rows(board: BoardMap, pads: Mapping[int, Mapping[str, Any]]) -> list[ReadRow]:
    """The pads that were read, those that are off first: what the canvas shows, as a list."""
    rows = [
        ReadRow(
            pad=number,
            name=board.layout.pads[number].name,
            what=row["names"][0],
            value=row["value"],
            mark=row["mark"],
            good=row["good"],
        )
        for number, row in pads.items()
        if row.get("value")
    ]
    return sorted(rows, key=lambda row: (row.mark in ("good", "none"), row.pad))


def pad_numbers(board: BoardMap, map_id: str, place: str) -> dict[str, list[int]]:
    """Pads of each tied pin of a map at one place, by pin."""
    return {tie.pin: tie.pads for tie in board.ties.all() if tie.map_id == map_id and place in tie.places}
