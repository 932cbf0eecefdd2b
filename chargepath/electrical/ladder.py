"""Volts along the path with the current flowing: drops and resistances hop by hop, the guilty hop marked.

A drop is held against what good parts drop at that current, plus what the meter cannot resolve. A rung that was not
measured is bridged: its neighbours' allowances add up, and the verdict says that it covers more than one place.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.path import Hop

# Two readings of one meter in one range (common practice): what a difference of them cannot resolve [mV].
RESOLUTION_MV = 15.0
# What a rail under its cell weighs against a drop, where the guilty hop is chosen [mV] (common practice).
UNFED_MV = 300.0
# Under this current no drop can be judged, only where the voltage stops [A].
NEEDS_AMPS = 0.05
# Under this share of what goes in, the voltage has stopped.
STOPPED_SHARE = 0.5
# Two currents have to lie at least this far apart to give a resistance [A].
NEEDS_STEP = 0.1


@dataclass(frozen=True)
class HopVerdict:
    """One stretch between two measured rungs.

    Attributes
    ----------
    start, stop : str
        Rung ids.
    stations : tuple of str
        Stations it covers; more than one where a rung between was not measured.
    bridged : tuple of str
        Rungs that were not measured.
    drop_mv, allowed_mv : float
        What was dropped and what good parts drop at that current [mV].
    ohms : float or None
        Resistance [ohm]; None without enough current or over a converter.
    state : {'fine', 'high', 'stopped', 'backwards', 'converter', 'converter off', 'no current'}
    guilty : bool
        The hop that drops most beyond its allowance.
    amps : float
        What flows through it [A].
    stop_volts : float
        Volts at its far end [V].
    basis : tuple of str

    """

    start: str
    stop: str
    stations: tuple[str, ...]
    bridged: tuple[str, ...]
    drop_mv: float
    allowed_mv: float
    ohms: float | None
    state: str
    guilty: bool
    amps: float
    stop_volts: float
    basis: tuple[str, ...]

    @property
    def mark(self) -> str:
        """State mark: good, off or open."""
        marks = {"stopped": "open", "high": "off", "backwards": "off", "converter off": "off", "no current": "none"}
        return marks.get(self.state, "good")


def check_volts(known: Knowledge, volts: Mapping[str, float], amps: float) -> None:
    """Refuse volts that no rung can show.

    Raises
    ------
    ReadingError
        Unknown rung, impossible volts or amps, fewer than two rungs.

    """
    for rung, value in volts.items():
        if rung not in known.rungs:
            raise ReadingError(f"'{rung}' is no test point of the ladder", "ladder", f"one of {', '.join(known.rungs)}")
        limits = known.rungs[rung]
        if not limits.min <= value <= limits.max:
            raise ReadingError(
                f"{value:g} V is not possible at the {limits.label}",
                rung,
                f"allowed: {limits.min:g} to {limits.max:g} V",
            )
    if not 0 <= amps <= 10:
        raise ReadingError(f"{amps:g} A is not possible", "amps", "allowed: 0 to 10 A")
    if len(volts) < 2:
        raise ReadingError("one test point is no ladder", "ladder", "give volts at two places or more")


def display_step_mv(volts: Sequence[float]) -> float:
    """The last place that the meter showed [mV]: what the finest of the readings was typed with.

    Examples
    --------
    >>> display_step_mv([5.1, 4.98]), display_step_mv([5.0, 4.9])
    (10.0, 100.0)

    """
    for step in (1000.0, 100.0, 10.0):
        if all(abs(value * 1000 / step - round(value * 1000 / step)) < 1e-6 for value in volts):
            return min(step, 100.0)
    return 1.0


def _between(known: Knowledge, start: str, stop: str) -> list[Hop]:
    order = list(known.rungs)
    first, last = order.index(start), order.index(stop)
    return [hop for hop in known.hops if first <= order.index(hop.start) < last]


def judge_ladder(known: Knowledge, volts: Mapping[str, float], amps: float, *, connector: str = "") -> list[HopVerdict]:
    """Judge every stretch between measured rungs.

    Parameters
    ----------
    known : Knowledge
    volts : mapping of rung id to float
        Volts [V]; rungs may be missing.
    amps : float
        Current from the charger while they were measured [A].
    connector : str
        Contacts and cables are judged by what this connector's may have.

    Raises
    ------
    ReadingError

    Examples
    --------
    Behind the converter 4.65 V · 1 A flow on at 3.85 V as 1.208 A; 150 mohm may drop 181 mV there.

    >>> from chargepath.knowledge.loader import shipped
    >>> rows = judge_ladder(shipped(), {"charge_ic": 4.65, "rail": 4.0, "cell": 3.85}, 1.0)
    >>> [(row.state, round(row.drop_mv), round(row.allowed_mv)) for row in rows]
    [('converter', 650, 0), ('fine', 150, 181)]

    """
    check_volts(known, volts, amps)
    resolution_mv = max(RESOLUTION_MV, 2 * display_step_mv(list(volts.values())))
    measured = [rung for rung in known.rungs if rung in volts]
    rows = [_hop(known, start, stop, volts, amps, resolution_mv, connector) for start, stop in pairwise(measured)]
    excess = [_excess(row, resolution_mv) for row in rows]
    worst = max(excess)
    if worst <= 0:
        return rows
    guilty = excess.index(worst)
    return [replace(row, guilty=index == guilty) for index, row in enumerate(rows)]


def _excess(row: HopVerdict, resolution_mv: float) -> float:
    """By how much a drop is larger than is allowed [mV]; 0 where the row is in order."""
    if row.state not in ("high", "stopped", "converter off"):
        return 0.0
    # A rail that nobody feeds is the clue, whatever small drops lie before it.
    return row.drop_mv - row.allowed_mv if row.state != "converter off" else max(UNFED_MV, resolution_mv)


def _hop(
    known: Knowledge,
    start: str,
    stop: str,
    volts: Mapping[str, float],
    amps: float,
    resolution_mv: float,
    connector: str,
) -> HopVerdict:
    hops = [hop.for_connector(connector) for hop in _between(known, start, stop)]
    stations = tuple(dict.fromkeys(hop.station for hop in hops))
    bridged = tuple(hop.stop for hop in hops[:-1])
    basis = tuple(dict.fromkeys(f"{hop.note} ({hop.basis})" for hop in hops))
    drop = (volts[start] - volts[stop]) * 1000
    converts = any(hop.converter for hop in hops)
    flowing = amps if converts else _flowing(known, hops[-1], volts, amps)
    allowed, ohms = 0.0, None
    if not converts:
        allowed = sum(hop.ohms * flowing * 1000 + hop.fixed_mv for hop in hops)
        ohms = drop / 1000 / flowing if flowing >= NEEDS_AMPS else None
    if converts:
        state = _converter_state(volts, stop, amps)
    elif volts[start] >= 0.5 and volts[stop] < STOPPED_SHARE * volts[start]:
        state = "stopped"
    elif drop < -resolution_mv:
        state = "backwards"
    elif drop > allowed + resolution_mv:
        state = "high"
    else:
        state = "fine" if flowing >= NEEDS_AMPS else "no current"
    return HopVerdict(
        start=start,
        stop=stop,
        stations=stations,
        bridged=bridged,
        drop_mv=drop,
        allowed_mv=allowed,
        ohms=ohms,
        state=state,
        guilty=False,
        amps=flowing,
        stop_volts=volts[stop],
        basis=basis,
    )


def _flowing(known: Knowledge, hop: Hop, volts: Mapping[str, float], amps: float) -> float:
    """Current through a hop: behind the converter the same power flows at the cell's volts."""
    order = list(known.rungs)
    behind = any(order.index(row.stop) <= order.index(hop.start) for row in known.hops if row.converter)
    into = next((volts[rung] for rung in ("charge_ic", "guard", "link", "carrier", "plug") if rung in volts), None)
    if not behind or into is None:
        return amps
    return amps * into / max(volts[hop.stop], 1.0)


