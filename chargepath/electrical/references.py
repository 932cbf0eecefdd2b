"""Known-good readings made into an expectation: robust, honest about how few they are, and about the meter they came
from.

Median and median absolute deviation (MAD) resist a wrong board among the good ones. Few readings say little about
spread: the MAD is corrected for small samples, pooled with what boards of one model usually differ by, and the band
is that of Student's t for a new reading.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from chargepath.base.distributions import t_quantile
from chargepath.electrical.junction import THERMAL_MV

# A normal distribution's standard deviation over its MAD.
MAD_TO_SIGMA = 1.482602218505602
# Corrections of the MAD for samples of 2 to 9 (Croux and Rousseeuw 1992), above that n / (n - 0.8); from memory, and
# a test draws samples to hold them.
MAD_SMALL = (1.196, 1.495, 1.363, 1.206, 1.200, 1.140, 1.129, 1.107)
# A median wanders more than a mean: variance pi/2 of the mean's.
MEDIAN_VARIANCE = math.pi / 2
# What good boards of one model differ by on one line, and how many readings that belief is worth (common practice).
USUAL_SPREAD, USUAL_WORTH = 0.025, 4
SPREAD_FLOOR_MV = 2.0
# How far twins may differ on a good board, and how wide the band is where nothing is known (common practice).
TWIN_SPREAD, BLIND_SPREAD = 0.035, 0.11
BAND = 0.995
# Two meters are compared on at least this many lines; a standard error above this is no estimate [mV].
PAIRS_NEEDED, SHIFT_ERROR_MV = 4, 12.0


def mad_sigma(values: Sequence[float]) -> float:
    """Standard deviation estimated by the MAD, corrected for small samples; 0 for fewer than two values.

    Examples
    --------
    The median deviation is 5: 1.4826 · 1.495 · 5.

    >>> round(mad_sigma([500.0, 505.0, 510.0]), 2)
    11.08

    """
    n = len(values)
    if n < 2:
        return 0.0
    middle = median(values)
    factor = MAD_SMALL[n - 2] if n <= 9 else n / (n - 0.8)
    return MAD_TO_SIGMA * factor * median(abs(value - middle) for value in values)


@dataclass(frozen=True)
class Reference:
    """What a line should read.

    Attributes
    ----------
    median_mv : float
        Expected reading [mV]; ``inf`` where good boards read open.
    scale_mv : float
        Scale of a new reading around it [mV].
    freedom : int
        Degrees of freedom of its Student's t.
    count : int
        How many known-good readings stand behind it; 0 where none do.
    origin : {'shop', 'shifted', 'given', 'twin', 'usual'}
        Own readings; own readings of another meter, shifted; a single figure typed beside the reading; the line's twin;
        the wide common-practice band.
    spread_mv : float
        Standard deviation of the readings themselves by their MAD [mV].
    note : str
        What else has to be said of it.

    """

    median_mv: float
    scale_mv: float
    freedom: int
    count: int = 0
    origin: str = "shop"
    spread_mv: float = 0.0
    note: str = ""

    @property
    def weak(self) -> bool:
        """Whether nothing measured on a good board stands behind it."""
        return self.origin in ("twin", "usual")

    @property
    def expects_open(self) -> bool:
        """Whether good boards read open here."""
        return math.isinf(self.median_mv)

    @property
    def half_band_mv(self) -> float:
        """Half the band's width [mV]."""
        return t_quantile(BAND, self.freedom) * self.scale_mv

    @property
    def band_mv(self) -> tuple[float, float]:
        """What 99 of 100 good boards read between [mV]."""
        if self.expects_open:
            return math.inf, math.inf
        return max(self.median_mv - self.half_band_mv, 0.0), self.median_mv + self.half_band_mv

    def score(self, reading_mv: float) -> float:
        """Robust score: deviation in scales of a new reading.

        ``inf`` where one of both is open and the other is not.
        """
        if math.isinf(reading_mv) and self.expects_open:
            return 0.0
        if self.expects_open:
            return -math.inf
        if math.isinf(reading_mv):
            return math.inf
        return (reading_mv - self.median_mv) / self.scale_mv


