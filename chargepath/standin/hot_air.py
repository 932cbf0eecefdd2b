"""A simulated hot-air station over a simulated board, in rings: what a technician's stop watch would show.

It shares no code with the heat desk: the board is eighteen rings of half a disc, the air's coefficient is a bell that
falls with the square root of the distance, its temperature falls as it spreads, and the melt takes its heat in the ring
it happens in. Station, parts and hands have spreads of their own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array

RINGS, STEP_S, GIVES_UP_S = 18, 0.05, 300.0


@dataclass(frozen=True)
class HiddenStation:
    """What is not known of a station: the share of its set excess that leaves the nozzle, its flow next to what it
    shows, how its jet widens, and how unsteady the hand and the stop watch are.
    """

    gain: float
    flow: float
    widens: float
    hand_mm: float = 1.0
    watch: float = 0.04

    @classmethod
    def draw(cls, rng: np.random.Generator) -> HiddenStation:
        """One of those that are sold."""
        return cls(
            gain=float(rng.uniform(0.86, 1.02)),
            flow=float(np.exp(rng.normal(0, 0.22))),
            widens=float(rng.uniform(0.85, 1.15)),
        )


@dataclass(frozen=True)
class MeltPiece:
    """A board with a part on it: thickness [mm], conductivity [W/(m K)], area [mm²], metal [J/K], shell [mm²], joint
    [J/K], what ties it to the board [W/K], latent heat [J], where it is liquid [°C].
    """

    board_mm: float
    board_w_mk: float
    board_mm2: float
    metal_j_k: float
    shell_mm2: float
    joint_j_k: float
    joint_w_k: float
    latent_j: float
    melts_c: float


def seconds_to_move(
    piece: MeltPiece,
    station: HiddenStation,
    set_c: float,
    flow_l_min: float,
    nozzle_mm: float,
    distance_mm: float,
    rng: np.random.Generator,
) -> float:
    """Seconds until the joint lets go [s]; infinite where it does not within five minutes."""
    room = float(rng.uniform(19, 26))
    distance = max(distance_mm + float(rng.normal(0, station.hand_mm)), 2.0)
    size = float(np.exp(rng.normal(0, 0.05)))
    reach = math.sqrt(2 * piece.board_mm2 / math.pi)
    edges = np.linspace(0, reach, RINGS + 1)
    middle = (edges[1:] + edges[:-1]) / 2
    area = math.pi / 2 * (edges[1:] ** 2 - edges[:-1] ** 2)
    held = area * piece.board_mm * 2.4e-3 * size
    zone = middle < 8.0
    held[zone] += piece.metal_j_k * size * area[zone] / area[zone].sum()
    along = math.pi * piece.board_w_mk * piece.board_mm / 1000 * edges[1:-1] / np.diff(middle)
    air_c, w_m2k = _air(station, set_c, flow_l_min, nozzle_mm, distance, middle, room)
    taken = area + np.where(zone, piece.shell_mm2 * area / max(area[zone].sum(), 1e-9), 0.0)
    gives = w_m2k * taken * 1e-6
    loses = 14.0 * (2 * area - np.where(zone, area, 0.0)) * 1e-6
    temps = np.full(RINGS, room)
    joint, melted, under = room, 0.0, int(np.argmin(np.abs(middle - 5.0)))
    for number in range(int(GIVES_UP_S / STEP_S)):
        flow = gives * (air_c - temps) - loses * (temps - room)
        between = along * (temps[1:] - temps[:-1])
        flow[:-1] += between
        flow[1:] -= between
        into = piece.joint_w_k * (temps[under] - joint)
        flow[under] -= into
        temps = temps + STEP_S * flow / held
        if joint >= piece.melts_c and into > 0:
            melted += into * STEP_S
            if melted >= piece.latent_j:
                return float((number + 1) * STEP_S * np.exp(rng.normal(0, station.watch)))
        else:
            joint += STEP_S * into / piece.joint_j_k
    return math.inf


def _air(
    station: HiddenStation, set_c: float, flow: float, nozzle: float, distance: float, at: Array, room: float
) -> tuple[Array, Array]:
    """Temperature of the air along the board [°C] and its coefficient [W/(m² K)]."""
    exit_c = room + station.gain * (set_c - room)
    speed = flow * station.flow / 60_000 / (math.pi * (nozzle / 2000) ** 2) * (exit_c + 273) / (room + 273)
    reynolds = speed * nozzle / 1000 / (16e-6 * (((exit_c + 200) / 2 + 273) / 300) ** 1.75)
    conducts = 0.026 * (((exit_c + 200) / 2 + 273) / 300) ** 0.8
    stagnation = 0.62 * math.sqrt(reynolds) * conducts / (nozzle / 1000)
    bell = stagnation / np.sqrt(1 + (at / (1.9 * nozzle)) ** 2)
    way = (distance + at) / nozzle * station.widens
    left = np.minimum(1.0, 3.0 / np.maximum(way, 3.0))
    return room + left * (exit_c - room), bell
