"""Intervals of 95 %: of a share, a mean, a median, a slope."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from chargepath.base.distributions import beta_cdf, t_quantile
from chargepath.learning.betas import LEVEL

# Two-sided 95 % quantile of the normal distribution.
Z = 1.959963984540054
TWO_SIDED = (1 + LEVEL) / 2
# Under so many cases a figure is said to be too thin.
FEW = 10


@dataclass(frozen=True)
class Estimate:
    """A figure with its interval and the cases behind it.

    `low` and `high` are infinite where the cases say nothing of them.
    """

    value: float
    low: float
    high: float
    count: int

    @property
    def thin(self) -> bool:
        """Whether there are too few cases to say."""
        return self.count < FEW


NOTHING = Estimate(math.nan, -math.inf, math.inf, 0)


def share_of(hits: int, count: int) -> Estimate:
    """A share by Wilson's score interval (Wilson 1927, J. Am. Stat. Assoc. 22, 209-212).

    Examples
    --------
    >>> found = share_of(8, 10)
    >>> round(found.value, 2), round(found.low, 4), round(found.high, 4)
    (0.8, 0.4902, 0.9433)

    """
    if not count:
        return NOTHING
    p, z2 = hits / count, Z * Z
    middle = (p + z2 / (2 * count)) / (1 + z2 / count)
    reach = Z / (1 + z2 / count) * math.sqrt(p * (1 - p) / count + z2 / (4 * count * count))
    return Estimate(p, max(middle - reach, 0.0), min(middle + reach, 1.0), count)


def mean_of(values: Sequence[float]) -> Estimate:
    """A mean by Student's t; without a reach for one value.

    Examples
    --------
    >>> found = mean_of([1.0, 2.0, 3.0])
    >>> round(found.value, 2), round(found.low, 3), round(found.high, 3)
    (2.0, -0.484, 4.484)

    """
    n = len(values)
    if not n:
        return NOTHING
    mean = math.fsum(values) / n
    if n == 1:
        return Estimate(mean, -math.inf, math.inf, 1)
    spread = math.sqrt(math.fsum((value - mean) ** 2 for value in values) / (n - 1))
    reach = t_quantile(TWO_SIDED, n - 1) * spread / math.sqrt(n)
    return Estimate(mean, mean - reach, mean + reach, n)


def median_of(values: Sequence[float]) -> Estimate:
    """A median by its order statistics: the narrowest symmetric pair of ranks that holds it with 95 % or more.

    The chance that the median lies under the k-th smallest of n is that of fewer than k of n fair coins (Conover 1999,
    Practical Nonparametric Statistics, 3.2). Without a reach under six values.
    """
    rows = sorted(values)
    n = len(rows)
    if not n:
        return NOTHING
    middle = (rows[(n - 1) // 2] + rows[n // 2]) / 2
    rank = _rank(n)
    if not rank:
        return Estimate(middle, -math.inf, math.inf, n)
    return Estimate(middle, rows[rank - 1], rows[n - rank], n)


@lru_cache(maxsize=512)
def _rank(n: int) -> int:
    """The largest k with a chance of at most 2.5 % that fewer than k of n fair coins fall; 0 for none."""
    # From a little under where the normal distribution puts it.
    rank = max(int(n / 2 - Z * math.sqrt(n) / 2) - 2, 0)
    while _fewer(rank + 1, n) <= (1 - LEVEL) / 2:
        rank += 1
    return rank


def _fewer(k: int, n: int) -> float:
    """Chance that fewer than k of n fair coins fall."""
    return beta_cdf(0.5, n - k + 1, k) if k <= n else 1.0


def slope_of(x: Sequence[float], y: Sequence[float]) -> Estimate:
    """The slope of the least-squares line of y over x, by Student's t.

    Examples
    --------
    >>> found = slope_of([0, 1, 2, 3], [0.0, 1.1, 1.9, 3.0])
    >>> round(found.value, 3), round(found.low, 3), round(found.high, 3)
    (0.98, 0.797, 1.163)

    """
    n = len(x)
    if n < 3:
        return NOTHING
    mean_x, mean_y = math.fsum(x) / n, math.fsum(y) / n
    spread = math.fsum((a - mean_x) ** 2 for a in x)
    if spread <= 0:
        return NOTHING
    slope = math.fsum((a - mean_x) * (b - mean_y) for a, b in zip(x, y, strict=True)) / spread
    rest = math.fsum((b - mean_y - slope * (a - mean_x)) ** 2 for a, b in zip(x, y, strict=True))
    reach = t_quantile(TWO_SIDED, n - 2) * math.sqrt(rest / (n - 2) / spread)
    return Estimate(slope, slope - reach, slope + reach, n)
