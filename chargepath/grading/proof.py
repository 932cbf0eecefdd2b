"""The proof at the end: charger current again, both plug directions, wiggle, percentage rising over two readings.

Thresholds are computed from the expectation for this device and battery percentage, and say so.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.case.entries import CheckEvent, Device
from chargepath.grading.expect import Conditions, expected_band, source_at
from chargepath.knowledge import Knowledge


@dataclass(frozen=True)
class ProofReadings:
    """What was read after the repair; None where it has not been read yet.

    Attributes
    ----------
    amps, volts : float or None
        Charger current [A] and volts [V], first plug direction.
    amps_flipped : float or None
        Charger current with the plug turned over [A].
    steady : bool or None
        Whether the current held while the plug was wiggled.
    percent_first, percent_second : float or None
        Two battery percentages [%].
    minutes_between : float or None
        Minutes between them.

    """

    amps: float | None = None
    volts: float | None = None
    amps_flipped: float | None = None
    steady: bool | None = None
    percent_first: float | None = None
    percent_second: float | None = None
    minutes_between: float | None = None


@dataclass(frozen=True)
class ProofItem:
    """One thing to show: `met` is None while it is open; `text` says what was compared with what."""

    id: str
    label: str
    need: str
    met: bool | None
    text: str


@dataclass(frozen=True)
class ProofResult:
    """All items; `works` is None while one is open and none has failed."""

    items: tuple[ProofItem, ...]

    @property
    def works(self) -> bool | None:
        """Verdict over all items."""
        met = [item.met for item in self.items]
        if False in met:
            return False
        return None if None in met else True


LIMITS: Mapping[str, tuple[float, float, str]] = {
    "amps": (0, 10, "A"),
    "amps_flipped": (0, 10, "A"),
    "volts": (0, 30, "V"),
    "percent_first": (0, 100, "%"),
    "percent_second": (0, 100, "%"),
    "minutes_between": (0, 1440, "min"),
}


def _refuse_impossible(readings: ProofReadings) -> None:
    for name, (low, high, unit) in LIMITS.items():
        number = getattr(readings, name)
        if number is not None and not (math.isfinite(number) and low <= number <= high):
            raise ReadingError(f"{number:g} {unit} is not possible", name, f"allowed: {low:g} to {high:g} {unit}")


def judge_proof(known: Knowledge, device: Device, readings: ProofReadings) -> ProofResult:
    """Hold the readings of a repaired device against computed thresholds.

    Raises
    ------
    ReadingError
        A reading is physically impossible.

    """
    _refuse_impossible(readings)
    limits = known.proof
    percent, volts = readings.percent_first, readings.volts
    volts = known.connectors[device.connector].source_volts if volts is None else volts
    band = expected_band(known, Conditions(device.kind, source_at(volts), percent, device.known_good_a))
    at = f" at {percent:.0f} %" if percent is not None else ""
    items = []
    items.append(
        ProofItem(
            "current",
            "Charger current",
            f"at least {show(band.low, 'A')} at {show(volts, 'V')}{at}: {band.basis[0]}",
            None if readings.amps is None else readings.amps >= band.low,
            "" if readings.amps is None else f"{show(readings.amps, 'A')} of about {show(band.amps, 'A')} expected{at}",
        )
    )
    if known.connectors[device.connector].reversible:
        pair = (
            None if readings.amps is None or readings.amps_flipped is None else (readings.amps, readings.amps_flipped)
        )
        least = 0.0 if pair is None or max(pair) == 0 else min(pair) / max(pair)
        items.append(
            ProofItem(
                "flip",
                "Plug turned over",
                f"within {limits.direction_share:.0%} of the other way round",
                None if pair is None else least >= limits.direction_share,
                "" if pair is None else f"{show(pair[0], 'A')} and {show(pair[1], 'A')}: {least:.0%}",
            )
        )
    steady = {None: "", True: "held steady", False: "dropped out"}[readings.steady]
    items.append(ProofItem("wiggle", "Wiggle the plug", "holds steady", readings.steady, steady))
    items.append(_rise(known, readings))
    return ProofResult(tuple(items))


def proof_events(known: Knowledge, device: Device, readings: ProofReadings) -> tuple[CheckEvent, ...]:
    """What a proof that failed has measured, as the checks that it is: what is seen of the fault that is left.

    Percentages that did not rise are only told where they lie as far apart as `charge_wait` asks for.
    """
    found: list[CheckEvent] = []
    connector = known.connectors[device.connector]
    if readings.amps is not None:
        volts = connector.source_volts if readings.volts is None else readings.volts
        values = {"amps": readings.amps, "volts": volts}
        if readings.percent_first is not None:
            values["battery_percent"] = readings.percent_first
        found.append(CheckEvent("charger_current", values=values))
    if connector.reversible and readings.amps is not None and readings.amps_flipped is not None:
        low, high = sorted((readings.amps, readings.amps_flipped))
        same = high == 0 or low / high >= known.proof.direction_share
        found.append(CheckEvent("plug_flip", grade="same" if same else "one_side"))
    if readings.steady is not None:
        found.append(CheckEvent("plug_wiggle", grade="steady" if readings.steady else "drops"))
    rise, minutes = _rise(known, readings), readings.minutes_between
    if rise.met or (rise.met is False and minutes and minutes >= known.checks["charge_wait"].wait_minutes):
        found.append(CheckEvent("charge_wait", grade="rises" if rise.met else "no_rise"))
    return tuple(found)


def _rise(known: Knowledge, readings: ProofReadings) -> ProofItem:
    limits = known.proof
    first, second, minutes = readings.percent_first, readings.percent_second, readings.minutes_between
    need = f"up {limits.rise_percent:g} % or more over {limits.rise_minutes:g} minutes or more"
    label = "Battery percentage rises"
    if first is None or second is None or minutes is None:
        return ProofItem("rise", label, need, None, "")
    text = f"{first:.0f} % to {second:.0f} % in {minutes:.0f} min"
    if second - first >= limits.rise_percent:
        return ProofItem("rise", label, need, True, text)
    if second >= limits.full_percent and second >= first:
        return ProofItem("rise", label, need, True, f"{text}: full")
    if minutes < limits.rise_minutes:
        return ProofItem("rise", label, need, None, f"{text}: too early to say")
    return ProofItem("rise", label, need, False, text)
