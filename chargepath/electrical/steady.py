"""When a live reading may be taken: it has to stand still, and the probe has to have been lifted since the last one.

An overrange that stands still says nothing: a probe in the air reads the same. It is never taken by itself.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

HOLD_S, TOLERANCE_MV, TOLERANCE_SHARE = 0.5, 2.0, 0.006


@dataclass
class Steady:
    """Takes samples of a live meter one by one and says when a reading has settled.

    Attributes
    ----------
    lifted : bool
        Whether the probe has been off the line since the last reading was taken.

    """

    lifted: bool = True
    _rows: list[tuple[float, float]] = field(default_factory=list)

    def feed(self, seconds: float, mv: float) -> float | None:
        """Take one sample and return the reading once it stands [mV], else None.

        Parameters
        ----------
        seconds : float
            Time of the sample [s], rising.
        mv : float
            What the meter shows [mV]; ``inf`` for overrange.

        """
        if math.isinf(mv):
            self.lifted = True
            self._rows.clear()
            return None
        if not self.lifted:
            return None
        band = max(TOLERANCE_MV, TOLERANCE_SHARE * mv)
        self._rows = [(when, value) for when, value in self._rows if abs(value - mv) <= band]
        self._rows.append((seconds, mv))
        if seconds - self._rows[0][0] < HOLD_S:
            return None
        values = sorted(value for _, value in self._rows)
        return values[len(values) // 2]
