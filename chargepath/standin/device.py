"""One model of a device: a small circuit, a firmware's behaviour, and faults that can be put into it.

Everything is seen from the meter between source and device. Figures are plausible round numbers, invented.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from chargepath.standin.faults import GOOD

FAULTS = (
    GOOD,
    "battery_flat",
    "input_short",
    "charge_ic_fault",
    "battery_worn",
    "port_joint",
    "port_worn",
    "source_weak",
    "software_state",
)
DIRECTIONS = ("rest", "up", "down", "left", "right")
FULL_CURRENT_A, RUNNING_A, PRECHARGE_A = 1.2, 0.22, 0.06
CAPACITY_MAH = 3000.0
DPM_V = 4.35
LOOSE = {"rest": 0.0, "up": 2.5, "down": 0.4, "left": 1.2, "right": 0.3}


@dataclass(frozen=True)
class Charger:
    """A source with its cable: open volts [V], resistance of both [ohm], and where it gives in [A]."""

    open_volts: float = 5.1
    ohms: float = 0.14
    limit_a: float = 2.4


SHOP = Charger()
WEAK = Charger(5.0, 0.95, 1.0)


@dataclass
class Device:
    """A device on the meter.

    Attributes
    ----------
    fault : str
        One of `FAULTS`.
    percent : float
        State of the cell [%].
    plugged, powered, flipped : bool
        What the person has done with it.
    lean : str
        Which way the plug is being leaned, one of `DIRECTIONS`.
    charger : Charger

    """

    fault: str = GOOD
    percent: float = 40.0
    plugged: bool = True
    powered: bool = True
    flipped: bool = False
    lean: str = "rest"
    charger: Charger = SHOP
    seed: int = 1
    _since: float = 0.0
    _open_for: float = 0.0
    _rng: np.random.Generator = field(default_factory=np.random.default_rng)

    def __post_init__(self) -> None:
        self._rng = np.random.default_rng(self.seed)
        if self.fault == "battery_flat":
            self.percent = 0.0
        if self.fault == "source_weak":
            self.charger = WEAK

    def step(self, seconds: float) -> tuple[float, float]:
        """Advance the device and return volts and amps at the meter."""
        self._since = self._since + seconds if self.plugged else 0.0
        source = self.charger
        if not self.plugged or self._contact_open(seconds):
            return source.open_volts, 0.0
        if self.fault == "input_short":
            return (0.35, source.limit_a) if self._since % 2.0 < 0.12 else (0.05, 0.0)
        wanted = self._wanted()
        able = max((source.open_volts - DPM_V) / source.ohms, 0.0)
        amps = min(wanted, able, source.limit_a)
        self._charge(amps, seconds)
        return source.open_volts - amps * source.ohms, amps

    def _contact_open(self, seconds: float) -> bool:
        """Whether the plug makes no contact now."""
        if self.fault == "port_worn" and self.flipped:
            return True
        if self.fault != "port_joint":
            return False
        self._open_for = max(self._open_for - seconds, 0.0)
        if self._open_for == 0 and self._rng.random() < LOOSE[self.lean] * seconds * 0.4:
            self._open_for = float(self._rng.uniform(0.3, 1.1))
        return self._open_for > 0

    def _wanted(self) -> float:
        """What firmware and charge controller ask for [A]."""
        if self.fault == "charge_ic_fault":
            return 0.07
        if self.fault == "battery_worn":
            return 0.45 if self._since % 4.0 < 2.4 else 0.0
        if self.percent < 1.0:
            return PRECHARGE_A + 0.05 * self.percent
        if self.fault == "software_state" and self.powered:
            return RUNNING_A + 0.08
        running = RUNNING_A if self.powered else 0.0
        if self.percent <= 78:
            cell = FULL_CURRENT_A
        else:
            cell = FULL_CURRENT_A * max(0.03, np.exp(-(self.percent - 78) / 7.0))
        if self._since < 0.6:
            return running + 0.1
        return float(cell + running * 0.3)

    def _charge(self, amps: float, seconds: float) -> None:
        into_cell = max(amps - (RUNNING_A * 0.3 if self.powered else 0.0), 0.0)
        self.percent = min(self.percent + into_cell * seconds / 3.6 / CAPACITY_MAH * 100, 100.0)


def play(
    device: Device, rate: float, actions: list[tuple[float, dict[str, object]]], seconds: float
) -> Iterator[tuple[float, float, float]]:
    """Play a device through timed changes of its attributes; yields time, volts, amps at `rate` samples a second.

    Parameters
    ----------
    device : Device
    rate : float
        Samples a second [1/s].
    actions : list of (seconds, changes)
        When [s] which attributes change.
    seconds : float
        How long [s].

    """
    todo = sorted(actions, key=lambda item: item[0])
    for index in range(int(seconds * rate)):
        now = index / rate
        while todo and todo[0][0] <= now:
            for name, value in todo.pop(0)[1].items():
                setattr(device, name, value)
        volts, amps = device.step(1 / rate)
        yield now, volts, amps
