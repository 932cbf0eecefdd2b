"""Wire and cable: resistance from gauge and length, and what a cable may drop."""

from __future__ import annotations

import math

from chargepath.base.errors import ReadingError

# Annealed copper at 20 °C (IEC 60028), ohm metre, and its temperature coefficient.
COPPER_OHM_M, COPPER_PER_K = 1.7241e-8, 3.93e-3
# USB Type-C Cable and Connector Specification: largest drop at the rated current (from memory) [V].
TYPE_C_DROP_V = {"vbus": 0.5, "ground": 0.25}


def wire_diameter_mm(gauge: int) -> float:
    """Diameter of a round wire by American gauge [mm] (ASTM B258: 0.005 in at gauge 36, ratio 92 over 39 steps).

    Raises
    ------
    ReadingError
        Outside gauge 0 to 44.

    Examples
    --------
    >>> wire_diameter_mm(36)  # 0.005 in
    0.127

    """
    if not 0 <= gauge <= 44:
        raise ReadingError(f"gauge {gauge} is not a wire", "gauge", "from 0 (thick) to 44 (thin)")
    return float(0.127 * 92 ** ((36 - gauge) / 39))


def wire_ohms(gauge: int, metres: float, temp_c: float = 20.0) -> float:
    """Resistance of a copper wire [ohm].

    Raises
    ------
    ReadingError
        Impossible gauge or length.

    Examples
    --------
    Gauge 24 has 84.2 ohm a kilometre (ASTM B258 as tabulated, from memory); at 70 °C 1 + 0.00393 · 50 times as much.

    >>> round(wire_ohms(24, 100.0), 2), round(wire_ohms(24, 100.0, 70.0) / wire_ohms(24, 100.0), 4)
    (8.42, 1.1965)

    """
    if not 0 <= metres <= 100:
        raise ReadingError(f"{metres:g} m is no cable", "length", "from 0 to 100 m")
    area = math.pi * (wire_diameter_mm(gauge) / 2000) ** 2
    return COPPER_OHM_M * metres / area * (1 + COPPER_PER_K * (temp_c - 20.0))


def cable_drop_mv(power_gauge: int, metres: float, amps: float, ground_gauge: int | None = None) -> dict[str, float]:
    """Drop of a cable's power and ground conductors at a current [mV], each and both together.

    Examples
    --------
    >>> round(cable_drop_mv(24, 1.0, 2.0)["both"])  # 2 A through 84.2 mohm, there and back
    337

    """
    power = wire_ohms(power_gauge, metres) * amps * 1000
    ground = wire_ohms(power_gauge if ground_gauge is None else ground_gauge, metres) * amps * 1000
    return {"vbus": power, "ground": ground, "both": power + ground}
