"""Cut a charger-current record into phases.

The record is brought onto a working grid (means over 0.1 s where it was sampled faster), its noise and its quantum
are measured, and then it is read as a person reads it: where nothing flows, where it comes and goes with a steady
beat, where it drops out for a moment, and what plateaus, slopes and first surges lie in between. Plateaus are found
by binary segmentation on cumulative sums.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from chargepath.base.arrays import Array
from chargepath.trace.grid import Grid, make_grid, measure_quantum, middle, rolling, runs
from chargepath.trace.loops import find_loops
from chargepath.trace.model import Trace

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
IDLE_BELOW_A = 0.15
DROPOUT_LONGEST_S = 4.0
INRUSH_LONGEST_S = 3.0
STEP_LEAST_A, STEP_LEAST_SHARE = 0.035, 0.06
SLOPE_LEAST_S, SLOPE_LEAST_SHARE = 40.0, 0.10
OVER_SHARE, OVER_LEAST_S = 1.08, 0.3
# A step is kept where it is so many standard deviations of its mean high; a plateau lasts so long at least [s].
STEP_SIGMA, PLATEAU_LEAST_S = 4.5, 0.8
# Something flowed beside a gap where the current was so many times the least that counts, over so long [s].
DREW_FACTOR, DREW_S = 2.5, 1.0
# Dips: the window around a point in which its usual current is taken [s, points at most], fewest points of a record,
# the usual current from which on dips are looked for [A], and from how many points' noise a gap to zero is sure.
DIP_WINDOW_S, DIP_WINDOW_MOST, DIP_POINTS, DIP_FROM_A, DIP_SURE = 2.5, 61, 5, 0.06, 8
# How deep a dip is at least: a share of the usual current on a fast meter and on one that samples slower than this [s],
# and so many times the noise. Beside it at least this share of the usual current flows, over so many points.
DIP_SHARE, DIP_SHARE_SLOW, SLOW_STEP_S, DIP_SIGMA = 0.4, 0.13, 0.3, 6.5
DIP_SIDES_SHARE, DIP_SIDES_POINTS = 0.75, 4
# A surge lies over the level after it by this share and so many times the spread.
SURGE_SHARE, SURGE_SIGMA = 1.25, 5
# A stair of a slope is no higher than this share of the current or these amperes; it leans by this share of its change.
STAIR_SHARE, STAIR_A, STAIR_LEANS = 0.3, 0.06, 0.25
# A knee: points that it is looked for on, fewest of them, points of a head and of a line at least; the residual of
# level-then-line has to be under this share of a line's, and the head at least so long [s].
KNEE_POINTS, KNEE_LEAST, HEAD_LEAST, LINE_LEAST, KNEE_SHARE, HEAD_LEAST_S = 300, 12, 3, 6, 0.6, 5
# A lean counts from so many standard errors on, over so many points; a stretch leans by so many quanta at least.
LEAN_SIGMA, LEAN_POINTS, LEAN_QUANTA = 3, 4, 1.5


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
        if size < max(STEP_LEAST_A, STEP_LEAST_SHARE * level) or gain[best] < STEP_SIGMA * noise:
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
        grid, width = self.grid, max(round(DREW_S / self.grid.step), 1)
        before, after = grid.amps[max(start - width, 0) : start], grid.amps[stop : stop + width]
        least = DREW_FACTOR * grid.zero
        return bool(before.size and after.size and middle(before) > least and middle(after) > least)

    def _dips(self) -> None:
        """Moments where the current falls well under what flows around it and comes back."""
        grid = self.grid
        width = max(round(DIP_WINDOW_S / grid.step), DIP_SIDES_POINTS) * 2 + 1
        if grid.amps.size < DIP_POINTS:
            return
        usual = rolling(grid.amps, min(width, DIP_WINDOW_MOST), 0.5)
        slow = grid.step >= SLOW_STEP_S
        share = DIP_SHARE_SLOW if slow else DIP_SHARE
        depth = np.maximum(share * usual, DIP_SIGMA * grid.noise + grid.quantum)
        sure = (grid.low <= grid.zero) & (usual > DIP_SURE * grid.raw_noise)
        low = grid.amps if slow else np.where(sure, grid.low, grid.amps)
        under = (usual > DIP_FROM_A) & (low < usual - depth) & (self.kind != "loop") & (self.kind != "unplugged")
        for start, stop in runs(under):
            if grid.edges[stop] - grid.edges[start] > DROPOUT_LONGEST_S or start == 0 or stop >= grid.amps.size:
                continue
            beside = DIP_SIDES_POINTS
            sides = min(middle(grid.amps[max(start - beside, 0) : start]), middle(grid.amps[stop : stop + beside]))
            if sides > DIP_SIDES_SHARE * float(usual[start:stop].max()):
                self.kind[start:stop] = "dropout"

    def _drawing(self, start: int, stop: int) -> None:
        """A stretch with current: first surge, plateaus, slopes, trickle."""
        grid = self.grid
        start = self._surge(start, stop)
        values = grid.amps[start:stop]
        if not values.size:
            return
        least = max(round(PLATEAU_LEAST_S / grid.step), 2 if grid.step < 0.9 else 1)
        cuts = [start, *(start + cut for cut in find_steps(values, grid.noise, least)), stop]
        for first, last, kind in self._slopes(cuts):
            level = middle(grid.amps[first:last])
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
        level, spread = middle(after), max(grid.noise, grid.quantum)
        high = grid.amps[start : start + most] > SURGE_SHARE * level + SURGE_SIGMA * spread
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
                small = abs(change) <= max(STAIR_SHARE * max(means[end], means[end + 1]), STAIR_A)
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
        """Where a level head ends and the slope begins, by the best level-then-line.

        `first` where it slopes throughout.
        """
        y = self.grid.amps[first:last]
        thin = max(y.size // KNEE_POINTS, 1)
        n = y.size // thin
        y = y[: n * thin].reshape(n, thin).mean(axis=1)
        x = np.arange(n, dtype=float)
        if n < KNEE_LEAST:
            return first
        s = [np.concatenate([[0.0], np.cumsum(v)]) for v in (y, y * y, x, x * x, x * y)]
        k = np.arange(HEAD_LEAST, n - LINE_LEAST)
        level = s[1][k] - s[0][k] ** 2 / k
        m = n - k
        sy, syy, sx, sxx, sxy = (total[n] - total[k] for total in s)
        vx = sxx - sx**2 / m
        line = syy - sy**2 / m - (sxy - sx * sy / m) ** 2 / vx
        whole_x = s[3][n] - s[2][n] ** 2 / n
        whole = s[1][n] - s[0][n] ** 2 / n - (s[4][n] - s[2][n] * s[0][n] / n) ** 2 / whole_x
        best = int((level + line).argmin())
        split = float((level + line)[best])
        head_s = self.grid.edges[first + int(k[best]) * thin] - self.grid.edges[first]
        if split > KNEE_SHARE * whole or head_s < HEAD_LEAST_S:
            return first
        return first + int(k[best]) * thin

    def _gradual(self, one: tuple[int, int], two: tuple[int, int]) -> bool:
        """Whether the way from one stretch to the next is a slope and not a step.

        Both lean the same way as the change.
        """
        change = float(self.grid.amps[slice(*two)].mean() - self.grid.amps[slice(*one)].mean())
        leans = [self._lean(*part) for part in (one, two)]
        return any(np.sign(lean) == np.sign(change) and abs(lean) > STAIR_LEANS * abs(change) for lean in leans)

    def _lean(self, first: int, last: int) -> float:
        """Change of the current over a stretch by a straight line [A]."""
        n = last - first
        if n < LEAN_POINTS:
            return 0.0
        x = np.arange(n) - (n - 1) / 2
        y = self.grid.amps[first:last]
        slope = float(x @ (y - y.mean()) / (x @ x))
        error = self.grid.noise / np.sqrt(x @ x)
        return slope * n if abs(slope) > LEAN_SIGMA * error else 0.0

    def _inner_slope(self, first: int, last: int) -> str:
        """A long stretch that leans by itself."""
        grid = self.grid
        whole = grid.edges[last] - grid.edges[first]
        lean = self._lean(first, last)
        level = float(np.mean(grid.amps[first:last]))
        if whole < SLOPE_LEAST_S or abs(lean) < max(SLOPE_LEAST_SHARE * level, LEAN_QUANTA * grid.quantum):
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
            phases.append(
                Phase(
                    kind="gap", start=phases[-1].stop, stop=float(seconds[0]), amps=0.0, spread=0.0, volts=float("nan")
                )
            )
        grid = make_grid(seconds, amps, quantum)
        for kind, first, last, period in Cutter(grid, limit_a).cut():
            start, stop = float(grid.edges[first]), float(grid.edges[last])
            rows = slice(*np.searchsorted(seconds, (start, stop)))
            phases.append(_phase(kind, start, min(stop, float(trace.seconds[-1])), amps[rows], volts[rows], period))
    return phases


def _phase(kind: str, start: float, stop: float, amps: Array, volts: Array, period: float) -> Phase:
    if not amps.size:
        return Phase(kind=kind, start=start, stop=stop, amps=0.0, spread=0.0, volts=float("nan"), period=period)
    level = middle(amps)
    spread = 1.4826 * middle(np.abs(amps - level))
    seen = volts[np.isfinite(volts)]
    return Phase(
        kind=kind,
        start=start,
        stop=stop,
        amps=level,
        spread=spread,
        volts=middle(seen) if seen.size else float("nan"),
        period=period,
    )
