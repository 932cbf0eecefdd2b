"""The verdict of a proof: each item's readings against the thresholds for this device, and all items together."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from chargepath.base.errors import ReadingError
from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import ProofItem
from chargepath.proving.judges import JUDGES, Compared, ProofReading

# What can be read at a proof, whatever is asked: lowest, highest, unit.
LIMITS: Mapping[str, tuple[float, float]] = {
    "A": (0, 10),
    "V": (0, 30),
    "%": (0, 100),
    "min": (0, 1440),
    "mAh": (0, 20_000),
}


@dataclass(frozen=True)
class Readings:
    """The readings of a proof so far.

    Attributes
    ----------
    numbers : mapping of value name to float
    answers : mapping of item to answer
    doubts : mapping of item to what it showed so far, joined by commas
        Bad ones that are to be made sure of.
    left_out : mapping of item to reason

    """

    numbers: Mapping[str, float] = field(default_factory=dict)
    answers: Mapping[str, str] = field(default_factory=dict)
    doubts: Mapping[str, str] = field(default_factory=dict)
    left_out: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ItemMark:
    """One item of a proof with its readings and its verdict.

    Attributes
    ----------
    item : ProofItem
    shown : str
        What it showed, one of the item's `shows`; '' while it is open.
    compared : Compared or None
        The figures that it was judged by; None for an item that is answered, not measured.
    left_out : str
        Why it is left out.
    doubt : bool
        It was bad once and has to be read again.

    """

    item: ProofItem
    shown: str = ""
    compared: Compared | None = None
    left_out: str = ""
    doubt: bool = False

    @property
    def met(self) -> bool | None:
        """Whether the item shows what it must; None while nothing was read or it was left out."""
        return None if not self.shown else self.shown == self.item.shows[0]

    @property
    def settled(self) -> bool:
        """Whether the item needs no more reading."""
        return bool(self.shown or self.left_out or self.item.extra)


@dataclass(frozen=True)
class ProofResult:
    """All items; `works` is None while one is open and none has failed."""

    items: tuple[ItemMark, ...]

    @property
    def works(self) -> bool | None:
        """Verdict over all items."""
        if self.failed:
            return False
        return True if all(mark.settled for mark in self.items) else None

    @property
    def failed(self) -> tuple[ItemMark, ...]:
        """Items that show something other than they must."""
        return tuple(mark for mark in self.items if mark.met is False)

    def stations(self) -> dict[str, str]:
        """Where the charge line is shown good or off: a station is good once every item that looks at it is met."""
        out: dict[str, str] = {}
        for mark in self.items:
            for station in mark.item.stations:
                if mark.met is False:
                    out[station] = "off"
                elif not mark.settled:
                    out.setdefault(station, "none")
                elif mark.met:
                    out.setdefault(station, "good")
        for mark in self.items:
            for station in mark.item.stations:
                if not mark.settled and out[station] == "good":
                    out[station] = "none"
        return {station: state for station, state in out.items() if state != "none"}


def judge_proof(known: Knowledge, device: Device, asked: Sequence[ProofItem], readings: Readings) -> ProofResult:
    """Judge the readings of a proof by what this device has to show.

    Raises
    ------
    ReadingError
        A reading is physically impossible.

    """
    check_numbers(asked, readings.numbers)
    volts = readings.numbers.get("volts", known.connectors[device.connector].source_volts)
    waited = {item.id for item in asked if readings.doubts.get(item.id) in item.waits}
    about = ProofReading(known, device, readings.numbers, volts, flat=bool(waited - readings.answers.keys()))
    return ProofResult(tuple(_mark(about, item, readings) for item in asked))


def check_numbers(asked: Sequence[ProofItem], numbers: Mapping[str, float]) -> None:
    """Refuse readings that are physically impossible.

    Raises
    ------
    ReadingError
        Names the value and its limits.

    """
    units = {name: unit for item in asked for name, unit in item.values.items()}
    for name, number in numbers.items():
        unit = units.get(name)
        if unit is None:
            continue
        low, high = LIMITS[unit]
        if not (math.isfinite(number) and low <= number <= high):
            raise ReadingError(f"{number:g} {unit} is not possible", name, f"allowed: {low:g} to {high:g} {unit}")


def _mark(about: ProofReading, item: ProofItem, readings: Readings) -> ItemMark:
    compared = None if item.answers else JUDGES[item.judged](about)
    if item.id in readings.left_out:
        return ItemMark(item, compared=compared, left_out=readings.left_out[item.id])
    answer = readings.answers.get(item.id, "")
    shown = answer if compared is None else compared.shown or (answer if answer in item.said else "")
    return ItemMark(item, shown, compared, doubt=item.id in readings.doubts and not shown)


def take(known: Knowledge, device: Device, asked: Sequence[ProofItem], before: Readings, given: Readings) -> Readings:
    """Readings so far together with new ones.

    A bad one that an item wants made sure of counts from the second time on, or as often as it says; what is only
    waited for never does. Reading an item again takes back that it was left out.

    Raises
    ------
    ReadingError
        An answer is none of the item's, or a number cannot be.

    """
    check_numbers(asked, given.numbers)
    by_id = {item.id: item for item in asked}
    for name, answer in given.answers.items():
        if name in by_id and not by_id[name].takes(answer):
            right = ", ".join(by_id[name].answers.values())
            raise ReadingError(f"'{answer}' is no answer here", by_id[name].label, f"one of {right}")
    numbers, answers = {**before.numbers, **given.numbers}, {**before.answers, **given.answers}
    doubts, left_out = dict(before.doubts), {**before.left_out, **given.left_out}
    read_now = {item.id for item in asked if item.id in given.answers or set(item.values) & set(given.numbers)}
    for name in read_now:
        left_out.pop(name, None)
    for name in [name for name in read_now if answers.get(name) in by_id[name].waits]:
        doubts[name] = answers.pop(name)
    settled = judge_proof(known, device, asked, Readings(numbers, answers, doubts, left_out))
    for mark in settled.items:
        item = mark.item
        so_far = [shown for shown in doubts.get(item.id, "").split(",") if shown]
        if item.id not in read_now or not item.again or mark.met is not False or len(so_far) + 1 >= item.looks:
            continue
        doubts[item.id] = ",".join([*so_far, mark.shown])
        answers.pop(item.id, None)
        for value in item.values:
            numbers.pop(value, None)
    return Readings(numbers, answers, doubts, left_out)


def without(asked: Sequence[ProofItem], readings: Readings, item_id: str) -> Readings:
    """Readings without those of one item, so that it is asked again."""
    item = next((item for item in asked if item.id == item_id), None)
    names = set(item.values) if item else set()

    def kept(found: Mapping[str, str]) -> dict[str, str]:
        return {name: text for name, text in found.items() if name != item_id}

    return replace(
        readings,
        numbers={name: number for name, number in readings.numbers.items() if name not in names},
        answers=kept(readings.answers),
        doubts=kept(readings.doubts),
        left_out=kept(readings.left_out),
    )
