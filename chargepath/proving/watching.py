"""What a live meter sees of a proof: each item watched from where it began, ticked as soon as it is sure."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from chargepath.base.arrays import Array
from chargepath.base.quantities import show
from chargepath.knowledge import Knowledge
from chargepath.trace.model import Trace

# Common practice: how long a current has to hold to count as settled, how long one waits for it, how long each lean
# takes; all in seconds. A current under this share of the settled one has dropped out.
SETTLED_S, PATIENT_S, LEAN_S, LOST_S, COME_BACK_S = 8.0, 30.0, 3.0, 0.25, 6.0
LOST_SHARE, FLAT_SHARE, FLAT_A = 0.5, 0.12, 0.06
WAYS = ("up", "down", "left", "right")


@dataclass(frozen=True)
class Seen:
    """What was seen of an item so far.

    Attributes
    ----------
    done : bool
        It is sure.
    say : str
        What to do now, or what was seen.
    share : float
        How far it has come, from 0 to 1.
    numbers, answers : mapping
        What was read, once it is sure.

    """

    done: bool
    say: str
    share: float = 0.0
    numbers: Mapping[str, float] = field(default_factory=dict)
    answers: Mapping[str, str] = field(default_factory=dict)


def charge_mah(trace: Trace) -> float:
    """Charge that has flowed [mAh]: the trapezoid rule over the samples, a gap of over ten seconds counts nothing.

    Examples
    --------
    One ampere for six minutes is 100 mAh.

    >>> seconds = np.arange(0.0, 361.0)
    >>> round(charge_mah(Trace(seconds, np.full(361, 5.0), np.ones(361))), 6)
    100.0

    """
    if len(trace) < 2:
        return 0.0
    steps = np.diff(trace.seconds)
    means = (trace.amps[1:] + trace.amps[:-1]) / 2
    return float(np.sum(np.where(steps <= 10.0, steps * means, 0.0)) / 3.6)


def observe(known: Knowledge, watch: str, trace: Trace, usual: float = 0.0) -> Seen:
    """What a record shows of one item.

    Parameters
    ----------
    known : Knowledge
    watch : str
        How the item is watched, as in proof.toml.
    trace : Trace
        The record from where the item began.
    usual : float
        The settled current that was read before [A]; 0 where none was.

    """
    if len(trace) < 3:
        return Seen(False, "Waiting for the first samples.")
    return _WATCHED[watch](known, trace, usual)


def _settled(trace: Trace, seconds: float = SETTLED_S) -> tuple[float, float] | None:
    """Median amps and volts of the last `seconds`, None where the current moves or they have not passed yet."""
    stop = float(trace.seconds[-1])
    if stop - float(trace.seconds[0]) < seconds:
        return None
    part = trace.part(stop - seconds, stop)
    low, middle, high = np.quantile(part.amps, (0.1, 0.5, 0.9))
    if high - low > max(FLAT_A, FLAT_SHARE * middle):
        return None
    return float(middle), _volts(part)


def _volts(part: Trace) -> float:
    seen = part.volts[np.isfinite(part.volts)]
    return float(np.median(seen)) if seen.size else float("nan")


def _with_volts(amps: float, volts: float) -> dict[str, float]:
    found = {"amps": round(amps, 3)}
    return found if volts != volts else {**found, "volts": round(volts, 2)}


def _settle(known: Knowledge, trace: Trace, usual: float) -> Seen:
    elapsed = float(trace.seconds[-1] - trace.seconds[0])
    found = _settled(trace)
    least = known.checks["charger_current"].reading["trickle_below_a"]
    if found and (found[0] > least or elapsed >= PATIENT_S):
        return Seen(True, f"settled at {show(found[0], 'A')}", 1.0, _with_volts(*found))
    if elapsed >= 2 * PATIENT_S:
        part = trace.part(float(trace.seconds[-1]) - PATIENT_S, float(trace.seconds[-1]))
        amps = float(np.median(part.amps))
        return Seen(True, f"does not settle: about {show(amps, 'A')}", 1.0, _with_volts(amps, _volts(part)))
    return Seen(False, "Plug in and leave it alone: it settles.", min(elapsed / PATIENT_S, 0.95))


def _lost(trace: Trace, usual: float) -> list[tuple[float, float]]:
    """Stretches in which the current was gone [s], the last one open-ended where it has not come back."""
    gone = trace.amps < LOST_SHARE * usual
    edges = np.flatnonzero(np.diff(np.concatenate([[False], gone, [False]]).astype(int)))
    out = []
    for start, stop in edges.reshape(-1, 2):
        begun = float(trace.seconds[start])
        ended = float(trace.seconds[stop]) if stop < len(trace) else float(trace.seconds[-1])
        if ended - begun >= LOST_S:
            out.append((begun, ended))
    return out


def _lean(trace: Trace, usual: float, times: int) -> Seen:
    """Leant in four ways, so many times each: sure at the first dropout, or when all are through."""
    begun = float(trace.seconds[0])
    elapsed, whole = float(trace.seconds[-1]) - begun, LEAN_S * len(WAYS) * times
    lost = _lost(trace, usual)
    if lost:
        way = WAYS[int((lost[0][0] - begun) // (LEAN_S * times)) % len(WAYS)]
        return Seen(True, f"drops out when leant {way}", 1.0, answers={"wiggle": "drops"})
    if elapsed >= whole:
        return Seen(True, "held steady in all directions", 1.0, answers={"wiggle": "steady"})
    at = int(elapsed // (LEAN_S * times))
    return Seen(False, f"Lean the plug gently {WAYS[at]} and let go, {_times(times)}.", elapsed / whole)


def _times(times: int) -> str:
    return {1: "once", 2: "twice"}.get(times, f"{times} times")


def _wiggle(known: Knowledge, trace: Trace, usual: float) -> Seen:
    return _lean(trace, usual or float(np.median(trace.amps)), int(known.proof.lean_times))


def _turn(known: Knowledge, trace: Trace, usual: float) -> Seen:
    """Pulled, turned over, back in, settled, and leant once more this way round."""
    lost = _lost(trace, usual)
    end = float(trace.seconds[-1])
    if not lost:
        return Seen(False, "Pull the plug, turn it over, plug it in again.", 0.1)
    back = lost[0][1]
    if back >= end:
        if end - lost[0][0] > PATIENT_S:
            return Seen(True, "nothing flows this way round", 1.0, {"amps_flipped": 0.0})
        return Seen(False, "Plug it in the other way round.", 0.3)
    part = trace.part(back, end)
    elapsed = end - back
    head = trace.part(back, min(back + SETTLED_S + 2.0, end))
    found = _settled(head)
    if found is None and elapsed < PATIENT_S / 2:
        return Seen(False, "The other way round: leave it alone.", 0.4)
    amps = found[0] if found else float(np.median(head.amps))
    numbers = {"amps_flipped": round(amps, 3)}
    if amps < LOST_SHARE * usual:
        return Seen(True, f"only {show(amps, 'A')} this way round", 1.0, numbers)
    leaning = _lean(part.part(float(head.seconds[-1]), end), amps, 1) if end > float(head.seconds[-1]) else None
    if leaning is None or not leaning.done:
        say = leaning.say if leaning else "Now lean it this way round too."
        return Seen(False, say, 0.5 + 0.5 * (leaning.share if leaning else 0.0))
    answers = leaning.answers if leaning.answers["wiggle"] == "drops" else {}
    return Seen(True, f"{show(amps, 'A')} the other way round; {leaning.say}", 1.0, numbers, answers)


def _replug(known: Knowledge, trace: Trace, usual: float) -> Seen:
    """Pulled and back in so many times; each time the current has to come back to where it was."""
    wanted, end = int(known.proof.replug_times), float(trace.seconds[-1])
    back = 0
    for _, stop in _lost(trace, usual):
        after = trace.part(stop, min(stop + COME_BACK_S, end))
        if stop < end and len(after) and float(after.amps.max()) >= 2 * LOST_SHARE * 0.8 * usual:
            back += 1
    if back >= wanted:
        return Seen(True, f"came back {back} of {wanted} times", 1.0, answers={"replug": "returns"})
    return Seen(False, f"Pull it and plug it in again: {back} of {wanted} seen.", back / wanted)


def _gain(known: Knowledge, trace: Trace, usual: float) -> Seen:
    minutes = float(trace.seconds[-1] - trace.seconds[0]) / 60
    flowed = charge_mah(trace)
    least = known.proof.rise_minutes
    enough = minutes >= least and flowed >= known.proof.gain_from_mah
    say = f"{show(flowed, 'mAh')} in {minutes:.0f} min."
    say += " Read the percent." if enough else " Leave it on charge."
    share = min(minutes / least, flowed / known.proof.gain_from_mah, 1.0)
    return Seen(False, say, share, {"charge_mah": round(flowed, 1), "minutes_between": round(minutes, 1)})


_WATCHED: Mapping[str, Callable[[Knowledge, Trace, float], Seen]] = {
    "settle": _settle,
    "wiggle": _wiggle,
    "turn": _turn,
    "replug": _replug,
    "gain": _gain,
}


def amps_at_end(trace: Trace, seconds: float = 3.0) -> tuple[float, float]:
    """Median amps and volts of the last seconds of a record, for a reading that a person takes."""
    end = float(trace.seconds[-1])
    part = trace.part(end - seconds, end)
    return float(np.median(part.amps)), _volts(part)


def overlay(before: Trace, after: Trace, seconds: float = 0.0) -> tuple[Array, Array]:
    """Two records cut to the same length, each from where its current first flows, for laying one over the other.

    Returns
    -------
    tuple of array
        Of each, shape (n, 2): seconds and amps.

    """
    out = []
    for trace in (before, after):
        flows = np.flatnonzero(trace.amps > 0.02)
        start = float(trace.seconds[flows[0]]) if flows.size else 0.0
        start = max(start - 1.0, 0.0)
        part = trace.part(start, start + seconds) if seconds else trace.part(start, float(trace.seconds[-1]))
        out.append(np.column_stack([part.seconds - start, part.amps]))
    return out[0], out[1]
