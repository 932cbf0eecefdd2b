"""Shares learned from counts, and a learned number with its interval."""

from __future__ import annotations

import math
from dataclasses import dataclass

from chargepath.base.distributions import beta_quantile

LEVEL = 0.95
# The least shape of a beta variable, where a prior of none or all was never contradicted.
TRACE = 1e-3


@dataclass(frozen=True)
class LearnedNumber:
    """One number: its prior, what the shop's jobs make of it, and how many jobs stand behind it.

    The prior is the number in force without learning: what ships, or what the shop set by hand. A share is beta with
    the prior `worth` so many jobs; minutes are log-normal with a `reach` of the interval to both sides in the
    logarithm. The interval is worked out when it is asked for, since thousands are learned for each one that is shown.
    """

    prior: float
    here: float
    count: float
    worth: float = 0.0
    reach: float = 0.0

    @property
    def factor(self) -> float:
        """By how much it moved."""
        return self.here / self.prior if self.prior > 0 else 1.0

    @property
    def low(self) -> float:
        """Where the interval of 95 % begins."""
        return self._end((1 - LEVEL) / 2, -self.reach)

    @property
    def high(self) -> float:
        """Where it ends."""
        return self._end((1 + LEVEL) / 2, self.reach)

    def _end(self, chance: float, reach: float) -> float:
        if not self.worth:
            return self.here * math.exp(reach)
        total = self.worth + self.count
        return beta_quantile(chance, max(total * self.here, TRACE), max(total * (1 - self.here), TRACE))


def learned_share(prior: float, worth: float, hits: float, count: float) -> LearnedNumber:
    """A share after so many hits of so many, beta with the prior share worth `worth` of them.

    here = (worth · prior + hits) / (worth + count), the mean of the posterior beta.

    Parameters
    ----------
    prior : float
        Share before any job, in [0, 1].
    worth : float
        How many imagined jobs the prior stands for.
    hits, count : float
        How often it was so, of how many times.

    Examples
    --------
    >>> round(learned_share(0.40, 10, 1, 1).here, 4)
    0.4545

    """
    a, b = worth * prior + hits, worth * (1 - prior) + count - hits
    a, b = max(a, TRACE), max(b, TRACE)
    return LearnedNumber(prior, a / (a + b), count, worth)


def rebased(found: LearnedNumber, prior: float) -> LearnedNumber:
    """The same counts on another prior, as after the shop has set a number by hand.

    Examples
    --------
    >>> round(rebased(learned_share(0.85, 10, 1, 1), 0.40).here, 4)
    0.4545

    """
    if prior == found.prior:
        return found
    hits = found.here * (found.worth + found.count) - found.worth * found.prior
    return learned_share(prior, found.worth, hits, found.count)
