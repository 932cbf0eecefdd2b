"""How the values of a proof are judged: against thresholds that are computed for the device."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from chargepath.case.entries import CheckEvent, Device
from chargepath.grading.expect import Conditions, conditions_of_reading, expected_band, source_at
from chargepath.grading.readings import grade_event
from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import JUDGED

# Shortest time between two percentages that is judged [min] (common practice). In less nothing rises: it was mistyped.
SOONEST_MIN = 1.0
LIFT_V = 0.25  # How much more a cell may read a minute after the charger left it [V] (from memory).


@dataclass(frozen=True)
class ProofReading:
    """The readings that an item is judged by, with what they are held against."""

    known: Knowledge
    device: Device
    numbers: Mapping[str, float]
    volts: float
    flat: bool = False

    def get(self, name: str) -> float | None:
        """A number, None where it was not read."""
        return self.numbers.get(name)


Figure = float | str | None


@dataclass(frozen=True)
class Compared:
    """The result of judging one item.

    Attributes
    ----------
    shown : str
        What the values show, one of the item's `shows`; '' while too little was read.
    figures : mapping of name to number, text or None
        The thresholds for this device and what was read [units in the names]; None for what was not read.
    remark : str
        Why it shows that, where the figures do not say it by themselves: 'plain', 'held_back', 'full', 'too_far' or
        'early'.

    """

    shown: str
    figures: Mapping[str, Figure]
    remark: str = ""


def _noted(about: ProofReading) -> Compared:
    percent = about.get("percent_first")
    return Compared("" if percent is None else "noted", {"percent": percent})


def _current(about: ProofReading) -> Compared:
    known, percent, amps = about.known, about.get("percent_first"), about.get("amps")
    band = expected_band(known, conditions_of_reading(about.device, about.volts, percent))
    figures: dict[str, Figure] = {
        "least_a": band.low,
        "most_a": band.most,
        "expected_a": band.amps,
        "basis": band.basis[0],
    }
    figures |= {"volts": about.volts, "percent": percent, "amps": amps}
    limits = known.checks["charger_current"].reading
    if amps is None:
        return Compared("", figures)
    if amps > band.most:
        return Compared("high", figures)
    if about.flat and limits["none_below_a"] <= amps < band.low:
        return Compared("", figures, "flat")
    if amps >= band.low:
        return Compared("good", figures)
    shown = "none" if amps < limits["none_below_a"] else "trickle" if amps < limits["trickle_below_a"] else "low"
    return Compared(shown, figures)


def _drop(about: ProofReading) -> Compared:
    most, first, last = about.known.proof.path_drop_v, about.get("plug_volts"), about.get("input_volts")
    figures = {"most_v": most, "plug_v": first, "input_v": last}
    if first is None or last is None:
        return Compared("", figures)
    return Compared("good" if first - last <= most else "lost", figures)


def _flip(about: ProofReading) -> Compared:
    share, one, other = about.known.proof.direction_share, about.get("amps"), about.get("amps_flipped")
    figures = {"share": share, "amps": one, "flipped_a": other}
    if one is None or other is None:
        return Compared("", figures)
    most, least = max(one, other), min(one, other)
    part = least / most if most else 1.0
    return Compared("same" if part >= share else "one_side", {**figures, "part": part})


def _own(about: ProofReading) -> Compared:
    share, own, shop = about.known.proof.own_share, about.get("amps_own"), about.get("amps")
    figures = {"share": share, "own_a": own, "shop_a": shop}
    if own is None or shop is None:
        return Compared("", figures)
    part = own / shop if shop else 1.0
    return Compared("good" if part >= share else "weak", {**figures, "part": part})


def _off(about: ProofReading) -> Compared:
    known, off, on = about.known, about.get("amps_off"), about.get("amps")
    least = known.checks["charger_current"].reading["trickle_below_a"]
    percent = about.get("percent_first")
    full = percent is not None and percent >= known.checks["charger_current"].reading["full_from_percent"]
    figures = {"least_a": None if full else least, "off_a": off, "amps": on}
    if off is None:
        return Compared("", figures)
    if off < least and not full:
        return Compared("none", figures)
    if on is not None and off > known.grading["off_extra_share"] * on and off - on > known.grading["off_extra_amps"]:
        return Compared("higher", figures, "held_back")
    return Compared("same", figures)


def _fast(about: ProofReading) -> Compared:
    known, amps, volts = about.known, about.get("amps_fast"), about.get("volts_fast")
    from_v = known.proof.fast_from_v
    percent = about.get("percent_first")
    band = expected_band(known, Conditions(about.device.kind, source_at(from_v), percent))
    watts = band.low * known.sources[source_at(from_v)].volts
    figures = {"from_v": from_v, "least_w": watts, "volts": volts, "amps": amps}
    if amps is None or volts is None:
        return Compared("", figures)
    if volts < from_v:
        return Compared("plain", figures, "plain")
    return Compared("fast" if amps * volts >= watts else "low", figures)


def _idle(about: ProofReading) -> Compared:
    amps = about.get("idle_amps")
    if amps is None:
        return Compared("", {"amps": None})
    graded = grade_event(about.known, about.device, CheckEvent("supply_idle", values={"amps": amps}))
    return Compared(graded.grade, {"amps": amps})


def rest_volts(known: Knowledge, percent: float) -> tuple[float, float]:
    """Lowest and highest volts of a cell a minute off the charger at a percentage [V].

    Between the rows of `cell_volts` in proof.toml on a straight line; the upper end with the lift that charging leaves.
    """
    limits = known.proof
    low = float(np.interp(percent, limits.cell_percent, limits.cell_low))
    high = float(np.interp(percent, limits.cell_percent, limits.cell_high))
    return low, high + LIFT_V


def _cell(about: ProofReading) -> Compared:
    volts, percent = about.get("cell_volts"), about.get("cell_percent")
    if percent is None:
        return Compared("", {"low_v": None, "high_v": None, "percent": None, "volts": volts})
    low, high = (volts_of * about.device.series for volts_of in rest_volts(about.known, percent))
    figures = {"low_v": low, "high_v": high, "percent": percent, "volts": volts}
    if volts is None:
        return Compared("", figures)
    return Compared("plausible" if low <= volts <= high else "odd", figures)


def gain_band(known: Knowledge, kind: str, charge_mah: float) -> tuple[float, float]:
    """Least and most percent that a charge from the meter [mAh] may add to a device of this kind [%].

    The charge that arrives over the largest usual cell, times `gain_least`, to that over the smallest, times
    `gain_most`, each with the one percent that the last digit is worth.
    """
    limits = known.proof
    small, large = limits.capacity[kind]
    arrives = 100 * limits.gain_share * charge_mah
    return max(arrives / large * limits.gain_least - 1, 0.0), arrives / small * limits.gain_most + 1


def _rise(about: ProofReading) -> Compared:
    limits, charge = about.known.proof, about.get("charge_mah")
    first, second, minutes = about.get("percent_first"), about.get("percent_second"), about.get("minutes_between")
    least = most = None
    if charge is not None and charge >= limits.gain_from_mah:
        least, most = gain_band(about.known, about.device.kind, charge)
    figures = {"rise_percent": limits.rise_percent, "rise_minutes": limits.rise_minutes, "least": least, "most": most}
    figures |= {"first": first, "second": second, "minutes": minutes, "charge_mah": charge}
    if first is None or second is None or minutes is None:
        return Compared("", figures)
    gained = second - first
    if minutes < SOONEST_MIN:
        return Compared("", figures, "early")
    if second >= limits.full_percent and gained >= 0:
        return Compared("rises", figures, "full")
    if least is not None and most is not None:
        if gained > most or gained < 0:
            return Compared("odd", figures, "too_far")
        return Compared("rises" if gained >= max(least, limits.rise_percent) else "no_rise", figures)
    if gained > limits.rise_fastest * minutes + 1:
        return Compared("odd", figures, "too_fast")
    if gained >= limits.rise_percent:
        return Compared("rises", figures)
    return Compared("", figures, "early") if minutes < limits.rise_minutes else Compared("no_rise", figures)


JUDGES: Mapping[str, Callable[[ProofReading], Compared]] = {
    "noted": _noted,
    "current": _current,
    "drop": _drop,
    "flip": _flip,
    "own": _own,
    "off": _off,
    "fast": _fast,
    "idle": _idle,
    "cell": _cell,
    "rise": _rise,
}
assert set(JUDGES) == set(JUDGED)
