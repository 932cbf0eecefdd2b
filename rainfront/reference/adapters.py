"""Rows into the core's references and pin maps, and back."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from statistics import median

from chargepath.base.quantities import METERS, MeterStyle
from chargepath.electrical.lines import TEST_MA
from chargepath.electrical.references import Reference, Shift, meter_shift, summarise
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import Net, PinMap, board_connector, inner_nets
from rainfront.reference.models import BoardConnector, DiodeMeter, GoodReading, IdleCurrent

BOARD = "board-"


def nets(known: Knowledge) -> dict[str, Net]:
    """Every net that a shop's own connector may name."""
    return inner_nets([*(connector.map for connector in known.connectors.values()), *known.points.values()])


def map_of_board(row: BoardConnector, known: Knowledge) -> PinMap:
    """A shop's connector as a pin map."""
    made = board_connector(row.name, row.per_row, row.rows, row.pins, nets(known))
    return PinMap(**{**made.__dict__, "id": row.map_id})


def find_map(map_id: str, known: Knowledge) -> PinMap | None:
    """A pin map by its id: shipped, or one of the shop's own."""
    if map_id in known.connectors:
        return known.connectors[map_id].map
    if map_id in known.points:
        return known.points[map_id]
    number = map_id.removeprefix(BOARD)
    if map_id.startswith(BOARD) and number.isdecimal() and len(number) < 10:
        row = BoardConnector.objects.filter(pk=int(number)).first()
        return map_of_board(row, known) if row else None
    return None


def style_of(meter: DiodeMeter | None) -> MeterStyle:
    """How a meter shows things."""
    return METERS[meter.style] if meter else METERS["any"]


def test_current(meter: DiodeMeter | None) -> float:
    """Test current of a meter [mA]."""
    return float(meter.test_ma) if meter and meter.test_ma else TEST_MA


def shift_between(first: DiodeMeter, second: DiodeMeter) -> Shift:
    """How much higher the second meter reads, from every line that good boards of one kind were read on with both."""
    medians = _medians(GoodReading.objects.version())
    one, other = medians.get(first.pk, {}), medians.get(second.pk, {})
    pairs = [(mv, other[cell]) for cell, mv in one.items() if cell in other]
    return meter_shift(pairs, (first.test_ma, second.test_ma))


@lru_cache(maxsize=1)
def _medians(version: tuple[int, int, float]) -> dict[int, dict[tuple[str, ...], float]]:
    """What each meter reads on each line of good boards [mV], by meter; kept until the readings change."""
    cells: dict[tuple[int, tuple[str, ...]], list[float]] = defaultdict(list)
    rows = GoodReading.objects.standing().filter(mv__isnull=False).order_by("pk")
    for meter, mv, *cell in rows.values_list("meter_id", "mv", "model_name", "revision", "map_id", "place", "pin"):
        cells[meter, tuple(cell)].append(mv)
    out: dict[int, dict[tuple[str, ...], float]] = defaultdict(dict)
    for (meter, named), readings in cells.items():
        out[meter][named] = median(readings)
    return out


@dataclass(frozen=True)
class References:
    """References of a sheet by pin, with how old they are and what could not be used."""

    by_pin: Mapping[str, Reference]
    newest: date | None
    oldest: date | None
    boards: int
    notes: tuple[str, ...]


def references_for(model_name: str, revision: str, map_id: str, place: str, meter: DiodeMeter | None) -> References:
    """References of one pin map at one place: readings of the same meter, else another's corrected, or a word why not.

    Queries: one for the readings; where another meter's have to be corrected one more, and one for all of them once
    they have changed.
    """
    readings: dict[int, dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    meters: dict[int, DiodeMeter] = {}
    dates: list[date] = []
    for row in GoodReading.objects.for_sheet(model_name, revision, map_id, place).select_related("meter"):
        readings[row.meter_id][row.pin].append(math.inf if row.mv is None else row.mv)
        meters[row.meter_id] = row.meter
        dates.append(row.taken)
    notes: list[str] = []
    by_pin: dict[str, Reference] = {}
    if meter and meter.pk in readings:
        by_pin = {pin: summarise(values) for pin, values in readings[meter.pk].items()}
    for other, pins in readings.items():
        missing = {pin: values for pin, values in pins.items() if pin not in by_pin}
        if not missing or (meter and other == meter.pk):
            continue
        if meter is None:
            by_pin |= {pin: summarise(values) for pin, values in missing.items()}
            continue
        shift = shift_between(meters[other], meter)
        if shift.known:
            by_pin |= {
                pin: summarise(values, shift_mv=shift.mv, shift_error_mv=shift.error_mv)
                for pin, values in missing.items()
            }
            notes.append(f"readings of {meters[other]} corrected by {shift.reason}")
        else:
            notes.append(f"readings of {meters[other]} cannot be used with {meter}: {shift.reason}")
    boards = max((reference.count for reference in by_pin.values()), default=0)
    return References(by_pin, max(dates, default=None), min(dates, default=None), boards, tuple(notes))


def good_idle(model_name: str) -> float | None:
    """A model's known-good current from a bench supply [A], the newest entry; None where there is none."""
    row = IdleCurrent.objects.filter(model_name__iexact=model_name).first()
    return row.amps if row else None
