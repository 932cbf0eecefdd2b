"""What only tests and the bench reckon: the inverse of a thermistor's reading, the kind of phase of each sample."""

from __future__ import annotations

import math

import numpy as np

from chargepath.base.arrays import Ints
from chargepath.electrical.sense import ROOM_C, ZERO_C
from chargepath.trace.model import Trace
from chargepath.trace.phases import KINDS, Phase


def ohms_by_beta(temp_c: float, room_ohms: float = 10_000.0, beta: float = 3435.0) -> float:
    """Resistance of a thermistor at a temperature [ohm]; inverse of `temp_by_beta`.

    Examples
    --------
    10 kohm · exp(3435 · (1/323.15 - 1/298.15)) = 10 kohm · exp(-0.8913).

    >>> round(ohms_by_beta(50.0))
    4101

    """
    return room_ohms * math.exp(beta * (1 / (temp_c + ZERO_C) - 1 / (ROOM_C + ZERO_C)))


def sample_kinds(trace: Trace, phases: list[Phase]) -> Ints:
    """Index into `KINDS` for each sample, shape (n,)."""
    out = np.zeros(len(trace), dtype=np.int64)
    for phase in phases:
        rows = slice(*np.searchsorted(trace.seconds, (phase.start, phase.stop)))
        out[rows] = KINDS.index(phase.kind)
    if phases:
        out[-1] = KINDS.index(phases[-1].kind)
    return out