def summarise(values_mv: Sequence[float], *, shift_mv: float = 0.0, shift_error_mv: float = 0.0) -> Reference:
    """Average known-good readings of one line robustly.

    Parameters
    ----------
    values_mv : sequence of float
        Readings [mV], ``inf`` for open; at least one.
    shift_mv, shift_error_mv : float
        Correction for another meter and its standard error [mV].

    Raises
    ------
    ValueError
        Without any reading.

    Examples
    --------
    Two boards, 500 and 510 mV: usual spread 0.025 · 505 = 12.63, their own 1.4826 · 1.196 · 5 = 8.87; pooled over 4 + 1
    degrees (4 · 12.63² + 8.87²) / 5 = 143.2; with the median's own wander 143.2 · (1 + 1.5708 / 2) = 15.99².

    >>> found = summarise([500.0, 510.0])
    >>> found.median_mv, round(found.scale_mv, 2), found.freedom
    (505.0, 15.99, 5)

    """
    if not values_mv:
        raise ValueError("a reference needs at least one known-good reading")
    finite = [value for value in values_mv if math.isfinite(value)]
    opened = len(values_mv) - len(finite)
    origin = "shifted" if shift_mv or shift_error_mv else "shop"
    if opened >= len(finite):
        note = f"{len(finite)} of {len(values_mv)} good boards read something here" if finite else ""
        return Reference(
            median_mv=math.inf,
            scale_mv=SPREAD_FLOOR_MV,
            freedom=USUAL_WORTH,
            count=len(values_mv),
            origin=origin,
            spread_mv=0.0,
            note=note,
        )
    n, middle, sigma = len(finite), median(finite), mad_sigma(finite)
    usual = max(USUAL_SPREAD * middle, SPREAD_FLOOR_MV)
    freedom = USUAL_WORTH + n - 1
    pooled = (USUAL_WORTH * usual**2 + (n - 1) * max(sigma, SPREAD_FLOOR_MV / 2) ** 2) / freedom
    scale = math.sqrt(pooled * (1 + MEDIAN_VARIANCE / n) + shift_error_mv**2)
    note = f"{opened} of {len(values_mv)} good boards read open here" if opened else ""
    return Reference(
        median_mv=middle + shift_mv,
        scale_mv=max(scale, SPREAD_FLOOR_MV),
        freedom=freedom,
        count=len(values_mv),
        origin=origin,
        spread_mv=sigma,
        note=note,
    )


def given(value_mv: float) -> Reference:
    """A single figure typed beside the reading, as good as one known-good board."""
    made = summarise([value_mv])
    return Reference(made.median_mv, made.scale_mv, made.freedom, 1, "given")


def twin_of(reading_mv: float) -> Reference:
    """The line's twin on the same board, read a moment ago; weaker than a reference, for both may be wrong."""
    if math.isinf(reading_mv):
        return Reference(math.inf, SPREAD_FLOOR_MV, USUAL_WORTH, 0, "twin")
    return Reference(reading_mv, max(TWIN_SPREAD * reading_mv, SPREAD_FLOOR_MV), USUAL_WORTH, 0, "twin")


def usual(value_mv: float) -> Reference:
    """The wide common-practice band around a usual reading."""
    return Reference(value_mv, BLIND_SPREAD * value_mv, USUAL_WORTH, 0, "usual")


@dataclass(frozen=True)
class Shift:
    """How much higher one meter reads than another.

    Attributes
    ----------
    mv : float
        Estimate [mV]; 0 where there is none.
    error_mv : float
        Its standard error together with the scatter between lines [mV].
    pairs : int
        Lines measured with both.
    known : bool
        Whether it can be used.
    reason : str
        How it was found, or why it cannot be.

    """

    mv: float
    error_mv: float
    pairs: int
    known: bool
    reason: str


def meter_shift(
    pairs: Sequence[tuple[float, float]], test_ma: tuple[float | None, float | None] = (None, None)
) -> Shift:
    """Estimate how much higher the second meter reads, from lines measured with both.

    Parameters
    ----------
    pairs : sequence of (first_mv, second_mv)
        Medians of lines measured with both meters on good boards of one kind [mV].
    test_ma : (first, second)
        The meters' test currents where they are known [mA]. A junction read at two currents differs by
        n·Vt·ln(I2/I1); an estimate that no n from 1 to 2 explains is used, and said to be odd.

    """
    rows = [(a, b) for a, b in pairs if math.isfinite(a) and math.isfinite(b) and min(a, b) > 50]
    n = len(rows)
    if n < PAIRS_NEEDED:
        return Shift(0.0, math.inf, n, False, f"{n} line(s) measured with both meters, {PAIRS_NEEDED} are needed")
    differences = [b - a for a, b in rows]
    middle, sigma = median(differences), max(mad_sigma(differences), SPREAD_FLOOR_MV / 2)
    error = sigma * math.sqrt(MEDIAN_VARIANCE / n)
    if error > SHIFT_ERROR_MV:
        text = f"the {n} lines measured with both differ by {middle:.0f} mV give or take {sigma:.0f}: no steady shift"
        return Shift(0.0, math.inf, n, False, text)
    reason = f"{middle:+.0f} mV, from {n} lines measured with both"
    first, second = test_ma
    if first and second and first != second:
        step = THERMAL_MV * math.log(second / first)
        low, high = sorted((step, 2 * step))
        if not low - 3 * error - 5 <= middle <= high + 3 * error + 5:
            reason += f"; odd, their test currents would give {low:+.0f} to {high:+.0f} mV"
    return Shift(middle, math.hypot(error, sigma / 2), n, True, reason)
