"""Battery lines: thermistor to temperature, logic levels of the low-voltage lines, a clock on both sides of a
transistor.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.knowledge.book import Knowledge

ZERO_C = 273.15
ROOM_C = 25.0
# Steinhart and Hart's coefficients of the common 10 kohm curve (type 2), as published for it; from memory.
TYPE_2 = (1.129148e-3, 2.34125e-4, 8.76741e-8)


def _check_ohms(ohms: float) -> None:
    if not 1 <= ohms <= 1e8:
        raise ReadingError(f"{ohms:g} ohm is no thermistor", "resistance", "allowed: 1 ohm to 100 Mohm")


def temp_by_beta(ohms: float, room_ohms: float = 10_000.0, beta: float = 3435.0) -> float:
    """Temperature of a thermistor [°C] by its beta: R = R25·exp(B·(1/T - 1/T25)).

    Raises
    ------
    ReadingError
        No thermistor has that resistance, or a beta outside 1000 to 7000 K.

    Examples
    --------
    >>> round(temp_by_beta(10_000.0), 6), round(temp_by_beta(4101.19), 3)
    (25.0, 50.0)

    """
    _check_ohms(ohms)
    if not 1000 <= beta <= 7000:
        raise ReadingError(f"beta {beta:g} K is not possible", "beta", "allowed: 1000 to 7000 K")
    return 1 / (1 / (ROOM_C + ZERO_C) + math.log(ohms / room_ohms) / beta) - ZERO_C


def temp_by_steinhart(ohms: float, coefficients: Sequence[float] = TYPE_2) -> float:
    """Temperature of a thermistor [°C] by Steinhart and Hart (1968): 1/T = A + B·ln R + C·(ln R)³.

    Examples
    --------
    >>> round(temp_by_steinhart(10_000.0), 2)
    25.0

    """
    _check_ohms(ohms)
    a, b, c = coefficients
    log = math.log(ohms)
    return 1 / (a + b * log + c * log**3) - ZERO_C


def fit_steinhart(points: Sequence[tuple[float, float]]) -> tuple[float, float, float]:
    """Coefficients through three points of a table.

    Parameters
    ----------
    points : three (temp_c, ohms)

    Raises
    ------
    ReadingError
        Not three different points of a falling curve.

    Examples
    --------
    >>> points = [(0.0, 32_650.0), (25.0, 10_000.0), (50.0, 3_603.0)]
    >>> [round(temp_by_steinhart(ohms, fit_steinhart(points)), 6) for _, ohms in points]
    [0.0, 25.0, 50.0]

    """
    rows = sorted(points)
    if len(rows) != 3 or not (rows[0][1] > rows[1][1] > rows[2][1] > 0) or len({row[0] for row in rows}) != 3:
        raise ReadingError(
            "three points of a falling curve are needed", "thermistor", "as in 0 °C 32650, 25 °C 10000, 50 °C 3603"
        )
    logs = [math.log(ohms) for _, ohms in rows]
    inverse = [1 / (temp + ZERO_C) for temp, _ in rows]
    g2 = (inverse[1] - inverse[0]) / (logs[1] - logs[0])
    g3 = (inverse[2] - inverse[0]) / (logs[2] - logs[0])
    c = (g3 - g2) / (logs[2] - logs[1]) / sum(logs)
    b = g2 - c * (logs[0] ** 2 + logs[0] * logs[1] + logs[1] ** 2)
    a = inverse[0] - (b + logs[0] ** 2 * c) * logs[0]
    return a, b, c


@dataclass(frozen=True)
class SenseVerdict:
    """One battery line: whether it is clean, and why; people's words for it are the interface's.

    Attributes
    ----------
    grade : str
        A grade of the check `sense_lines`.
    why : str
        thermistor: open, shorted, room, off; a line at rest: above, rest, sags, between, low; a clock: both, chip,
        battery, neither.
    numbers : tuple of float
        thermistor: resistance [ohm], temperature and room [°C]; a line at rest: volts and rail [V].
    line : str
        Which line, where several are alike.

    """

    grade: str
    why: str
    numbers: tuple[float, ...] = ()
    line: str = ""


def judge_thermistor(
    known: Knowledge,
    ohms: float,
    room_c: float,
    room_ohms: float | None = None,
    beta: float | None = None,
    coefficients: Sequence[float] | None = None,
) -> SenseVerdict:
    """A thermistor on the bench reads the room, give or take a warm hand (15 K, common practice).

    By Steinhart and Hart where `coefficients` are given, else by its beta; without either, the usual part is assumed.

    Parameters
    ----------
    known : Knowledge
    ohms : float
        As measured [ohm]; ``inf`` for open.
    room_c : float
        What it lies in [°C].
    room_ohms : float or None
        Its resistance at 25 °C [ohm].
    beta : float or None
        Of the beta equation [K].
    coefficients : three floats or None
        A, B, C of Steinhart and Hart [1/K].

    """
    numbers = known.levels
    if math.isinf(ohms):
        return SenseVerdict("faulty", "open")
    if ohms < 1:
        return SenseVerdict("faulty", "shorted")
    if coefficients is None:
        temp = temp_by_beta(ohms, room_ohms or numbers["ntc_ohms"], beta or numbers["ntc_beta"])
    else:
        temp = temp_by_steinhart(ohms, coefficients)
    near = abs(temp - room_c) <= 15
    return SenseVerdict("clean" if near else "faulty", "room" if near else "off", (ohms, temp, room_c))


def judge_level(known: Knowledge, volts: float, rail_volts: float | None = None) -> SenseVerdict:
    """A line at rest: pulled up to its rail, held down, or somewhere no input can read.

    Parameters
    ----------
    known : Knowledge
    volts : float
        The line at rest [V].
    rail_volts : float or None
        The rail that pulls it up [V].

    """
    numbers = known.levels
    rail = rail_volts or numbers["rail_volts"]
    if not 0 <= volts <= 6:
        raise ReadingError(f"{volts:g} V is not possible on a low-voltage line", "volts", "allowed: 0 to 6 V")
    share, why = volts / rail, "low"
    if share > numbers["over_share"]:
        why = "above"
    elif share >= numbers["rest_share"]:
        why = "rest"
    elif share >= numbers["high_share"]:
        why = "sags"
    elif share > numbers["low_share"]:
        why = "between"
    return SenseVerdict("clean" if why == "rest" else "faulty", why, (volts, rail))


def judge_clock(before: bool, behind: bool) -> SenseVerdict:
    """A clock or data signal on the two sides of a series transistor (level shifter)."""
    if before and behind:
        return SenseVerdict("clean", "both")
    return SenseVerdict("faulty", "chip" if before else "battery" if behind else "neither")
