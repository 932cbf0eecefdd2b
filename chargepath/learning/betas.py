"""Shares learned from counts: the beta distribution, its quantiles, and a number with its interval."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

LEVEL = 0.95


def _fraction(a: float, b: float, x: float) -> float:
    """Continued fraction of the incomplete beta function (Lentz; Abramowitz and Stegun 26.5.8)."""
    tiny, c = 1e-300, 1.0
    d = 1 - (a + b) * x / (a + 1)
    d = 1 / (d if abs(d) > tiny else tiny)
    h = d
    for m in range(1, 500):
        for step in (
            m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1)),
        ):
            d = 1 + step * d
            d = 1 / (d if abs(d) > tiny else tiny)
            c = 1 + step / c
            c = c if abs(c) > tiny else tiny
            h *= c * d
        if abs(c * d - 1) < 1e-14:
            break
    return h


def beta_cdf(x: float, a: float, b: float) -> float:
    """Regularised incomplete beta function I_x(a, b)."""
    if x <= 0 or x >= 1:
        return float(x >= 1)
    front = math.exp(math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b) + a * math.log(x) + b * math.log1p(-x))
    if x < (a + 1) / (a + b + 2):
        return front * _fraction(a, b, x) / a
    return 1 - front * _fraction(b, a, 1 - x) / b


@lru_cache(maxsize=4096)
def beta_quantile(chance: float, a: float, b: float) -> float:
    """The value that a beta variable stays under with this chance, by bisection."""
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = (low + high) / 2
        if beta_cdf(middle, a, b) < chance:
            low = middle
        else:
            high = middle
    return (low + high) / 2


@dataclass(frozen=True)
class Learned:
    """One number: what ships, what the shop's jobs make of it, its interval, and how many jobs stand behind it."""

    shipped: float
    here: float
    low: float
    high: float
    count: float

    @property
    def factor(self) -> float:
        """By how much it moved."""
        return self.here / self.shipped if self.shipped > 0 else 1.0


def learned_share(shipped: float, worth: float, hits: float, count: float) -> Learned:
    """A share after so many hits of so many, beta with the shipped share worth `worth` of them."""
    a, b = worth * shipped + hits, worth * (1 - shipped) + count - hits
    a, b = max(a, 1e-3), max(b, 1e-3)
    edge = (1 - LEVEL) / 2
    return Learned(shipped, a / (a + b), beta_quantile(edge, a, b), beta_quantile(1 - edge, a, b), count)
