"""A station fitted to what it melted here: least squares on the logarithm of the seconds, the usual one as a prior.

What is fitted: the share of the set temperature that reaches the nozzle, the true flow over the shown one, how well
this shop's parts take the heat, by which power the seconds go otherwise with flow, nozzle and distance than reckoned,
and for each kind of target that was melted, and each solder on it, a factor on its seconds. Stations differ by some 5 %
in the first, 25 % in the second and 20 % in the third, by 0.2 in the powers, parts of one kind by 25 % (from memory):
that is the prior, and it lets one melt say something and ten say nearly all. A joint that only just melts takes its
time from the last few degrees: such a melt counts less, by how its seconds go with the temperature, and is told with a
wider interval.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from chargepath.base.arrays import Array
from chargepath.knowledge.heat import HeatTables, Target
from chargepath.repair.heat import LONGEST_S, AirStation, Setting, time_to_melt

USUAL = (0.95, 1.0, 1.0)
PRIOR_SD = (0.05, 0.25, 0.2)
KIND_SD, BEND_SD, BENDS = 0.25, 0.2, 3
# What is unsteady in the excess temperature of one melt against the next, as a share: room, hand, height of the joint.
HEAT_SD = 0.015
USUAL_FLOW, USUAL_NOZZLE, USUAL_DISTANCE = 50.0, 8.0, 12.0
NOISE, LEAST_NOISE, NOISE_WORTH = 0.15, 0.06, 4.0
NUDGE, ROUNDS, COLDER = 0.01, 12, 0.02
DRIFT_LAST, DRIFT_LEAST, DRIFT_Z = 4, 0.1, 2.5
RANGE_Z = 1.96


@dataclass(frozen=True)
class Melt:
    """One joint that was melted: what, how it was set, and how long it took until it moved [s]."""

    target: Target
    alloy: str
    setting: Setting
    seconds: float


@dataclass(frozen=True)
class Fit:
    """A fitted station.

    Attributes
    ----------
    station : Station
    bends : array (3,)
        By which power the seconds go otherwise with flow, nozzle and distance.
    kinds : mapping
        Factor on the seconds of each target and alloy that was melted.
    covariance : array (6 + kinds, 6 + kinds)
        Of the logarithms of gain, flow and takes, of the bends, and of the logarithms of those factors.
    noise : float
        Scatter of one melt, as a share.
    residuals : array (n,)
        Logarithm of measured over fitted seconds, in the order of the melts.
    drift : float or None
        By which share the last few melts differ from those before; None where they do not, or there are too few.

    """

    station: AirStation
    bends: Array
    kinds: Mapping[tuple[str, str], float]
    covariance: Array
    noise: float
    residuals: Array
    drift: float | None

    @property
    def melts(self) -> int:
        """How many melts it was fitted to."""
        return len(self.residuals)

    def range_of(self, name: str) -> tuple[float, float]:
        """95 % interval of 'gain', 'flow' or 'takes'."""
        at = ("gain", "flow", "takes").index(name)
        value, spread = getattr(self.station, name), RANGE_Z * math.sqrt(self.covariance[at, at])
        return value * math.exp(-spread), value * math.exp(spread)


def seconds_to_move(melt: Melt, station: AirStation, tables: HeatTables) -> float:
    """Seconds until the joint is liquid [s]; beyond the longest run they grow with what it falls short of."""
    alloy = tables.alloys[melt.alloy]
    melted, peak_c = time_to_melt(melt.target, replace(melt.setting, most_s=LONGEST_S), alloy, station)
    return max(melted, 0.1) if melted is not None else LONGEST_S * math.exp(COLDER * (alloy.liquidus_c + 1 - peak_c))


def _kind(melt: Melt) -> tuple[str, str]:
    return melt.target.id, melt.alloy


def _station(theta: Array) -> AirStation:
    return AirStation(*(float(value) for value in np.exp(theta[:3])))


def _bent(melt: Melt) -> Array:
    """How far flow, nozzle and distance are from the usual ones, as logarithms."""
    setting = melt.setting
    return np.log(
        [setting.flow_l_min / USUAL_FLOW, setting.nozzle_mm / USUAL_NOZZLE, setting.distance_mm / USUAL_DISTANCE]
    )


def _predicted(melts: Sequence[Melt], theta: Array, kinds: Sequence[tuple[str, str]], tables: HeatTables) -> Array:
    station, bends = _station(theta), theta[3 : 3 + BENDS]
    factor = dict(zip(kinds, theta[3 + BENDS :], strict=True))
    return np.array(
        [
            math.log(seconds_to_move(melt, station, tables)) + float(_bent(melt) @ bends) + factor.get(_kind(melt), 0.0)
            for melt in melts
        ]
    )


def _slopes(
    melts: Sequence[Melt], theta: Array, at: Array, kinds: Sequence[tuple[str, str]], tables: HeatTables
) -> Array:
    """Derivatives of the logarithm of the seconds by each parameter, shape (n, 6 + kinds)."""
    out = np.zeros((len(melts), len(theta)))
    for column in range(3):
        moved = theta.copy()
        moved[column] += NUDGE
        out[:, column] = (_predicted(melts, moved, kinds, tables) - at) / NUDGE
    out[:, 3 : 3 + BENDS] = [_bent(melt) for melt in melts]
    for column, kind in enumerate(kinds, start=3 + BENDS):
        out[:, column] = [_kind(melt) == kind for melt in melts]
    return out


def fit(melts: Sequence[Melt], tables: HeatTables) -> Fit:
    """Fit a station to its melts; without any it is the usual one, with the prior's width."""
    kinds = sorted({_kind(melt) for melt in melts})
    prior = np.concatenate([np.log(USUAL), np.zeros(BENDS + len(kinds))])
    wide = np.array([*PRIOR_SD, *[BEND_SD] * BENDS, *[KIND_SD] * len(kinds)])
    theta, weight, noise = prior.copy(), np.diag(1 / wide**2), NOISE
    measured = np.array([math.log(melt.seconds) for melt in melts])
    at = _predicted(melts, theta, kinds, tables)
    slopes, spread = np.zeros((len(melts), len(theta))), np.full(len(melts), noise)

    def misfit(found: Array, where: Array) -> float:
        off = where - prior
        return float((((measured - found) / spread) ** 2).sum() + off @ weight @ off)

    for _ in range(ROUNDS if melts else 0):
        slopes = _slopes(melts, theta, at, kinds, tables)
        spread = np.hypot(noise, HEAT_SD * slopes[:, 0])
        scaled = slopes / spread[:, None]
        hessian = scaled.T @ scaled + weight
        step = np.linalg.solve(hessian, scaled.T @ ((measured - at) / spread) - weight @ (theta - prior))
        before, size = misfit(at, theta), 1.0
        while size > 0.05:
            found = _predicted(melts, theta + size * step, kinds, tables)
            if misfit(found, theta + size * step) <= before:
                theta, at = theta + size * step, found
                break
            size /= 2
        left = float(((measured - at) ** 2 * (noise / spread) ** 2).sum())
        noise = max(math.sqrt((NOISE_WORTH * NOISE**2 + left) / (NOISE_WORTH + len(melts))), LEAST_NOISE)
        if size <= 0.05 or float(np.abs(size * step).max()) < 1e-3:
            break
    scaled = slopes / spread[:, None]
    covariance = np.asarray(np.linalg.inv(scaled.T @ scaled + weight), dtype=np.float64)
    factors = {kind: float(np.exp(value)) for kind, value in zip(kinds, theta[3 + BENDS :], strict=True)}
    residuals = measured - at
    drift = _drift(residuals * noise / spread)
    return Fit(
        station=_station(theta),
        bends=theta[3 : 3 + BENDS],
        kinds=factors,
        covariance=covariance,
        noise=noise,
        residuals=residuals,
        drift=drift,
    )


