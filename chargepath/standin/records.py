"""Records with known truth, put together piece by piece, for tests and benchmarks."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from chargepath.base.arrays import Array
from chargepath.trace.model import Trace


@dataclass(frozen=True)
class RecordPiece:
    """One stretch of truth: its kind, seconds, and current from `amps` to `end` (the same where None) [A]."""

    kind: str
    seconds: float
    amps: float = 0.0
    end: float | None = None
    period: float = 0.0
    duty: float = 0.5


@dataclass(frozen=True)
class RecordingMeter:
    """How a record was taken: samples a second, noise [A] and smallest step [A] of the readings."""

    rate: float
    noise: float
    quantum: float


@dataclass(frozen=True)
class Truth:
    """A phase as it really was [s]."""

    kind: str
    start: float
    stop: float


def compose(
    pieces: list[RecordPiece], meter: RecordingMeter, seed: int, ohms: float = 0.15, open_volts: float = 5.1
) -> tuple[Trace, list[Truth]]:
    """Play pieces through a meter.

    The current is integrated over each sample's time as a meter does, so that a short dropout at a slow rate shows as
    one lowered sample. Volts sag by `ohms` times the current from `open_volts`.

    Returns
    -------
    Trace, list of Truth

    """
    rng = np.random.default_rng(seed)
    fine = 1000.0 if meter.rate > 50 else 200.0
    current = np.concatenate([_current(piece, fine) for piece in pieces])
    per = round(fine / meter.rate)
    n = current.size // per
    amps = current[: n * per].reshape(n, per).mean(axis=1)
    amps = np.where(
        amps > 0, np.maximum(amps + rng.normal(0, meter.noise, n), 0), np.abs(rng.normal(0, meter.noise / 4, n))
    )
    volts = open_volts - ohms * amps + rng.normal(0, 0.004, n)
    if meter.quantum:
        amps = np.round(amps / meter.quantum) * meter.quantum
        volts = np.round(volts, 2)
    edges = np.cumsum([0.0, *(piece.seconds for piece in pieces)])
    truth = [Truth(piece.kind, *span) for piece, span in zip(pieces, itertools.pairwise(edges), strict=True)]
    return Trace(np.arange(n) / meter.rate, volts, amps), truth


def _current(piece: RecordPiece, fine: float) -> Array:
    n = round(piece.seconds * fine)
    if piece.kind == "loop":
        at = (np.arange(n) / fine / piece.period) % 1.0
        return np.where(at < piece.duty, piece.amps, piece.end or 0.0)
    if piece.kind == "inrush":
        return piece.amps * np.ones(n)
    return np.linspace(piece.amps, piece.amps if piece.end is None else piece.end, n)


METERS = {
    "1 Hz, 0.01 A": RecordingMeter(1, 0.003, 0.01),
    "10 Hz, 0.01 A": RecordingMeter(10, 0.006, 0.01),
    "10 Hz, 1 mA": RecordingMeter(10, 0.004, 0.001),
    "100 Hz, noisy": RecordingMeter(100, 0.03, 0.001),
    "1 kHz, noisy": RecordingMeter(1000, 0.05, 0.0),
}


def scenarios() -> dict[str, tuple[str, float | None, list[RecordPiece]]]:
    """Name to (grade of the current, battery percent, pieces) for a phone on a 5 V charger that can give 2 A."""
    p = RecordPiece
    nothing = p("unplugged", 4)
    return {
        "healthy": ("normal", 40, [nothing, p("steady", 40, 1.2)]),
        "healthy, first surge": ("normal", 40, [nothing, p("inrush", 1.5, 1.9), p("steady", 40, 1.1)]),
        "two plateaus": ("normal", 30, [nothing, p("steady", 8, 0.5), p("steady", 40, 1.4)]),
        "98 % taper": ("normal", 98, [nothing, p("taper", 150, 0.42, 0.16)]),
        "full load, then taper": ("normal", 85, [nothing, p("steady", 60, 1.1), p("taper", 160, 1.1, 0.7)]),
        "deeply flat, slow ramp": ("trickle", 0, [nothing, p("idle", 60, 0.06), p("rise", 120, 0.06, 0.14)]),
        "trickle": ("trickle", 10, [nothing, p("idle", 60, 0.07)]),
        "nothing at all": ("none", 10, [p("unplugged", 60)]),
        "reduced": ("reduced", 20, [nothing, p("steady", 60, 0.38)]),
        "loop of 4 s": ("cycling", 10, [nothing, p("loop", 60, 0.45, 0.0, 4.0, 0.6)]),
        "loop of 9 s, half empty": ("cycling", 5, [nothing, p("loop", 90, 0.25, 0.02, 9.0, 0.5)]),
        "renegotiates once, then fine": (
            "normal",
            50,
            [nothing, p("steady", 6, 1.2), p("dropout", 1.5), p("steady", 50, 1.2)],
        ),
        "loop, then fine": ("normal", 40, [nothing, p("loop", 20, 0.5, 0.0, 4.0, 0.6), p("steady", 80, 1.2)]),
        "drops out three times": (
            "normal",
            40,
            [
                nothing,
                p("steady", 13.3, 1.1),
                p("dropout", 0.9),
                p("steady", 6.5, 1.1),
                p("dropout", 1.2),
                p("steady", 17.1, 1.1),
                p("dropout", 0.8),
                p("steady", 15, 1.1),
            ],
        ),
        "one dropout of 0.2 s": (
            "normal",
            40,
            [nothing, p("steady", 20.4, 1.2), p("dropout", 0.2), p("steady", 25, 1.2)],
        ),
        "over the limit": (
            "normal",
            40,
            [nothing, p("steady", 20, 1.6), p("over_limit", 8, 2.6), p("steady", 20, 1.6)],
        ),
        "unplugged in between": (
            "normal",
            40,
            [nothing, p("steady", 20, 1.1), p("unplugged", 9), p("steady", 20, 1.1)],
        ),
    }
