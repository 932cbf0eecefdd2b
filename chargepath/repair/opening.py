"""A device on a warm plate until its glue gives way: how warm the cell behind it gets meanwhile.

Three lumps: cover with its glue, frame, cell. The plate touches the cover with 60 W/(m² K), glass on a mat (from
memory); the back of the frame loses heat to still air.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.errors import ReadingError
from chargepath.knowledge.heat import HeatTables, Opening
from chargepath.repair.heat import KEPT_S, STEP_S, STILL_W_M2K, Margin, first_over
from chargepath.repair.lumps import BOARD, CELL, LUMPS, SOURCES, ZONE

MAT_W_M2K, BARE = 60.0, 1e-6
PLATE_RANGE, MINUTES_RANGE = (30.0, 150.0), (0.5, 30.0)


@dataclass(frozen=True)
class Soak:
    """The course of a device on a warm plate.

    Attributes
    ----------
    times : array (n,)
        [s]
    temps : array (n, 3)
        Glue, frame, cell [°C].
    gives_s : float or None
        When the glue gives way.
    cell : Margin
    cell_then_c : float or None
        How warm the cell is when the glue gives way [°C].

    """

    times: Array
    temps: Array
    gives_s: float | None
    cell: Margin
    cell_then_c: float | None


def soak(opening: Opening, plate_c: float, minutes: float, tables: HeatTables, room_c: float = 22.0) -> Soak:
    """Simulate a device on a warm plate.

    Raises
    ------
    ReadingError
        Plate not 30 to 150 °C, or not half a minute to half an hour.

    """
    from chargepath.repair.network import integrate

    for value, (low, high), name, unit in (
        (plate_c, PLATE_RANGE, "plate", "°C"),
        (minutes, MINUTES_RANGE, "time", "min"),
    ):
        if not low <= value <= high:
            raise ReadingError(f"{value:g} {unit} is not possible", name, f"{low:g} to {high:g} {unit}")
    capacity, between = np.full(LUMPS, BARE), np.zeros((LUMPS, LUMPS))
    capacity[[ZONE, BOARD, CELL]] = opening.cover_j_k, opening.frame_j_k, opening.cell_j_k
    for one, other, w_k in (
        (ZONE, BOARD, opening.cover_frame_w_k),
        (ZONE, CELL, opening.cover_cell_w_k),
        (BOARD, CELL, opening.frame_cell_w_k),
    ):
        between[one, other] = between[other, one] = w_k
    plate_w_k, plate_at, open_faces = np.zeros((SOURCES, LUMPS)), np.zeros((SOURCES, LUMPS)), np.zeros(LUMPS)
    plate_w_k[1, ZONE], plate_at[1, ZONE] = opening.cover_mm2 * 1e-6 * MAT_W_M2K, plate_c
    open_faces[BOARD] = opening.cover_mm2
    kept, *_ = integrate(
        capacity * room_c, capacity, between, plate_w_k, plate_at, open_faces * 1e-6 * STILL_W_M2K, open_faces, room_c,
        0.0, 900.0, 901.0, STEP_S, round(minutes * 60 / STEP_S), round(KEPT_S / STEP_S), -1.0,
    )  # fmt: skip
    temps = kept[:, [ZONE, BOARD, CELL]]
    times: Array = KEPT_S * np.arange(len(temps), dtype=np.float64)
    gives = first_over(times, temps[:, 0], opening.glue_c)
    limit = tables.limits["cell"]
    cell = Margin("cell", limit.label, float(temps[:, 2].max()), limit.c, limit.says)
    then = None if gives is None else float(np.interp(gives, times, temps[:, 2]))
    return Soak(times, temps, gives, cell, then)
