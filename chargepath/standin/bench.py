"""The simulated bench: one device lies on it, and every stand-in instrument reads from that one."""

from __future__ import annotations

from typing import Any

from chargepath.standin.cell import StandinCell
from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import BY_NAME, GOOD

LARGEST_SEED = 2**31


class StandinBench:
    """What the instruments of one bench share.

    Attributes
    ----------
    name : str
        Of the device, one of `BY_NAME`.
    device : StandinDevice
    unplugged : set of str
        Parts that were unplugged from its board.

    """

    def __init__(self, name: str = GOOD, seed: int = 1, percent: float = 40.0) -> None:
        self.put(name, seed, percent)

    def put(self, name: str, seed: int = 1, percent: float = 40.0) -> None:
        """Put another device on the bench."""
        self.name, self.device = name, StandinDevice.broken(name, seed, percent)
        self.unplugged: set[str] = set()

    @property
    def cell(self) -> StandinCell:
        """The device's cell."""
        return self.device.cell

    def draws(self) -> float:
        """What its board takes from a supply in the battery's place, with what is still plugged [A]."""
        return sum(amps for part, amps in self.device.standing().items() if part not in self.unplugged)

    def command(self, data: dict[str, Any]) -> tuple[str, Any] | None:
        """Carry out a line that puts a device on the bench; what is wrong with it and what would do, else None."""
        name, percent, seed = data["device"], data.get("percent", 40), data.get("seed", 1)
        if not isinstance(name, str) or name not in BY_NAME:
            return "unknown device", list(BY_NAME)
        if isinstance(percent, bool) or not isinstance(percent, int | float) or not 0 <= percent <= 100:
            return "percent is not possible", "0 to 100"
        if isinstance(seed, bool) or not isinstance(seed, int) or not 0 <= seed < LARGEST_SEED:
            return "seed is not possible", f"a whole number from 0 to {LARGEST_SEED - 1}"
        self.put(name, seed, float(percent))
        return None