def _converter_state(volts: Mapping[str, float], stop: str, amps: float) -> str:
    """Over the converter no drop can be read; a rail under its cell is not fed."""
    out = volts[stop]
    unfed = stop == "rail" and amps >= NEEDS_AMPS and out < volts.get("cell", out) - RESOLUTION_MV / 1000
    return "converter off" if unfed else "converter"


def contact_resistance(drops_mv: Sequence[float], amps: Sequence[float]) -> tuple[float, float]:
    """Resistance between two rungs from drops at two currents, and its uncertainty.

    An offset of the meter, or a junction's fixed drop, falls out.

    Parameters
    ----------
    drops_mv : two floats
        Drops [mV].
    amps : two floats
        Currents [A].

    Returns
    -------
    tuple of float
        Resistance and two standard errors of it [ohm].

    Raises
    ------
    ReadingError
        The currents lie too close together, or a drop falls as the current rises by more than the meter's resolution.

    Examples
    --------
    100 mV more at 1 A more; two readings of 15 mV each cannot resolve sqrt(2) · 15 mV.

    >>> ohms, error = contact_resistance((20.0, 120.0), (0.2, 1.2))
    >>> round(ohms, 3), round(error, 4)
    (0.1, 0.0212)

    """
    step = amps[1] - amps[0]
    if abs(step) < NEEDS_STEP:
        raise ReadingError(
            f"{show(amps[0], 'A')} and {show(amps[1], 'A')} lie too close together",
            "currents",
            f"at least {NEEDS_STEP:g} A apart: once with the device idle, once charging",
        )
    ohms = (drops_mv[1] - drops_mv[0]) / 1000 / step
    error = math.sqrt(2) * RESOLUTION_MV / 1000 / abs(step)
    if ohms < -error:
        raise ReadingError(
            "the drop falls as the current rises", "drops", "measure both with the probes on the same two places"
        )
    return max(ohms, 0.0), error
