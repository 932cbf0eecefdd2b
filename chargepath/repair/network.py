"""Six lumps of heat and what flows between them, integrated; compiled, since a page asks for some thirty runs. Loading
this takes half a second, for the compiler's sake: who needs it loads it then.

Lumps: the joint, the zone round it, the part's plastic core, the rest of the board, one neighbour, the cell's edge.
Each has a heat capacity; between any two there is a conductance; jet, plate and iron are temperatures behind a
conductance; the room takes heat by a conductance and by radiation. The joint's solder takes its latent heat between
solidus and liquidus: its state is an enthalpy, so that nothing jumps.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit

from chargepath.base.arrays import Array
from chargepath.repair.lumps import LUMPS, SOURCES

# Stefan and Boltzmann's constant [W/(m² K⁴)] and how well a board radiates.
SIGMA, EMITS, KELVIN = 5.670374e-8, 0.9, 273.15


def _joint_temp(heat: float, capacity: float, latent: float, solidus: float, liquidus: float) -> float:
    """Temperature of the joint [°C] by its enthalpy above 0 °C [J]."""
    begins = capacity * solidus
    ends = capacity * liquidus + latent
    if heat <= begins:
        return heat / capacity
    if heat >= ends:
        return liquidus + (heat - ends) / capacity
    return solidus + (liquidus - solidus) * (heat - begins) / (ends - begins)


def _integrate(
    start_heat: Array,
    capacity: Array,
    between: Array,
    source_w_k: Array,
    source_c: Array,
    room_w_k: Array,
    radiates_mm2: Array,
    room_c: float,
    latent: float,
    solidus: float,
    liquidus: float,
    step: float,
    steps: int,
    every: int,
    stop_melted: float,
) -> tuple[Array, Array, Array, int]:
    """Classical Runge and Kutta, fourth order, in enthalpies.

    Parameters
    ----------
    start_heat, capacity, room_w_k, radiates_mm2 : array (6,)
        Enthalpy above 0 °C [J], heat capacity [J/K], conductance to the room [W/K], area that radiates [mm²].
    between : array (6, 6)
        Conductances, symmetric [W/K].
    source_w_k, source_c : array (3, 6)
        Jet, plate and iron: conductance to each lump [W/K] and temperature there [°C].
    latent, solidus, liquidus : float
        Of the joint's solder [J, °C].
    step, steps, every
        Step [s], how many at most, and every how many one is kept.
    stop_melted : float
        Ends so many seconds after the joint is all liquid; never for a negative one.

    Returns
    -------
    kept : array (n, 7)
        Temperatures of the lumps [°C], then the share of the joint that is liquid.
    heat : array (6,)
        Enthalpies at the end [J].
    moved : array (5,)
        Heat from jet, plate, iron, to the room, and stored [J].
    done : int
        Steps that were taken.

    """
    capacities = len(capacity)
    melts = liquidus - solidus
    kept = np.zeros((steps // every + 2, capacities + 1))
    heat = start_heat.copy()
    moved = np.zeros(5)
    temps = np.zeros(capacities)
    flow = np.zeros(capacities)
    stage = np.zeros(capacities)
    total = np.zeros(capacities)
    parts = np.zeros(4)
    first = heat.sum()
    rows = 0
    after = -1.0
    done = 0
    ends = capacity[0] * liquidus + latent
    begins = capacity[0] * solidus
    for number in range(steps + 1):
        share = min(max((heat[0] - begins) / (ends - begins), 0.0), 1.0) if ends > begins else 0.0
        if number % every == 0 or number == steps:
            for lump in range(capacities):
                kept[rows, lump] = heat[lump] / capacity[lump]
            kept[rows, 0] = _joint_at(heat[0], capacity[0], latent, solidus, liquidus)
            kept[rows, capacities] = share
            rows += 1
        if share >= 1.0 and after < 0.0:
            after = 0.0
        if number == steps or (stop_melted >= 0.0 and after >= stop_melted):
            break
        total[:] = 0.0
        for at in range(4):
            fraction = 0.0 if at == 0 else 0.5 if at < 3 else 1.0
            weight = 1.0 if at in (0, 3) else 2.0
            for lump in range(capacities):
                stage[lump] = heat[lump] + fraction * step * flow[lump]
                temps[lump] = stage[lump] / capacity[lump]
            temps[0] = _joint_at(stage[0], capacity[0], latent, solidus, liquidus)
            for kind in range(4):
                parts[kind] = 0.0
            for lump in range(capacities):
                here = temps[lump]
                gain = 0.0
                for other in range(capacities):
                    gain += between[lump, other] * (temps[other] - here)
                for kind in range(3):
                    given = source_w_k[kind, lump] * (source_c[kind, lump] - here)
                    gain += given
                    parts[kind] += given
                lost = room_w_k[lump] * (here - room_c) + radiates_mm2[lump] * 1e-6 * EMITS * SIGMA * (
                    (here + KELVIN) ** 4 - (room_c + KELVIN) ** 4
                )
                parts[3] += lost
                flow[lump] = gain - lost
            for lump in range(capacities):
                total[lump] += weight * flow[lump]
            for kind in range(4):
                moved[kind] += weight * parts[kind] * step / 6.0
        for lump in range(capacities):
            heat[lump] += step * total[lump] / 6.0
        if after >= 0.0:
            after += step
        done = number + 1
    if (done % every) != 0 and rows < len(kept):
        for lump in range(capacities):
            kept[rows, lump] = heat[lump] / capacity[lump]
        kept[rows, 0] = _joint_at(heat[0], capacity[0], latent, solidus, liquidus)
        kept[rows, capacities] = min(max((heat[0] - begins) / (ends - begins), 0.0), 1.0) if ends > begins else 0.0
        rows += 1
    moved[4] = heat.sum() - first
    if melts < 0.0:
        rows = 0
    return kept[:rows], heat, moved, done


_joint_at = njit(cache=True)(_joint_temp)
integrate: Callable[..., tuple[Array, Array, Array, int]] = njit(cache=True)(_integrate)


def get_ready() -> None:
    """Compile it, or read it from where it was kept, before somebody waits for it."""
    ones, none = np.ones(LUMPS), np.zeros((SOURCES, LUMPS))
    integrate(ones, ones, np.zeros((LUMPS, LUMPS)), none, none, ones, ones, 20.0, 1.0, 217.0, 218.0, 0.1, 2, 1, -1.0)
