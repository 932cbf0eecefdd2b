"""Cut a charger-current record into phases.

The record is brought onto a working grid (means over 0.1 s where it was sampled faster), its noise and its quantum are
measured, and then it is read as a person reads it: where nothing flows, where it comes and goes with a steady beat, where
it drops out for a moment, and what plateaus, slopes and first surges lie in between. Plateaus are found by binary
segmentation on cumulative sums.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chargepath.states import Array, Ints
from chargepath.trace.model import Trace

Flags = npt.NDArray[np.bool_]

KINDS = ("unplugged", "idle", "inrush", "loop", "steady", "taper", "rise", "dropout", "over_limit", "gap")
LABELS = {
    "unplugged": "nothing flows",
    "idle": "trickle",
    "inrush": "first surge",
    "loop": "starts over",
    "steady": "steady",
    "taper": "tapers off",
    "rise": "rises slowly",
    "dropout": "drops out",
    "over_limit": "over the source's limit",
    "gap": "no record",
}

# Common practice, all of it: what a bench meter shows and how devices behave.
GRID_S = 0.1
ZERO_A = 0.0151
IDLE_BELOW_A = 0.15
DROPOUT_LONGEST_S = 4.0
LOOP_PERIODS_S = (0.4, 30.0)
LOOP_CYCLES = 3
SLOW_BEAT_S = 3.0
FAST_BEAT_S, FAST_CYCLES = 2.0, 6
INRUSH_LONGEST_S = 3.0
STEP_LEAST_A, STEP_LEAST_SHARE = 0.035, 0.06
SLOPE_LEAST_S, SLOPE_LEAST_SHARE = 40.0, 0.10
OVER_SHARE, OVER_LEAST_S = 1.08, 0.3


@dataclass(frozen=True)
class Phase:
    """One stretch of a record.

    Attributes
    ----------
    kind : str
        One of `KINDS`.
    start, stop : float
        Seconds since the first sample.
    amps, spread : float
        Median current and its median absolute deviation, scaled to a standard deviation [A].
    volts : float
        Median volts [V], NaN where they were not recorded.
    period : float
        Seconds of one cycle of a loop, else 0.

    """

    kind: str
    start: float
    stop: float
    amps: float
    spread: float
    volts: float
    period: float = 0.0

    @property
    def seconds(self) -> float:
        """How long it lasts [s]."""
        return self.stop - self.start


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


def measure_quantum(amps: Array) -> float:
    """Smallest step of the readings [A]: the usual least distance between different values, 0 where they are continuous."""
    values = np.unique(np.round(amps[:20_000], 6))
    if values.size < 2:
        return 0.01 if np.all(np.abs(values * 100 - np.round(values * 100)) < 1e-6) else 0.0
    least = float(np.min(np.diff(values)))
    return least if values.size < amps[:20_000].size / 2 or least >= 0.005 else 0.0


def make_grid(seconds: Array, amps: Array, quantum: float) -> Grid:
    """Bring a gapless piece onto the working grid."""
    step = float(np.median(np.diff(seconds))) if seconds.size > 1 else 1.0
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
    return Grid(edges, mean, low, step, noise, raw, quantum)


def _noise(values: Array) -> float:
    """Standard deviation of white noise, from the least fifth of the differences: loops and steps do not count."""
    if values.size < 3:
        return 0.0
    return float(np.quantile(np.abs(np.diff(values)), 0.2) / (0.2533 * np.sqrt(2)))


def runs(flags: Flags) -> Iterator[tuple[int, int]]:
    """Start and stop of each stretch of True."""
    padded = np.concatenate([[False], flags, [False]])
    change = np.flatnonzero(padded[1:] != padded[:-1])
    yield from zip(change[::2].tolist(), change[1::2].tolist(), strict=True)


def rolling(values: Array, width: int, share: float) -> Array:
    """Rolling quantile with an odd width, edges repeated."""
    width = min(width | 1, (values.size - 1) | 1)
    if width < 3:
        return values
    padded = np.pad(values, width // 2, mode="edge")
    view = np.lib.stride_tricks.sliding_window_view(padded, width)
    if share == 0.5:
        return np.asarray(np.median(view, axis=1))
    return np.asarray(np.quantile(view, share, axis=1))


def local_high(grid: Grid, seconds: float, share: float) -> Array:
    """What usually flows around each point: a quantile over blocks of `seconds`, the neighbours' included."""
    size = max(round(seconds / grid.step), 1)
    starts = np.arange(0, grid.amps.size, size)
    tops = np.array([np.quantile(grid.amps[start : start + size], share) for start in starts])
    padded = np.pad(tops, 1, mode="edge")
    wide = np.maximum(np.maximum(padded[:-2], padded[1:-1]), padded[2:])
    return np.repeat(wide, size)[: grid.amps.size]


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
            period = float(np.median(beats[at:stop]))
            slow_enough = period >= SLOW_BEAT_S and off >= 0.3
            enough = LOOP_CYCLES if period >= FAST_BEAT_S else FAST_CYCLES
            if off >= 0.12 and (stop - at >= enough or slow_enough):
                last = _end_of_beat(on, last, round(period / grid.step))
                found.append((first, last, period))
        at = max(stop, at + 1)
    return found


