"""Simulated hot-air stations: each fitted to a dozen melts, then asked for melts that it has not seen."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from chargepath.knowledge.heat import HeatTables
from chargepath.knowledge.loader import shipped
from chargepath.repair.heat import AirStation, Setting
from chargepath.repair.station import Melt, fit, predict, seconds_to_move
from chargepath.standin.hot_air import HiddenStation, MeltPiece
from chargepath.standin.hot_air import seconds_to_move as by_stop_watch

STATIONS, MELTS, UNSEEN, LONGEST_S = 200, (6, 12, 20), 6, 150.0
TARGETS, ALLOYS = ("closed_thick", "metal_thin"), ("sac305", "sn63pb37")
Pieces = Mapping[tuple[str, str], MeltPiece]


def pieces_of(rng: np.random.Generator, tables: HeatTables) -> Pieces:
    """Boards of one shop: each kind differs from the tables' by some 8 %."""
    out = {}
    for name in TARGETS:
        for solder in ALLOYS:
            target, alloy, size = tables.targets[name], tables.alloys[solder], float(np.exp(rng.normal(0, 0.08)))
            latent = target.joint_mm3 / 1000 * alloy.g_cm3 * alloy.j_g
            out[name, solder] = MeltPiece(
                board_mm=target.board_mm,
                board_w_mk=target.board_w_mk * size,
                board_mm2=target.board_mm2,
                metal_j_k=target.metal_j_k * size,
                shell_mm2=target.shell_mm2,
                joint_j_k=target.joint_j_k,
                joint_w_k=target.joint_w_k,
                latent_j=latent,
                melts_c=alloy.liquidus_c + 0.5,
            )
    return out


def melts_of(
    hidden: HiddenStation, pieces: Pieces, count: int, rng: np.random.Generator, tables: HeatTables
) -> Sequence[Melt]:
    """What somebody at that station melts, with the stop watch; what does not move is not logged."""
    out: list[Melt] = []
    while len(out) < count:
        name, solder = TARGETS[int(rng.integers(2))], ALLOYS[int(rng.integers(2))]
        setting = Setting(
            set_c=float(rng.integers(30, 45) * 10), flow_l_min=float(rng.integers(3, 9) * 10),
            nozzle_mm=float(rng.choice([6, 8, 10])), distance_mm=float(rng.choice([8, 10, 12, 15, 20])),
        )  # fmt: skip
        took = by_stop_watch(
            pieces[name, solder], hidden, setting.set_c, setting.flow_l_min, setting.nozzle_mm, setting.distance_mm, rng
        )
        if took < LONGEST_S:
            out.append(Melt(tables.targets[name], solder, setting, took))
    return out


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    tables = shipped().heat
    yield f"stations: {STATIONS} simulated ones, {UNSEEN} unseen melts each, by how many melts they were fitted to"
    plain: list[float] = []
    for count in MELTS:
        errors: list[list[float]] = []
        held = 0
        for seed in range(STATIONS):
            rng = np.random.default_rng(50_000 + seed)
            hidden, pieces = HiddenStation.draw(rng), pieces_of(rng, tables)
            found = fit(melts_of(hidden, pieces, count, rng, tables), tables)
            here = []
            for melt in melts_of(hidden, pieces, UNSEEN, rng, tables):
                said, low, high = predict(found, melt, tables)
                here.append(abs(said / melt.seconds - 1))
                held += low <= melt.seconds <= high
                if count == MELTS[0]:
                    plain.append(abs(seconds_to_move(melt, AirStation(), tables) / melt.seconds - 1))
            errors.append(here)
        every = np.concatenate(errors)
        middle = np.median(errors, axis=1)
        yield (
            f"  {count:2d} melts: off by {np.median(every):.1%} in the middle, nine of ten within "
            f"{np.percentile(every, 90):.1%}; within 15 %: {np.mean(every < 0.15):.0%} of melts, "
            f"{np.mean(middle < 0.15):.0%} of stations in the middle; the interval holds {held / every.size:.0%}"
        )
    within = np.mean(np.array(plain) < 0.15)
    yield f"  not fitted: off by {np.median(plain):.1%} in the middle, {within:.0%} within 15 %"
