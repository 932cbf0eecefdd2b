"""A jumper wire: its resistance, what it drops, how warm it gets, and the thinnest that will do.

Resistance by ASTM B258 diameters and annealed copper (IEC 60028). The current at which a thin wire melts in free air
is Preece's, 80 A for a copper wire of 1 mm (W. H. Preece, 1884: 10244 · d^1.5 with d in inches; from memory). Heat
leaves a wire in proportion to how much warmer it is, and heats it with the square of the current, so that the rise at
a smaller current is (I / I_fuse)² of the rise to the melting point: an upper bound, since a wire that is stuck down
and short is cooled by its ends.
"""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.electrical.cable import COPPER_PER_K, wire_diameter_mm, wire_ohms

# Preece's constant for copper [A / in^1.5], and copper's melting point [°C] (from memory).
PREECE_A, MELTS_C, ROOM_C = 10244.0, 1085.0, 25.0
# Common practice: a jumper drops no more than this at its full current, and gets no warmer than this over the room.
MOST_DROP_MV, MOST_RISE_K = 30.0, 30.0
GAUGES = range(28, 45, 2)


@dataclass(frozen=True)
class Jumper:
    """One wire at one current.

    Attributes
    ----------
    gauge : int
    diameter_mm, milliohms, drop_mv, rise_k, fuses_a : float
        Resistance, drop and rise are those of the warm wire.

    """

    gauge: int
    diameter_mm: float
    milliohms: float
    drop_mv: float
    rise_k: float
    fuses_a: float

    @property
    def fits(self) -> bool:
        """Whether the wire drops no more and gets no warmer than it may."""
        return self.drop_mv <= MOST_DROP_MV and self.rise_k <= MOST_RISE_K


def fusing_current_a(diameter_mm: float) -> float:
    """Current that melts a copper wire in free air [A], by Preece.

    Examples
    --------
    A wire of 0.01 in: 10244 · 0.001 = 10.2 A.

    >>> round(fusing_current_a(0.254), 2)
    10.24

    """
    return float(PREECE_A * (diameter_mm / 25.4) ** 1.5)


def jumper(gauge: int, length_mm: float, amps: float) -> Jumper:
    """Resistance, drop and warmth of a jumper wire.

    Parameters
    ----------
    gauge : int
        American gauge, 0 to 44.
    length_mm : float
        Of the wire, 0.5 to 200 mm.
    amps : float
        What flows through it, over 0, up to 20 A.

    Raises
    ------
    ReadingError
        Outside these limits.

    """
    if not 0.5 <= length_mm <= 200:
        raise ReadingError(f"{length_mm:g} mm is no jumper", "length", "0.5 to 200 mm")
    if not 0 < amps <= 20:
        raise ReadingError(f"{amps:g} A does not flow here", "current", "over 0, up to 20 A")
    diameter = wire_diameter_mm(gauge)
    fuses = fusing_current_a(diameter)
    rise = (MELTS_C - ROOM_C) * (amps / fuses) ** 2
    warm = min(rise, MELTS_C - ROOM_C)
    ohms = wire_ohms(gauge, length_mm / 1000, 20.0) * (1 + COPPER_PER_K * (ROOM_C + warm - 20.0))
    return Jumper(
        gauge=gauge, diameter_mm=diameter, milliohms=ohms * 1000, drop_mv=ohms * amps * 1000, rise_k=rise, fuses_a=fuses
    )


def thinnest(length_mm: float, amps: float) -> Jumper | None:
    """The thinnest usual wire that will do, None where none does: then it takes two wires, or a shorter way.

    Examples
    --------
    >>> found = thinnest(8.0, 0.5)
    >>> found.gauge if found else None
    36

    """
    return next((found for gauge in reversed(GAUGES) if (found := jumper(gauge, length_mm, amps)).fits), None)
