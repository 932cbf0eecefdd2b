"""The beta distribution and Student's t: distribution functions, quantiles, a density.

Own code, since the program needs no more of a statistics package than this: loading scipy.special costs each worker a
third of a second at its start and the installation 113 MB. The tests hold every function against scipy.
"""

from __future__ import annotations

import math
from functools import lru_cache


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
    """Regularised incomplete beta function I_x(a, b).

    Examples
    --------
    >>> round(beta_cdf(0.5, 2.0, 2.0), 9), round(beta_cdf(0.25, 1.0, 1.0), 9)
    (0.5, 0.25)

    """
    if x <= 0 or x >= 1:
        return float(x >= 1)
    front = math.exp(math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b) + a * math.log(x) + b * math.log1p(-x))
    if x < (a + 1) / (a + b + 2):
        return front * _fraction(a, b, x) / a
    return 1 - front * _fraction(b, a, 1 - x) / b


@lru_cache(maxsize=4096)
def beta_quantile(chance: float, a: float, b: float) -> float:
    """The value that a beta variable stays under with this chance, by bisection; 0 for one under 1e-18.

    Parameters
    ----------
    chance : float
        0 to 1.
    a, b : float
        Both shapes, over 0.

    """
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = (low + high) / 2
        if beta_cdf(middle, a, b) < chance:
            low = middle
        else:
            high = middle
    return (low + high) / 2 if low else 0.0


def t_cdf(t: float, freedom: float) -> float:
    """Student's t distribution function, by the incomplete beta function (Abramowitz and Stegun 26.7.1).

    Examples
    --------
    >>> round(t_cdf(1.0, 1), 12)  # Cauchy: 1/2 + atan(1)/pi
    0.75

    """
    tail = beta_cdf(freedom / (freedom + t * t), freedom / 2, 0.5) / 2
    return 1 - tail if t > 0 else tail


@lru_cache(maxsize=512)
def t_quantile(chance: float, freedom: float) -> float:
    """The value that Student's t stays under with this chance, from 0.5 up.

    Examples
    --------
    From the usual table of Student's t, 97.5 % at 10 degrees of freedom.

    >>> round(t_quantile(0.975, 10), 3)
    2.228

    """
    x = beta_quantile(2 * (1 - chance), freedom / 2, 0.5)
    return math.sqrt(freedom * (1 - x) / x)


@lru_cache(maxsize=512)
def _t_scale(freedom: int) -> float:
    half = math.lgamma((freedom + 1) / 2) - math.lgamma(freedom / 2)
    return math.exp(half) / math.sqrt(freedom * math.pi)


def t_density(z: float, freedom: int) -> float:
    """Density of Student's t."""
    return float(_t_scale(freedom) * (1 + z * z / freedom) ** (-(freedom + 1) / 2))