def _even(beats: Array, step: float) -> bool:
    middle = float(np.median(beats))
    return bool(np.all(np.abs(beats - middle) <= 0.12 * middle + 1.01 * step))


def _end_of_beat(on: Flags, last: int, most: int) -> int:
    """Where the last cycle ends; a draw that goes on for longer than the others belongs to what follows."""
    after = np.flatnonzero(~on[last : last + most])
    if not after.size:
        return last
    end = last + int(after[0])
    again = np.flatnonzero(on[end : last + most])
    return end + int(again[0]) if again.size else min(last + most, on.size)


def find_steps(values: Array, noise: float, least: int) -> list[int]:
    """Change points of piecewise constant values by binary segmentation.

    Parameters
    ----------
    values : array, shape (n,)
    noise : float
        Standard deviation of a value.
    least : int
        Fewest points of a stretch.

    Returns
    -------
    list of int
        Rising indices at which a new stretch begins.

    """
    total = np.concatenate([[0.0], np.cumsum(values)])
    out, todo = [], [(0, values.size)]
    while todo:
        start, stop = todo.pop()
        n = stop - start
        if n < 2 * least:
            continue
        left = np.arange(least, n - least + 1)
        before = (total[start + left] - total[start]) / left
        after = (total[stop] - total[start + left]) / (n - left)
        gain = np.abs(before - after) * np.sqrt(left * (n - left) / n)
        best = int(gain.argmax())
        size = abs(before[best] - after[best])
        level = max(abs(before[best]), abs(after[best]))
        if size < max(STEP_LEAST_A, STEP_LEAST_SHARE * level) or gain[best] < 4.5 * noise:
            continue
        cut = start + int(left[best])
        out.append(cut)
        todo += [(start, cut), (cut, stop)]
    return sorted(out)


