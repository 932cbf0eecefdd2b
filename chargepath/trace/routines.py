"""Guided routines: from a record cut into stretches to checks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.case.entries import CheckEvent
from chargepath.grading.expect import Conditions
from chargepath.knowledge import Knowledge
from chargepath.trace.model import Trace
from chargepath.trace.verdict import TraceVerdict, current_event, judge_trace

# What counts as risen: battery percent, cell volts (common practice).
RISE: Mapping[str, float] = {"%": 1.0, "V": 0.03}


@dataclass(frozen=True)
class RoutineStretch:
    """One stretch of a routine in its record [s]."""

    name: str
    start: float
    stop: float


@dataclass(frozen=True)
class RoutineResult:
    """The checks that a routine gives, each with its reason."""

    events: tuple[CheckEvent, ...]
    reasons: tuple[str, ...]


def stretches_of(known: Knowledge, routine: str, offset: float = 0.0) -> list[RoutineStretch]:
    """Stretches of a routine that ran by its own clock, starting at `offset` [s].

    Parameters
    ----------
    known : Knowledge
    routine : str
    offset : float
        Where it began in the record [s].

    """
    out, at = [], offset
    for step in known.routines[routine].steps:
        out.append(RoutineStretch(step.stretch, at, at + step.seconds))
        at += step.seconds
    return out


def judge_routine(
    known: Knowledge, routine: str, trace: Trace, stretches: list[RoutineStretch], conditions: Conditions
) -> RoutineResult:
    """Turn a routine's record into checks.

    Parameters
    ----------
    known : Knowledge
    routine : str
        Id of the routine.
    trace : Trace
    stretches : list of Stretch
        Where each step lies in the record.
    conditions : Conditions

    Raises
    ------
    ReadingError
        The routine is not judged from a record, or a step's samples are missing.

    """
    parts = {}
    for stretch in stretches:
        part = trace.part(stretch.start, stretch.stop)
        if len(part) < 3:
            raise ReadingError(
                f"there are no samples for '{stretch.name}'", routine, "repeat it, or type what it showed"
            )
        parts[stretch.name] = judge_trace(known, part, conditions)
    if routine == "own_charger":
        return _own(parts, conditions)
    if routine == "directions":
        turned = next(stretch for stretch in stretches if stretch.name == "turn")
        return _directions(known, parts, trace.part(turned.start - 1.0, turned.stop + 1.0))
    if routine == "wiggle":
        return _wiggle(parts)
    if routine == "off_on":
        return _off_on(known, parts)
    if routine == "pad":
        return _pad(known, parts)
    raise ReadingError(f"'{routine}' is not judged from a record", routine, "answer it instead")


def _own(parts: Mapping[str, TraceVerdict], conditions: Conditions) -> RoutineResult:
    own, shop = parts["own"], parts["shop"]
    events = (current_event(own, conditions.percent, "own"), current_event(shop, conditions.percent))
    return RoutineResult(
        events, (f"customer's charger: {own.current.reason}", f"known-good charger: {shop.current.reason}")
    )


def _directions(known: Knowledge, parts: Mapping[str, TraceVerdict], turning: Trace) -> RoutineResult:
    """Both ways round: the plug has to be seen leaving and coming back, else nobody knows that it was turned.

    Parameters
    ----------
    known : Knowledge
    parts : mapping of stretch to Verdict
    turning : Trace
        The record while the plug was to be turned.

    """
    one, other = parts["one"].figures.plateau, parts["other"].figures.plateau
    most, least = max(one, other), min(one, other)
    gone = known.checks["charger_current"].reading["none_below_a"]
    if most > 0.1 and float(turning.amps.min()) > max(gone, 0.2 * least):
        right = "pull it all the way, turn it over, plug it in"
        raise ReadingError("the plug was not seen to leave", "directions", right)
    sided = most > 0.1 and least < known.grading["direction_share"] * most
    reason = f"{show(one, 'A')} one way, {show(other, 'A')} the other"
    return RoutineResult((CheckEvent("plug_flip", grade="one_side" if sided else "same"),), (reason,))


def _wiggle(parts: Mapping[str, TraceVerdict]) -> RoutineResult:
    """Dropouts while it was moved, against hands off: a stretch in which nothing flows counts as one."""
    rest = parts["rest"].figures
    lost = {}
    for name in ("up", "down", "left", "right"):
        phases = parts[name].phases
        kinds = [phase.kind for phase in phases]
        beats = sum(round(phase.seconds / phase.period) for phase in phases if phase.period)
        lost[name] = kinds.count("dropout") + beats + (kinds.count("unplugged") if rest.plateau > 0.05 else 0)
    total = sum(lost.values())
    if total <= rest.dropouts:
        return RoutineResult(
            (CheckEvent("plug_wiggle", grade="steady"),), (f"no dropout; {show(rest.plateau, 'A')} at rest",)
        )
    where = ", ".join(f"{name} {count}" for name, count in lost.items() if count)
    return RoutineResult((CheckEvent("plug_wiggle", grade="drops"),), (f"dropouts: {where}; at rest {rest.dropouts}",))


def _off_on(known: Knowledge, parts: Mapping[str, TraceVerdict]) -> RoutineResult:
    running, off = parts["running"].figures.plateau, parts["off"].figures.plateau
    higher = off > known.grading["off_extra_share"] * running and off - running > known.grading["off_extra_amps"]
    reason = f"{show(running, 'A')} running, {show(off, 'A')} switched off"
    return RoutineResult((CheckEvent("off_current", grade="higher" if higher else "same"),), (reason,))


def _pad(known: Knowledge, parts: Mapping[str, TraceVerdict]) -> RoutineResult:
    empty, loaded = parts["empty"].figures.plateau, parts["on"].figures.plateau
    draws = loaded - empty > known.checks["charger_current"].reading["trickle_below_a"]
    reason = f"the pad draws {show(empty, 'A')} empty, {show(loaded, 'A')} with the device"
    return RoutineResult((CheckEvent("wireless_charge", grade="charges" if draws else "none"),), (reason,))


def judge_wait(known: Knowledge, first: float, last: float, minutes: float, unit: str = "%") -> RoutineResult:
    """Grade `charge_wait` from two readings of battery percent (`unit` '%') or cell volts ('V').

    Raises
    ------
    ReadingError
        Fewer than 30 minutes and not risen yet: too early to say.

    """
    check = known.checks["charge_wait"]
    least = RISE[unit]
    text = f"{show(first, unit)} to {show(last, unit)} in {minutes:.0f} min"
    if last - first >= least - 1e-9:
        return RoutineResult((CheckEvent("charge_wait", grade="rises"),), (text,))
    if minutes < check.wait_minutes:
        raise ReadingError(
            f"{text} says nothing yet", "charge_wait", f"wait {check.wait_minutes:.0f} minutes, or until it rises"
        )
    return RoutineResult((CheckEvent("charge_wait", grade="no_rise"),), (text,))