def _drift(residuals: Array) -> float | None:
    if len(residuals) < 2 * DRIFT_LAST:
        return None
    last, before = residuals[-DRIFT_LAST:], residuals[:-DRIFT_LAST]
    gap = float(last.mean() - before.mean())
    spread = max(float(before.std(ddof=1)), LEAST_NOISE / 2) * math.sqrt(1 / len(last) + 1 / len(before))
    return math.expm1(gap) if abs(gap) > DRIFT_LEAST and abs(gap) > DRIFT_Z * spread else None


def predict(found: Fit, melt: Melt, tables: HeatTables) -> tuple[float, float, float]:
    """Seconds until a joint moves on this station, with the 95 % interval [s]."""
    kinds, station = list(found.kinds), found.station
    factors = [math.log(factor) for factor in found.kinds.values()]
    theta = np.array([*np.log([station.gain, station.flow, station.takes]), *found.bends, *factors])
    at = _predicted([melt], theta, kinds, tables)
    slope = _slopes([melt], theta, at, kinds, tables)[0]
    unseen = 0.0 if _kind(melt) in found.kinds else KIND_SD
    sure = float(slope @ found.covariance @ slope)
    spread = RANGE_Z * math.sqrt(sure + found.noise**2 + (HEAT_SD * slope[0]) ** 2 + unseen**2)
    middle = float(np.exp(at[0]))
    return middle, middle * math.exp(-spread), middle * math.exp(spread)
