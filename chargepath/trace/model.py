"""A charger-current record."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError

MAX_SAMPLES = 2_000_000
# A stamp of a clock, from 1970 or from its start, is below this; a record is no longer than a month, and no meter for
# this work takes a million samples a second [s].
LATEST_S, LONGEST_S, FASTEST_S = 1e11, 31 * 86_400.0, 1e-6
GAP_FACTOR, GAP_LEAST_S = 6.0, 2.5


@dataclass(frozen=True, eq=False)
class Trace:
    """Samples of one record, in order of time.

    Attributes
    ----------
    seconds : array, shape (n,)
        Strictly rising time since the first sample [s].
    volts, amps : array, shape (n,)
        At the meter [V], [A]. Volts are NaN throughout where they were not recorded.
    plus, minus : array, shape (n,), or None
        Data lines D+ and D- [V].

    """

    seconds: Array
    volts: Array
    amps: Array
    plus: Array | None = None
    minus: Array | None = None

    def __len__(self) -> int:
        return self.seconds.size

    @property
    def has_volts(self) -> bool:
        """Whether volts were recorded."""
        return bool(self.volts.size) and bool(np.isfinite(self.volts).any())

    @property
    def step(self) -> float:
        """Usual time between samples [s], 1.0 where there are fewer than two."""
        return float(np.median(np.diff(self.seconds))) if len(self) > 1 else 1.0

    @property
    def duration(self) -> float:
        """Time from the first sample to the last [s]."""
        return float(self.seconds[-1] - self.seconds[0]) if len(self) else 0.0

    def pieces(self) -> list[slice]:
        """Stretches without a gap: a gap is six usual steps, and 2.5 s at least."""
        jumps = np.flatnonzero(np.diff(self.seconds) > max(GAP_FACTOR * self.step, GAP_LEAST_S)) + 1
        edges = [0, *jumps.tolist(), len(self)]
        return [slice(start, stop) for start, stop in itertools.pairwise(edges)]

    def part(self, start: float, stop: float) -> Trace:
        """The samples from `start` to `stop` [s], both included, with their own times."""
        rows = slice(*np.searchsorted(self.seconds, (start, np.nextafter(stop, np.inf))))
        extra = [None if line is None else line[rows] for line in (self.plus, self.minus)]
        return Trace(self.seconds[rows], self.volts[rows], self.amps[rows], *extra)


def make_trace(
    seconds: Array, amps: Array, volts: Array | None = None, plus: Array | None = None, minus: Array | None = None
) -> Trace:
    """Put samples into order: sorted, one sample a stamp, starting at zero.

    Where a clock is coarser than the sampling (most stamps come more than once), its samples are spread evenly over
    the clock's step; a stamp that is repeated now and then keeps the mean of its samples.

    Raises
    ------
    ReadingError
        No samples, too many, or arrays of different lengths.

    """
    n = seconds.size
    if n == 0:
        raise ReadingError("there is no sample", "trace", "at least one line with a time and amps")
    if n > MAX_SAMPLES:
        raise ReadingError(f"{n} samples are too many", "trace", f"up to {MAX_SAMPLES}")
    lines = [np.full(n, np.nan) if volts is None else volts, amps, plus, minus]
    if any(line is not None and line.size != n for line in lines):
        raise ReadingError("columns differ in length", "trace", "one value a line in each")
    if not (np.isfinite(seconds).all() and np.abs(seconds).max() < LATEST_S):
        raise ReadingError("a time is no time of a clock", "trace", "seconds, or a date and a time")
    if np.any(np.diff(seconds) < 0):
        order = np.argsort(seconds, kind="stable")
        seconds, lines = seconds[order], [None if line is None else line[order] for line in lines]
    if np.any(np.diff(seconds) == 0):
        seconds, lines = _one_a_stamp(seconds, lines)
    seconds = seconds - seconds[0]
    if seconds[-1] > LONGEST_S:
        raise ReadingError(
            f"from the first sample to the last are {seconds[-1] / 86_400:,.0f} days",
            "trace",
            f"up to {LONGEST_S / 86_400:.0f}; is the column of times another one?",
        )
    if seconds.size > 1 and seconds[-1] / seconds.size < FASTEST_S:
        raise ReadingError("the samples lie closer than any meter takes them", "trace", "is the unit of time another?")
    volts_, amps_, plus_, minus_ = lines
    assert volts_ is not None
    assert amps_ is not None
    return Trace(seconds, volts_, amps_, plus_, minus_)


def _one_a_stamp(seconds: Array, lines: list[Array | None]) -> tuple[Array, list[Array | None]]:
    stamps, first, counts = np.unique(seconds, return_index=True, return_counts=True)
    if stamps.size > 1 and np.median(counts) > 1:
        clock = float(np.median(np.diff(stamps)))
        place = np.arange(seconds.size) - np.repeat(first, counts)
        return seconds + clock * place / np.repeat(counts, counts), lines
    means = [None if line is None else np.add.reduceat(line, first) / counts for line in lines]
    return stamps, means
