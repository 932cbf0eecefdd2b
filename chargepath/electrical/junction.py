"""What a meter in diode mode sees: a junction with series resistance, a leak beside it, driven at the meter's test
current.

The loop ``V = Id·Rs + n·Vt·ln(1 + Id/Is)`` with ``Id = I - V/R`` is solved in closed form with the Wright omega
function (Corless, Jeffrey: "The Wright omega function", 2002), and inverted, so that a reading becomes a resistance
to ground. Polarity follows the bench: red on ground, black on the line; all figures are magnitudes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

# CODATA exact values: Boltzmann constant [J/K] over elementary charge [C].
VOLTS_PER_KELVIN = 1.380649e-23 / 1.602176634e-19
ROOM_C = 27.0
# Thermal voltage kT/q at room temperature [mV]: an ideal junction drops so much more at a current e times as large.
THERMAL_MV = 1000 * VOLTS_PER_KELVIN * (ROOM_C + 273.15)
# Between 1 (ideal) and 2 (recombination); protection diodes at a milliamp lie in the middle (common practice).
IDEALITY = 1.5
MIN_SERIES_OHM = 1e-6


def wright_omega(z: float) -> float:
    """Solve ``w + ln w = z`` for real z.

    Parameters
    ----------
    z : float
        Any finite number.

    Returns
    -------
    float
        w > 0, to machine precision: a start by size of z, then the fourth-order step of Fritsch, Shafer and Crowley
        (1973).

    Examples
    --------
    >>> wright_omega(1.0)  # 1 + ln 1
    1.0
    >>> round(wright_omega(0.0), 9)  # the omega constant
    0.56714329

    """
    if z < -2.0:
        w = math.exp(max(z, -700.0))
        w *= 1 - w
    elif z < 2.0:
        w = math.exp(2.0 * (z - 1.0) / 3.0)
    else:
        w = z - math.log(z)
    for _ in range(3):
        r = z - w - math.log(w)
        if abs(r) < 1e-15 * max(abs(z), 1.0):
            break
        q = (1 + w) * (1 + w + 2 * r / 3)
        w *= 1 + r / (1 + w) * (q - r / 2) / (q - r)
    return w


@dataclass(frozen=True)
class Junction:
    """A junction to ground.

    Attributes
    ----------
    saturation_a : float
        Saturation current Is [A].
    ideality : float
        Emission coefficient n.
    series_ohm : float
        Series resistance Rs [ohm].
    temp_c : float
        Junction temperature [°C].

    """

    saturation_a: float
    ideality: float = IDEALITY
    series_ohm: float = 0.0
    temp_c: float = ROOM_C

    @property
    def slope_v(self) -> float:
        """n·Vt [V]."""
        return self.ideality * VOLTS_PER_KELVIN * (self.temp_c + 273.15)

    @classmethod
    def through(cls, volts: float, amps: float, ideality: float = IDEALITY, series_ohm: float = 0.0) -> Junction:
        """The junction that shows `volts` at `amps`: a known-good reading made into a part.

        Raises
        ------
        ValueError
            Where the drop over the series resistance alone is that large.

        """
        rest = volts - amps * series_ohm
        if rest <= 0 or amps <= 0:
            raise ValueError("a junction needs a positive current and volts above its series drop")
        made = cls(1.0, ideality, series_ohm)
        return cls(amps / math.expm1(rest / made.slope_v), ideality, series_ohm)

    def volts(self, amps: float) -> float:
        """Volts across it at a forward current [A]."""
        return amps * self.series_ohm + self.slope_v * math.log1p(amps / self.saturation_a)

    def amps(self, volts: float) -> float:
        """Forward current at volts across it [A], series resistance included."""
        a, rs, sat = self.slope_v, self.series_ohm, self.saturation_a
        if rs < MIN_SERIES_OHM:
            return sat * math.expm1(volts / a)
        scale = rs / a
        return wright_omega(math.log(sat * scale) + (volts + sat * rs) / a) / scale - sat


def reading_with_leak(junction: Junction, leak_ohm: float, test_a: float) -> float:
    """Volts across a junction and a leak side by side, driven at the test current.

    Parameters
    ----------
    junction : Junction
    leak_ohm : float
        Resistance to ground beside the junction [ohm]; ``inf`` for none, 0 for a dead short.
    test_a : float
        The meter's test current [A].

    Returns
    -------
    float
        Volts.

    Examples
    --------
    A line of 500 mV at 1 mA beside 100 ohm: the leak takes it all, 1 mA · 100 ohm. Beside
    1000 ohm 0.475 mA go through the leak and 0.525 mA, 500 mV - 38.8 mV · ln(1 / 0.525), through the junction.

    >>> line = Junction.through(0.5, 1e-3)
    >>> round(reading_with_leak(line, 100.0, 1e-3), 3)
    0.1
    >>> round(reading_with_leak(line, 1000.0, 1e-3), 3), round(line.volts(1e-3), 3)
    (0.475, 0.5)

    """
    if leak_ohm <= 0:
        return 0.0
    if math.isinf(leak_ohm):
        return junction.volts(test_a)
    a, sat, whole = junction.slope_v, junction.saturation_a, leak_ohm + junction.series_ohm
    omega = wright_omega(math.log(sat * whole / a) + (test_a * leak_ohm + sat * whole) / a)
    through = a * omega / whole - sat
    return (test_a - through) * leak_ohm


def leak_of(junction: Junction, volts: float, test_a: float) -> float:
    """Resistance to ground beside a junction that makes it read `volts` [ohm].

    Returns
    -------
    float
        0 for 0 V; ``inf`` where the junction alone already takes the whole test current.

    Examples
    --------
    >>> line = Junction.through(0.5, 1e-3)
    >>> round(leak_of(line, reading_with_leak(line, 1000.0, 1e-3), 1e-3), 6)
    1000.0

    """
    if volts <= 0:
        return 0.0
    rest = test_a - junction.amps(volts)
    return volts / rest if rest > 0 else math.inf


def series_of(junction: Junction, volts: float, test_a: float) -> float:
    """Resistance in series with a junction that makes it read `volts` [ohm].

    0 where it reads no higher than healthy.

    Examples
    --------
    >>> round(series_of(Junction.through(0.5, 1e-3), 0.6, 1e-3), 6)  # 100 mV at 1 mA
    100.0

    """
    return max(volts - junction.volts(test_a), 0.0) / test_a
