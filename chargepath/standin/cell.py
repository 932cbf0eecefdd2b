"""The cell of a simulated device: a line of volts with a bend near empty, ohms, heat.

Nothing of it is taken from the desk that reckons with cells.
"""

from __future__ import annotations

ROOM_C = 22.0
EMPTY_V, BEND_V, BEND_SHARE, RISE_V, SHARE_A_VOLT = 3.0, 3.5, 0.08, 0.7, 0.012


class StandinCell:
    """A cell: share of charge, capacity [Ah], resistance [ohm], temperature [°C]."""

    def __init__(self, volts: float = 3.1, capacity_ah: float = 3.0) -> None:
        self.capacity_ah, self.ohms, self.temp_c = capacity_ah, 0.06 * 3.0 / capacity_ah, ROOM_C
        self.share = self._share(volts)

    @classmethod
    def at(cls, percent: float, capacity_ah: float) -> StandinCell:
        """A cell that holds so much [%]; empty ones are drained well below what a gauge calls nothing."""
        made = cls(EMPTY_V, capacity_ah)
        made.share = percent / 100 if percent > 0 else -0.3 * SHARE_A_VOLT
        return made

    @property
    def percent(self) -> float:
        """What a true gauge would show [%]."""
        return min(max(self.share * 100, 0.0), 100.0)

    @staticmethod
    def _share(volts: float) -> float:
        if volts < EMPTY_V:
            return -SHARE_A_VOLT * (EMPTY_V - volts)
        if volts < BEND_V:
            return BEND_SHARE * (volts - EMPTY_V) / (BEND_V - EMPTY_V)
        return BEND_SHARE + (1 - BEND_SHARE) * (volts - BEND_V) / RISE_V

    def rest(self) -> float:
        """Volts at rest."""
        if self.share < 0:
            return EMPTY_V + self.share / SHARE_A_VOLT
        if self.share < BEND_SHARE:
            return EMPTY_V + (BEND_V - EMPTY_V) * self.share / BEND_SHARE
        return BEND_V + RISE_V * (self.share - BEND_SHARE) / (1 - BEND_SHARE)

    def step(self, amps: float, seconds: float, warms: float = 0.0) -> None:
        """Take current [A] for a while [s], warmed by so much more than its own resistance does [W]."""
        self.share += amps * seconds / 3600 / self.capacity_ah
        heat = amps * amps * self.ohms + warms
        self.temp_c += seconds * (heat - 0.25 * (self.temp_c - ROOM_C)) / 45.0
