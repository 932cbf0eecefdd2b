"""The working grid of a record: means over 0.1 s where it was sampled faster, with noise and the meter's quantum."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chargepath.base.arrays import Array

Flags = npt.NDArray[np.bool_]

# Common practice: what a bench meter shows.
GRID_S = 0.1
ZERO_A = 0.0151
SHORT = 3000


@dataclass(frozen=True, eq=False)
class Grid:
    """The working grid of one gapless piece.

    Attributes
    ----------
    edges : array, shape (n + 1,)
        Times between which each point stands [s].
    amps, low : array, shape (n,)
        Mean and least current of each point [A].
    step : float
        Usual time of one point [s].
    noise, raw_noise, quantum : float
        Standard deviation of the noise of a point and of a sample, and the meter's smallest step [A].

    """

    edges: Array
    amps: Array
    low: Array
    step: float
    noise: float
    raw_noise: float
    quantum: float

    @property
    def zero(self) -> float:
        """Current below which nothing flows [A]."""
        return min(max(ZERO_A, 3.5 * self.noise), 0.04)


def middle(values: Array) -> float:
    """Median of finite values; much quicker than the library's on the short arrays that phases are made of."""
    if values.size > SHORT:
        return float(np.median(values))
    ordered = np.sort(values)
    return float(ordered[(values.size - 1) // 2] + ordered[values.size // 2]) / 2


def measure_quantum(amps: Array) -> float:
    """Smallest step of the readings [A]: the usual least distance between different values, 0 where they are
    continuous.
    """
    values = np.unique(np.round(amps[:20_000], 6))
    if values.size < 2:
        return 0.01 if np.all(np.abs(values * 100 - np.round(values * 100)) < 1e-6) else 0.0
    least = float(np.min(np.diff(values)))
    return least if values.size < amps[:20_000].size / 2 or least >= 0.005 else 0.0


def make_grid(seconds: Array, amps: Array, quantum: float) -> Grid:
    """Bring a gapless piece onto the working grid.

    Parameters
    ----------
    seconds, amps : array, shape (n,)
        Rising time [s] and current [A].
    quantum : float
        Smallest step of the meter's current [A].

    """
    step = middle(seconds[1:] - seconds[:-1]) if seconds.size > 1 else 1.0
    edges = np.append(seconds, seconds[-1] + step)
    low = mean = amps
    if step < GRID_S / 1.5:
        per = max(round(GRID_S / step), 1)
        starts = np.arange(0, seconds.size, per)
        counts = np.diff(np.append(starts, seconds.size))
        mean = np.add.reduceat(amps, starts) / counts
        low = np.minimum.reduceat(amps, starts)
        edges = np.append(seconds[starts], seconds[-1] + step)
        step *= per
    floor = quantum / np.sqrt(12)
    noise, raw = max(_noise(mean), floor), max(_noise(amps), floor)
    return Grid(edges=edges, amps=mean, low=low, step=step, noise=noise, raw_noise=raw, quantum=quantum)


def _noise(values: Array) -> float:
    """Standard deviation of white noise, from the least fifth of the differences: loops and steps do not count."""
    if values.size < 3:
        return 0.0
    jumps = np.abs(values[1:] - values[:-1])
    place = jumps.size // 5
    return float(np.partition(jumps, place)[place] / (0.2533 * np.sqrt(2)))


def runs(flags: Flags) -> Iterator[tuple[int, int]]:
    """Start and stop of each stretch of True."""
    padded = np.concatenate([[False], flags, [False]])
    change = np.flatnonzero(padded[1:] != padded[:-1])
    yield from zip(change[::2].tolist(), change[1::2].tolist(), strict=True)


def rolling(values: Array, width: int, share: float) -> Array:
    """Rolling quantile with an odd width, edges repeated.

    Parameters
    ----------
    values : array, shape (n,)
    width : int
        Points in a window, odd.
    share : float
        The quantile, 0 to 1.

    """
    width = min(width | 1, (values.size - 1) | 1)
    if width < 3:
        return values
    padded = np.pad(values, width // 2, mode="edge")
    view = np.lib.stride_tricks.sliding_window_view(padded, width)
    if share == 0.5:
        return np.asarray(np.median(view, axis=1))
    return np.asarray(np.quantile(view, share, axis=1))


def local_high(grid: Grid, seconds: float, share: float) -> Array:
    """What usually flows around each point: a quantile over blocks of `seconds`, the neighbours' included.

    Parameters
    ----------
    grid : Grid
    seconds : float
        Length of a block [s].
    share : float
        The quantile, 0 to 1.

    """
    size = min(max(round(seconds / grid.step), 1), grid.amps.size)
    blocks = np.pad(grid.amps, (0, -grid.amps.size % size), mode="edge").reshape(-1, size)
    place = min(int(share * size), size - 1)
    tops = np.partition(blocks, place, axis=1)[:, place]
    padded = np.concatenate([tops[:1], tops, tops[-1:]])
    wide = np.maximum(np.maximum(padded[:-2], padded[1:-1]), padded[2:])
    return np.repeat(wide, size)[: grid.amps.size]
