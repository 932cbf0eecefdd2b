"""A steady beat between little and much: the device starts over, again and again."""

from __future__ import annotations

import numpy as np

from chargepath.base.arrays import Array
from chargepath.trace.grid import Flags, Grid, local_high, middle, rolling

# Common practice: how devices behave that refuse a handshake or run out of input.
LOOP_PERIODS_S = (0.4, 30.0)
LOOP_CYCLES = 3
SLOW_BEAT_S = 3.0
FAST_BEAT_S, FAST_CYCLES = 2.0, 6


def find_loops(grid: Grid) -> list[tuple[int, int, float]]:
    """Stretches with a steady beat between little and much: start, stop, period [s]."""
    high, most = local_high(grid, 12.0, 0.85), local_high(grid, 12.0, 1.0)
    deep = most > max(0.08, 8 * grid.noise)
    free = np.ones(grid.amps.size, dtype=bool)
    found = []
    smooth = rolling(grid.amps, 3, 0.5) if grid.step <= 0.2 else grid.amps
    least = np.maximum(0.25 * high, max(1.7 * grid.zero, 0.03))
    for on in (smooth > np.minimum(least, 0.1), (smooth > 0.5 * high) & (smooth > grid.zero)):
        for start, stop, period in _beats(grid, on & free, deep):
            found.append((start, stop, period))
            free[max(start - 1, 0) : stop + 1] = False
    return sorted(found)


def _beats(grid: Grid, on: Flags, deep: Flags) -> list[tuple[int, int, float]]:
    """Stretches in which `on` comes and goes with a steady beat."""
    rises = np.flatnonzero(~on[:-1] & on[1:] & deep[1:]) + 1
    if rises.size < LOOP_CYCLES:
        return []
    times = grid.edges[rises]
    beats = np.diff(times)
    fine = (beats >= LOOP_PERIODS_S[0]) & (beats <= LOOP_PERIODS_S[1])
    found, at = [], 0
    while at < beats.size:
        stop = at
        while stop < beats.size and fine[stop] and _even(beats[at : stop + 1], grid.step):
            stop += 1
        if stop - at >= LOOP_CYCLES - 1 and stop > at:
            first, last = int(rises[at]), int(rises[stop])
            off = 1 - float(np.mean(on[first:last]))
            period = middle(beats[at:stop])
            slow_enough = period >= SLOW_BEAT_S and off >= 0.3
            enough = LOOP_CYCLES if period >= FAST_BEAT_S else FAST_CYCLES
            if off >= 0.12 and (stop - at >= enough or slow_enough):
                last = _end_of_beat(on, last, round(period / grid.step))
                found.append((first, last, period))
        at = max(stop, at + 1)
    return found


def _even(beats: Array, step: float) -> bool:
    usual = middle(beats)
    return bool(np.all(np.abs(beats - usual) <= 0.12 * usual + 1.01 * step))


def _end_of_beat(on: Flags, last: int, most: int) -> int:
    """Where the last cycle ends; a draw that goes on for longer than the others belongs to what follows."""
    after = np.flatnonzero(~on[last : last + most])
    if not after.size:
        return last
    end = last + int(after[0])
    again = np.flatnonzero(on[end : last + most])
    return end + int(again[0]) if again.size else min(last + most, on.size)
