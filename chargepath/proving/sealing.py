"""Seal test by vacuum decay: what two readings of a gauge say, compared with before and with the shop's own record.

A leak that is small against the air inside lets the vacuum fade exponentially: p(t) = p0 exp(-t/T) for the depth below
ambient p, with T = V/C for the enclosed volume V and the leak's conductance C (ideal gas at a constant temperature).
No rating follows from it, and none is promised.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from chargepath.base.errors import ReadingError
from chargepath.knowledge import Knowledge

STANDARD_KPA = 101.325  # One standard atmosphere [kPa] (ISO 2533, from memory).
DEEPEST_KPA, LONGEST_S = 60.0, 600.0
SHOP_LEAST = 3


@dataclass(frozen=True)
class Decay:
    """One test: depth below ambient at its start and its end [kPa], and the time between [s]."""

    start_kpa: float
    end_kpa: float
    seconds: float

    @property
    def lost_kpa(self) -> float:
        """How much of the depth was lost [kPa]."""
        return self.start_kpa - self.end_kpa


@dataclass(frozen=True)
class SealCompared:
    """A test held against others, all at the stated depth and over the stated time [kPa].

    Attributes
    ----------
    others : int
        How many tests of the same model it was held against; 0 for the one before this device was opened.
    usual_kpa, most_kpa : float
        What they lost, and what may be lost [kPa].
    fits : bool
        Whether it lost no more than that.

    """

    others: int
    usual_kpa: float
    most_kpa: float
    fits: bool


@dataclass(frozen=True)
class SealVerdict:
    """What a test says: `holds` is None where there is nothing to compare it with.

    What was lost and what may be lost are at the stated depth and over the stated time [kPa].
    """

    holds: bool | None
    lost_kpa: float
    most_kpa: float | None
    compared: tuple[SealCompared, ...]


def check_decay(decay: Decay) -> None:
    """Refuse a test that cannot have been read like this.

    Raises
    ------
    ReadingError
        A depth or time outside of what is done, or a vacuum that grew.

    """
    if not 0 < decay.start_kpa <= DEEPEST_KPA:
        raise ReadingError(
            f"{decay.start_kpa:g} kPa below ambient is not done", "start", f"up to {DEEPEST_KPA:g} kPa; 20 is usual"
        )
    if not 1 <= decay.seconds <= LONGEST_S:
        raise ReadingError(f"{decay.seconds:g} s is not done", "seconds", f"1 to {LONGEST_S:g} s; 20 is usual")
    if not 0 <= decay.end_kpa <= decay.start_kpa + 0.05:
        raise ReadingError(
            f"{decay.end_kpa:g} kPa at the end of {decay.start_kpa:g} kPa cannot be",
            "end",
            "depth below ambient, the same way as at the start",
        )


def stated(known: Knowledge, decay: Decay) -> float:
    """What would have been lost at the stated depth and over the stated time [kPa].

    Examples
    --------
    A tenth lost in ten seconds is a fifth all but a hundredth in twenty: 1 - 0.9^2 = 0.19.

    >>> from chargepath.knowledge.loader import shipped
    >>> round(stated(shipped(), Decay(20.0, 18.0, 10.0)), 6)
    3.8

    """
    limits = known.proof
    left = min(max(decay.end_kpa, 0.0) / decay.start_kpa, 1.0)
    return float(limits.seal_depth_kpa * (1 - left ** (limits.seal_seconds / decay.seconds)))


def judge_seal(known: Knowledge, now: Decay, before: Decay | None, good: Sequence[Decay] = ()) -> SealVerdict:
    """Compare a test with the one before the work, and with what other devices of the model lost in this shop.

    Parameters
    ----------
    known : Knowledge
    now : Decay
    before : Decay or None
        Before it was opened.
    good : sequence of Decay
        Of the same model before they were opened; from `SHOP_LEAST` on they count.

    Raises
    ------
    ReadingError
        What was read cannot be.

    """
    check_decay(now)
    limits, lost = known.proof, stated(known, now)
    held = [(0, [before])] if before else []
    held += [(len(good), list(good))] if len(good) >= SHOP_LEAST else []
    compared = []
    for count, others in held:
        usual = median(stated(known, one) for one in others)
        most = max(limits.seal_worse * usual, limits.seal_quiet_kpa)
        compared.append(SealCompared(count, usual, most, lost <= most))
    holds = all(row.fits for row in compared) if compared else None
    return SealVerdict(holds, lost, min((row.most_kpa for row in compared), default=None), tuple(compared))


def leak_rate(decay: Decay, volume_ml: float) -> float:
    """Leak at the mean depth of a test, as standard millilitres of air a minute [ml/min].

    q = V (p0 - p1) / (t p_std), with the enclosed volume V: by Boyle's law the air that came in fills V at the pressure
    that was lost.

    Examples
    --------
    100 ml that lose 1 kPa in 20 s: 100 · 1 / 101.325 ml in 20 s.

    >>> round(leak_rate(Decay(20.0, 19.0, 20.0), 100.0), 4)
    2.9608

    """
    return volume_ml * decay.lost_kpa / STANDARD_KPA / decay.seconds * 60


def chamber_volume(known_ml: float, before_kpa: float, after_kpa: float, ambient_kpa: float = STANDARD_KPA) -> float:
    """Volume of a closed chamber from the depth before and after a known volume of its air was drawn out [ml].

    Boyle's law: (a - before) V = (a - after) (V + v), so V = v (a - after) / (after - before).

    Parameters
    ----------
    known_ml : float
        How far the syringe was drawn [ml].
    before_kpa, after_kpa : float
        Depth below ambient before and after [kPa].
    ambient_kpa : float

    Raises
    ------
    ReadingError
        Nothing was drawn, or the gauge did not move as it must.

    Examples
    --------
    50 ml drawn from 200 ml at ambient: 101.325 · 200 / 250 = 81.06 kPa, 20.265 below.

    >>> round(chamber_volume(50.0, 0.0, 20.265), 3)
    200.0

    """
    if not known_ml > 0:
        raise ReadingError(f"{known_ml:g} ml is no volume", "known volume", "how far the syringe was drawn")
    if not 0 <= before_kpa < after_kpa < ambient_kpa or not math.isfinite(after_kpa):
        raise ReadingError(
            f"{before_kpa:g} to {after_kpa:g} kPa cannot be", "gauge", "depth below ambient grows when air is drawn out"
        )
    return known_ml * (ambient_kpa - after_kpa) / (after_kpa - before_kpa)