class Cutter:
    """Cuts one gapless piece: each point of the grid gets a kind, rule by rule."""

    def __init__(self, grid: Grid, limit_a: float | None) -> None:
        self.grid, self.limit_a = grid, limit_a
        self.kind: npt.NDArray[np.object_] = np.full(grid.amps.size, "", dtype=object)
        self.period = np.zeros(grid.amps.size)
        self.breaks: set[int] = set()

    def cut(self) -> list[tuple[str, int, int, float]]:
        """Kind, start, stop and period of each phase, by grid point."""
        for start, stop, period in find_loops(self.grid):
            self.kind[start:stop], self.period[start:stop] = "loop", period
            self.breaks |= {start, stop}
        self._nothing()
        self._dips()
        for start, stop in list(runs(self.kind == "")):
            self._drawing(start, stop)
        self._over()
        return self._joined()

    def _nothing(self) -> None:
        """Stretches where nothing flows: short ones between two draws are dropouts."""
        grid, n = self.grid, self.grid.amps.size
        for start, stop in runs((grid.amps <= grid.zero) & (self.kind == "")):
            between = start > 0 and stop < n and "loop" not in (self.kind[start - 1], self.kind[min(stop, n - 1)])
            seconds = grid.edges[stop] - grid.edges[start]
            drop = between and seconds <= DROPOUT_LONGEST_S and self._drew(start, stop)
            self.kind[start:stop] = "dropout" if drop else "unplugged"

    def _drew(self, start: int, stop: int) -> bool:
        """Whether something flowed for a while on both sides."""
        grid, width = self.grid, max(round(1.0 / self.grid.step), 1)
        before, after = grid.amps[max(start - width, 0) : start], grid.amps[stop : stop + width]
        least = 2.5 * grid.zero
        return bool(before.size and after.size and np.median(before) > least and np.median(after) > least)

    def _dips(self) -> None:
        """Moments where the current falls well under what flows around it and comes back."""
        grid = self.grid
        width = max(round(2.5 / grid.step), 4) * 2 + 1
        if grid.amps.size < 5:
            return
        usual = rolling(grid.amps, min(width, 61), 0.5)
        slow = grid.step >= 0.3
        depth = np.maximum((0.13 if slow else 0.4) * usual, 6.5 * grid.noise + grid.quantum)
        sure = (grid.low <= grid.zero) & (usual > 8 * grid.raw_noise)
        low = grid.amps if slow else np.where(sure, grid.low, grid.amps)
        under = (usual > 0.06) & (low < usual - depth) & (self.kind != "loop") & (self.kind != "unplugged")
        for start, stop in runs(under):
            if grid.edges[stop] - grid.edges[start] > DROPOUT_LONGEST_S or start == 0 or stop >= grid.amps.size:
                continue
            sides = min(
                float(np.median(grid.amps[max(start - 4, 0) : start])), float(np.median(grid.amps[stop : stop + 4]))
            )
            if sides > 0.75 * float(usual[start:stop].max()):
                self.kind[start:stop] = "dropout"

    def _drawing(self, start: int, stop: int) -> None:
        """A stretch with current: first surge, plateaus, slopes, trickle."""
        grid = self.grid
        start = self._surge(start, stop)
        values = grid.amps[start:stop]
        if not values.size:
            return
        least = max(round(0.8 / grid.step), 2 if grid.step < 0.9 else 1)
        cuts = [start, *(start + cut for cut in find_steps(values, grid.noise, least)), stop]
        for first, last, kind in self._slopes(cuts):
            level = float(np.median(grid.amps[first:last]))
            self.kind[first:last] = kind or ("idle" if level < IDLE_BELOW_A else "steady")
            self.breaks.add(first)

    def _surge(self, start: int, stop: int) -> int:
        """Mark a first surge after nothing and return where it ends."""
        grid = self.grid
        if start == 0 or self.kind[start - 1] not in ("unplugged", "dropout") or stop - start < 3:
            return start
        most = max(round(INRUSH_LONGEST_S / grid.step), 1)
        after = grid.amps[start + most : start + 4 * most]
        if not after.size:
            return start
        level, spread = float(np.median(after)), max(grid.noise, grid.quantum)
        high = grid.amps[start : start + most] > 1.25 * level + 5 * spread
        if not high.any():
            return start
        end = start + int(np.flatnonzero(high)[-1]) + 1
        self.kind[start:end] = "inrush"
        self.breaks.add(end)
        return end

    def _slopes(self, cuts: list[int]) -> list[tuple[int, int, str]]:
        """Join stairs of one direction into a taper or a rise; leave single steps as plateaus."""
        grid = self.grid
        parts = list(itertools.pairwise(cuts))
        means = [float(grid.amps[first:last].mean()) for first, last in parts]
        out, at = [], 0
        while at < len(parts):
            end = at
            sign = 0.0
            while end + 1 < len(parts):
                change = means[end + 1] - means[end]
                small = abs(change) <= max(0.3 * max(means[end], means[end + 1]), 0.06)
                if not small or (sign and np.sign(change) != sign) or not self._gradual(parts[end], parts[end + 1]):
                    break
                sign, end = float(np.sign(change)), end + 1
            first, last = parts[at][0], parts[end][1]
            kind = ""
            whole = grid.edges[last] - grid.edges[first]
            top = max(means[at], means[end])
            if end > at and whole >= SLOPE_LEAST_S and abs(means[end] - means[at]) >= SLOPE_LEAST_SHARE * top:
                kind = "rise" if sign > 0 else "taper"
            if kind:
                knee = self._knee(first, last)
                out += [(first, knee, ""), (knee, last, kind)] if knee > first else [(first, last, kind)]
            else:
                end = at
                kind = self._inner_slope(*parts[at])
                knee = self._knee(*parts[at]) if kind else parts[at][0]
                if knee > parts[at][0]:
                    out.append((parts[at][0], knee, ""))
                out.append((knee, parts[at][1], kind))
            at = end + 1
        return out

    def _knee(self, first: int, last: int) -> int:
        """Where a level head ends and the slope begins, by the best level-then-line; `first` where it slopes throughout."""
        y = self.grid.amps[first:last]
        thin = max(y.size // 300, 1)
        n = y.size // thin
        y = y[: n * thin].reshape(n, thin).mean(axis=1)
        x = np.arange(n, dtype=float)
        if n < 12:
            return first
        s = [np.concatenate([[0.0], np.cumsum(v)]) for v in (y, y * y, x, x * x, x * y)]
        k = np.arange(3, n - 6)
        level = s[1][k] - s[0][k] ** 2 / k
        m = n - k
        sy, syy, sx, sxx, sxy = (total[n] - total[k] for total in s)
        vx = sxx - sx**2 / m
        line = syy - sy**2 / m - (sxy - sx * sy / m) ** 2 / vx
        whole_x = s[3][n] - s[2][n] ** 2 / n
        whole = s[1][n] - s[0][n] ** 2 / n - (s[4][n] - s[2][n] * s[0][n] / n) ** 2 / whole_x
        best = int((level + line).argmin())
        split = float((level + line)[best])
        if split > 0.6 * whole or self.grid.edges[first + int(k[best]) * thin] - self.grid.edges[first] < 5:
            return first
        return first + int(k[best]) * thin

    def _gradual(self, one: tuple[int, int], two: tuple[int, int]) -> bool:
        """Whether the way from one stretch to the next is a slope and not a step: both lean the same way as the change."""
        change = float(self.grid.amps[slice(*two)].mean() - self.grid.amps[slice(*one)].mean())
        leans = [self._lean(*part) for part in (one, two)]
        return any(np.sign(lean) == np.sign(change) and abs(lean) > 0.25 * abs(change) for lean in leans)

    def _lean(self, first: int, last: int) -> float:
        """Change of the current over a stretch by a straight line [A]."""
        n = last - first
        if n < 4:
            return 0.0
        x = np.arange(n) - (n - 1) / 2
        y = self.grid.amps[first:last]
        slope = float(x @ (y - y.mean()) / (x @ x))
        error = self.grid.noise / np.sqrt(x @ x)
        return slope * n if abs(slope) > 3 * error else 0.0

    def _inner_slope(self, first: int, last: int) -> str:
        """A long stretch that leans by itself."""
        grid = self.grid
        whole = grid.edges[last] - grid.edges[first]
        lean = self._lean(first, last)
        level = float(np.mean(grid.amps[first:last]))
        if whole < SLOPE_LEAST_S or abs(lean) < max(SLOPE_LEAST_SHARE * level, 1.5 * grid.quantum):
            return ""
        return "rise" if lean > 0 else "taper"

    def _over(self) -> None:
        if self.limit_a is None:
            return
        grid = self.grid
        for start, stop in runs((grid.amps > OVER_SHARE * self.limit_a) & (self.kind != "inrush")):
            if grid.edges[stop] - grid.edges[start] >= OVER_LEAST_S:
                self.kind[start:stop] = "over_limit"
                self.breaks |= {start, stop}

    def _joined(self) -> list[tuple[str, int, int, float]]:
        """Neighbouring points of one kind, cut where a plateau or a loop begins."""
        edges = [0, *(int(i) for i in np.flatnonzero(self.kind[1:] != self.kind[:-1]) + 1)]
        edges = [*sorted(set(edges) | {b for b in self.breaks if 0 < b < self.kind.size}), self.kind.size]
        return [
            (str(self.kind[first]), first, last, float(self.period[first])) for first, last in itertools.pairwise(edges)
        ]


def cut_phases(trace: Trace, limit_a: float | None = None) -> list[Phase]:
    """Cut a record into phases.

    Parameters
    ----------
    trace : Trace
    limit_a : float, optional
        What the source may deliver [A].

    Returns
    -------
    list of Phase
        In order, without overlap, from the first sample to the last; gaps in the record are phases of their own.

    """
    phases: list[Phase] = []
    quantum = measure_quantum(trace.amps)
    for piece in trace.pieces():
        seconds, amps, volts = trace.seconds[piece], trace.amps[piece], trace.volts[piece]
        if phases:
            phases.append(Phase("gap", phases[-1].stop, float(seconds[0]), 0.0, 0.0, float("nan")))
        grid = make_grid(seconds, amps, quantum)
        for kind, first, last, period in Cutter(grid, limit_a).cut():
            start, stop = float(grid.edges[first]), float(grid.edges[last])
            rows = slice(*np.searchsorted(seconds, (start, stop)))
            phases.append(_phase(kind, start, min(stop, float(trace.seconds[-1])), amps[rows], volts[rows], period))
    return phases


def _phase(kind: str, start: float, stop: float, amps: Array, volts: Array, period: float) -> Phase:
    if not amps.size:
        return Phase(kind, start, stop, 0.0, 0.0, float("nan"), period)
    middle = float(np.median(amps))
    spread = 1.4826 * float(np.median(np.abs(amps - middle)))
    seen = volts[np.isfinite(volts)]
    return Phase(kind, start, stop, middle, spread, float(np.median(seen)) if seen.size else float("nan"), period)


def sample_kinds(trace: Trace, phases: list[Phase]) -> Ints:
    """Index into `KINDS` for each sample, shape (n,)."""
    out = np.zeros(len(trace), dtype=np.int64)
    for phase in phases:
        rows = slice(*np.searchsorted(trace.seconds, (phase.start, phase.stop)))
        out[rows] = KINDS.index(phase.kind)
    if phases:
        out[-1] = KINDS.index(phases[-1].kind)
    return out
