"""The watch over a cell that is charged from a supply: it compares each reading with its limits and ends the charge.

Nothing here decides to go on: a reading is either within its limits or a reason to cut.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from chargepath.base.quantities import figure, shortest
from chargepath.knowledge import Knowledge
from chargepath.repair.cell import Cell, Feed, charge, share_at

VOLTS_OVER, AMPS_OVER, AMPS_OVER_SHARE, FALLS_V = 0.02, 0.05, 0.1, 0.06
LONGER, MORE = 1.6, 1.15
# Current that should flow and does not; how long it may be missing, and how long the threshold must be held.
MISSING_SHARE, MISSING_S, HELD_S = 0.5, 5.0, 5.0
COMES_OFF_K, DIFFERS_V, SHOWS_NONE_V, WRONG_WAY_V = 4.0, 0.15, 0.3, -0.3
DONE, CUT = "done", "cut"


@dataclass(frozen=True)
class Sample:
    """One reading: seconds since the start, volts and amps of the supply, temperature of the cell or None."""

    seconds: float
    volts: float
    amps: float
    temp_c: float | None = None


@dataclass(frozen=True)
class Watched:
    """What the watch remembers of the readings so far.

    Attributes
    ----------
    highest_v : float
        At the same current.
    moved_mah : float
        What has gone in.
    first_temp_c : float or None
    last : Sample or None
    missing_since, held_since : float or None
        Since when the current is missing, and the volts are over the threshold [s].

    """

    highest_v: float = 0.0
    moved_mah: float = 0.0
    first_temp_c: float | None = None
    last: Sample | None = None
    missing_since: float | None = None
    held_since: float | None = None


@dataclass(frozen=True)
class WatchVerdict:
    """Why the output goes off: `kind` is 'done' or 'cut'."""

    kind: str
    says: str


@dataclass(frozen=True)
class Watch:
    """A cell with the limits that its readings are held against.

    Attributes
    ----------
    cell, feed : Cell, Feed
        As they were when it began; the feed's amps are what is set now.
    rates : mapping
        Limits of charging (cells.toml).
    expected_s, room_mah : float
        How long it should take, and how much should go in.

    """

    cell: Cell
    feed: Feed
    rates: Mapping[str, float]
    expected_s: float
    room_mah: float

    @classmethod
    def begin(cls, cell: Cell, feed: Feed, known: Knowledge) -> Watch:
        """The watch at the start of a charge."""
        rates, ah = known.cells.charge, cell.capacity_mah / 1000
        course = charge(cell, known.cells, min((feed.then_amps or feed.amps) / ah, rates["most_c"]))
        room = cell.capacity_mah * (1 - share_at(cell.volts, cell.kind, known.cells))
        return cls(cell, feed, rates, float(course.times[-1]), room)

    def differs(self, volts: float) -> str:
        """What is wrong with the volts that the supply shows with its output off; '' where nothing is.

        A supply that shows nothing then says nothing.
        """
        if volts < WRONG_WAY_V:
            return f"it reads {figure(volts, 2)} V with the output off: the leads are the wrong way round"
        if volts > SHOWS_NONE_V and abs(volts - self.cell.volts) > DIFFERS_V:
            typed = figure(self.cell.volts, 2)
            return f"it reads {figure(volts, 2)} V at the cell, not {typed}: is it this cell, do both leads hold?"
        return ""

    def look(self, seen: Watched, sample: Sample) -> tuple[Watched, WatchVerdict | None]:
        """Take in one more reading; the verdict is None while the charge may go on."""
        last, moved, highest = seen.last, seen.moved_mah, seen.highest_v
        if last is not None:
            moved += (sample.amps + last.amps) / 2 * max(sample.seconds - last.seconds, 0.0) / 3.6
            if abs(sample.amps - last.amps) > AMPS_OVER:
                highest = 0.0
        missing = sample.volts < self._limit - FALLS_V and sample.amps < MISSING_SHARE * self.feed.amps
        now = Watched(
            highest_v=max(highest, sample.volts),
            moved_mah=moved,
            first_temp_c=seen.first_temp_c if seen.first_temp_c is not None else sample.temp_c,
            last=sample,
            missing_since=_since(seen.missing_since, sample, missing),
            held_since=_since(seen.held_since, sample, sample.volts >= self.rates["pre_below_v"]),
        )
        return now, self._verdict(now, last)

    def raised(self, seen: Watched) -> Watch | None:
        """The watch with the full current, once the cell has stayed above its threshold; None before that and after."""
        then, last = self.feed.then_amps, seen.last
        if not then or then <= self.feed.amps or last is None or seen.held_since is None:
            return None
        if last.seconds - seen.held_since < HELD_S:
            return None
        return replace(self, feed=Feed(self.feed.volts, then))

    @property
    def _limit(self) -> float:
        return min(self.feed.volts, self.cell.kind.limit_v)

    def _verdict(self, seen: Watched, last: Sample | None) -> WatchVerdict | None:
        sample = seen.last
        assert sample is not None
        says = self._electrical(seen, sample) or self._warm(seen, sample, last) or self._too_long(seen, sample)
        if says:
            return WatchVerdict(CUT, says)
        ends = self.rates["end_c"] * self.cell.capacity_mah / 1000
        if sample.volts > self._limit - 3 * VOLTS_OVER and sample.amps < ends and sample.seconds > 30:
            if seen.moved_mah < self.room_mah / 2 - 0.05 * self.cell.capacity_mah:
                little = f"only {figure(sample.amps, 2)} A flows after {seen.moved_mah:.0f} mAh"
                return WatchVerdict(CUT, f"{little}: a lead is off, or its protection has opened")
            flows = f"{figure(sample.amps, 2)} A at {figure(sample.volts, 2)} V"
            return WatchVerdict(DONE, f"full: {flows}, {seen.moved_mah:.0f} mAh went in")
        return None

    def _electrical(self, seen: Watched, sample: Sample) -> str:
        most_a = self.feed.amps + max(AMPS_OVER, AMPS_OVER_SHARE * self.feed.amps)
        if sample.volts > self._limit + VOLTS_OVER:
            return f"{figure(sample.volts, 2)} V, over the limit of {figure(self._limit, 2)}"
        if sample.amps > most_a:
            return f"{figure(sample.amps, 2)} A, over the {figure(self.feed.amps, 2)} that were set"
        if sample.amps < -AMPS_OVER:
            return f"{figure(sample.amps, 2)} A: the leads are the wrong way round, or it feeds the supply"
        if seen.highest_v - sample.volts > FALLS_V and sample.amps > AMPS_OVER:
            falls = f"{figure(seen.highest_v, 2)} to {figure(sample.volts, 2)}"
            return f"the volts fall while it is charged, {falls}: it may short inside"
        if seen.missing_since is not None and sample.seconds - seen.missing_since > MISSING_S:
            flows = f"{figure(sample.amps, 2)} A flows of {figure(self.feed.amps, 2)}"
            return f"{flows}: a lead is off, or the output went off by itself"
        return ""

    def _warm(self, seen: Watched, sample: Sample, last: Sample | None) -> str:
        temp, first = sample.temp_c, seen.first_temp_c
        if temp is None:
            return "the thermocouple fell silent" if first is not None else ""
        if temp > self.rates["high_temp_c"]:
            return f"the cell has {temp:.0f} °C, over {shortest(self.rates['high_temp_c'])}"
        if temp < self.rates["low_temp_c"]:
            return f"the cell has {temp:.0f} °C, under {shortest(self.rates['low_temp_c'])}"
        if first is not None and temp - first > self.rates["warms_k"]:
            return f"the cell has warmed from {first:.0f} to {temp:.0f} °C"
        if last is not None and last.temp_c is not None and last.temp_c - temp > COMES_OFF_K:
            return f"the thermocouple fell from {last.temp_c:.0f} to {temp:.0f} °C at once: it has come off the cell"
        return ""

    def _too_long(self, seen: Watched, sample: Sample) -> str:
        if seen.moved_mah > MORE * self.room_mah + 0.05 * self.cell.capacity_mah:
            return f"{seen.moved_mah:.0f} mAh went in, more than it holds"
        if sample.seconds > LONGER * self.expected_s + 600:
            return f"it takes longer than {LONGER * self.expected_s / 60:.0f} min"
        return ""


def _since(before: float | None, sample: Sample, is_so: bool) -> float | None:
    """Time since which a condition has held without a break [s]; None while it does not hold."""
    if not is_so:
        return None
    return sample.seconds if before is None else before
