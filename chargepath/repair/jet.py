"""Heat from a round jet of hot air that strikes a flat board.

H. Martin, "Heat and mass transfer between impinging gas jets and solid surfaces", Advances in Heat Transfer 13 (1977),
1-60: the mean coefficient over a disc round a single round nozzle,

    Nu / Pr^0.42 = (D/r) (1 - 1.1 D/r) / (1 + 0.1 (H/D - 6) D/r) · 2 Re^0.5 (1 + Re^0.55 / 200)^0.5,

for 2000 <= Re <= 400,000, 2 <= H/D <= 12 and 2.5 <= r/D <= 7.5. Under 2.5 D, where the paper gives a chart only, the
local coefficient is the parabola that carries the heat which the formula gives for 2.5 D and joins it there. A jet that
is hotter than the room mixes with it on the way; the share of the excess that is left follows the growth of a free
jet's mass flow (F. P. Ricou and D. B. Spalding, J. Fluid Mech. 11 (1961), 21-32: 0.32 x/D), and is whole to where the
core ends. Both papers from memory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

RE_RANGE, HEIGHT_RANGE, RADIUS_RANGE = (2000.0, 400_000.0), (2.0, 12.0), (2.5, 7.5)
# Dry air at 300 K and how it goes with the absolute temperature: within 3 % of the usual tables to 800 K (from memory).
AIR_W_MK, AIR_M2_S, AIR_PR, AIR_K = 0.0263, 15.89e-6, 0.70, 300.0
AIR_W_POWER, AIR_M2_POWER = 0.8, 1.75
AIR_J_M3K = 1.161 * 1007.0  # a cubic metre of air at 300 K [J/K]
ENTRAINED, CORE_D, KELVIN = 0.32, 1 / 0.32, 273.15
# What is left along the board: see the head of this module.
WALL_LEFT, WALL_POWER, RINGS = 1.45, 0.2, 8


def air_conductivity(temp_c: float) -> float:
    """Thermal conductivity of air [W/(m K)]."""
    return AIR_W_MK * float(((temp_c + KELVIN) / AIR_K) ** AIR_W_POWER)


def air_viscosity(temp_c: float) -> float:
    """Kinematic viscosity of air at one atmosphere [m²/s]."""
    return AIR_M2_S * float(((temp_c + KELVIN) / AIR_K) ** AIR_M2_POWER)


def mean_nusselt(reynolds: float, height_d: float, radius_d: float, prandtl: float = AIR_PR) -> float:
    """Mean Nusselt number over a disc of radius r, by Martin's formula as it stands.

    Parameters
    ----------
    reynolds : float
        With the nozzle's diameter and the mean velocity at its exit.
    height_d, radius_d : float
        Nozzle to plate, and radius of the disc, in nozzle diameters.
    prandtl : float

    Examples
    --------
    A transistor of 10 mm under a nozzle of 2 mm, 10 mm away, air at 20 m/s (a textbook's worked problem, from memory):

    >>> round(mean_nusselt(2198, 5.0, 2.5, 0.704), 1)
    21.9

    """
    inverse = 1 / radius_d
    shape = inverse * (1 - 1.1 * inverse) / (1 + 0.1 * (height_d - 6) * inverse)
    return float(prandtl**0.42 * shape * 2 * math.sqrt(reynolds) * math.sqrt(1 + reynolds**0.55 / 200))


@dataclass(frozen=True)
class Jet:
    """A jet as it leaves the nozzle.

    Attributes
    ----------
    exit_c : float
        Temperature of the air at the nozzle [°C].
    flow_l_min : float
        Air taken in, at room temperature [l/min].
    nozzle_mm, distance_mm : float
    room_c, surface_c : float
        Of the air around, and about how warm what it strikes is: the film's temperature lies between [°C].

    """

    exit_c: float
    flow_l_min: float
    nozzle_mm: float
    distance_mm: float
    room_c: float = 25.0
    surface_c: float = 180.0

    @property
    def film_c(self) -> float:
        """Temperature at which the air's properties are taken [°C]."""
        return (self.exit_c + self.surface_c) / 2

    @property
    def velocity(self) -> float:
        """Mean velocity at the exit, where the air has grown with its temperature [m/s]."""
        hotter = (self.exit_c + KELVIN) / (self.room_c + KELVIN)
        return self.flow_l_min / 60_000 * hotter / (math.pi * (self.nozzle_mm / 2000) ** 2)

    @property
    def reynolds(self) -> float:
        """Reynolds number at the nozzle."""
        return self.velocity * self.nozzle_mm / 1000 / air_viscosity(self.film_c)

    @property
    def height_d(self) -> float:
        """Distance in nozzle diameters."""
        return self.distance_mm / self.nozzle_mm

    @property
    def power_w(self) -> float:
        """Heat that the jet carries above the room [W]: nothing can take more out of it."""
        return self.flow_l_min / 60_000 * AIR_J_M3K * AIR_K / (self.room_c + KELVIN) * (self.exit_c - self.room_c)

    @property
    def outside(self) -> tuple[str, ...]:
        """In what the setting lies outside the formula's own limits, where it is taken at the limit."""
        rows = (
            ("air too slow for the formula", self.reynolds < RE_RANGE[0]),
            ("air too fast for the formula", self.reynolds > RE_RANGE[1]),
            ("nozzle closer than two diameters", self.height_d < HEIGHT_RANGE[0]),
            ("nozzle further than twelve diameters", self.height_d > HEIGHT_RANGE[1]),
        )
        return tuple(words for words, is_so in rows if is_so)

    def _mean(self, radius_d: float) -> float:
        """Mean Nusselt number to a radius, height held to the formula's limits."""
        height = min(max(self.height_d, HEIGHT_RANGE[0]), HEIGHT_RANGE[1])
        return mean_nusselt(min(max(self.reynolds, 1.0), RE_RANGE[1]), height, radius_d)

    def disc(self, radius_mm: float) -> float:
        """Mean coefficient over a disc under the nozzle [W/(m² K)]."""
        found = radius_mm / self.nozzle_mm
        inner, outer = RADIUS_RANGE
        if found >= inner:
            mean = self._mean(min(found, outer)) * (min(found, outer) / found) ** 2
        else:
            whole, step = self._mean(inner), 1e-4
            slope = (self._mean(inner + step) - self._mean(inner - step)) / (2 * step)
            local = whole + inner / 2 * slope
            # Local a - b x²: its mean to the inner limit is the formula's, its value there the formula's local one.
            bend = (whole - local) / (inner**2 / 2)
            mean = local + bend * inner**2 - bend * found**2 / 2
        return mean * air_conductivity(self.film_c) / (self.nozzle_mm / 1000)

    def ring(self, inner_mm: float, outer_mm: float) -> float:
        """Mean coefficient over a ring [W/(m² K)]; nothing is counted beyond 7.5 diameters."""
        if outer_mm <= inner_mm:
            return self.disc(max(outer_mm, 0.1))
        heat = self.disc(outer_mm) * outer_mm**2 - (self.disc(inner_mm) * inner_mm**2 if inner_mm > 0 else 0.0)
        return heat / (outer_mm**2 - inner_mm**2)

    def left(self, radius_mm: float = 0.0) -> float:
        """Share of the excess over the room that the air has at the board, so far from the middle, 0 to 1."""
        far = 1 / (ENTRAINED * max(self.height_d, CORE_D))
        if radius_mm <= 0:
            return min(1.0, far)
        height = max(self.distance_mm, self.nozzle_mm)
        along = WALL_LEFT * self.nozzle_mm / radius_mm * float((radius_mm / height) ** WALL_POWER)
        return min(1.0, far, along)

    def reaches_c(self, radius_mm: float = 0.0) -> float:
        """Temperature of the jet's air at the board, `radius_mm` away from the middle of the jet [°C]."""
        return self.room_c + self.left(radius_mm) * (self.exit_c - self.room_c)

    def ring_w_k(self, inner_mm: float, outer_mm: float) -> tuple[float, float]:
        """Mean coefficient over a ring, and the temperature of the air that carries its heat [W/(m² K), °C]."""
        edges = [inner_mm + (outer_mm - inner_mm) * share / RINGS for share in range(RINGS + 1)]
        parts = [
            (self.ring(one, other) * (other**2 - one**2), self.reaches_c((one + other) / 2))
            for one, other in pairwise(edges)
        ]
        whole = sum(w for w, _ in parts)
        return whole / (outer_mm**2 - inner_mm**2), sum(w * c for w, c in parts) / whole
