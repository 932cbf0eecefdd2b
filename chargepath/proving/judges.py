"""How the values of a proof are judged: thresholds computed for the device, what was shown, what was compared."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from chargepath.base.quantities import figure, show
from chargepath.case.entries import CheckEvent, Device
from chargepath.grading.expect import Conditions, expected_band, source_at
from chargepath.grading.readings import grade_event
from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import JUDGED

LIFT_V = 0.25  # How much more a cell may read a minute after the charger left it [V] (from memory).


@dataclass(frozen=True)
class ProofReading:
    """What a judge of values is given."""

    known: Knowledge
    device: Device
    numbers: Mapping[str, float]
    volts: float

    def get(self, name: str) -> float | None:
        """A number, None where it was not read."""
        return self.numbers.get(name)


# What it has to show, what it showed ('' for not yet), what was compared.
Said = tuple[str, str, str]


def _noted(about: ProofReading) -> Said:
    percent = about.get("percent_first")
    return "what it shows", "" if percent is None else "noted", "" if percent is None else f"{percent:.0f} %"


def _current(about: ProofReading) -> Said:
    known, percent, amps = about.known, about.get("percent_first"), about.get("amps")
    source = source_at(about.volts)
    band = expected_band(known, Conditions(about.device.kind, source, percent, about.device.known_good_a))
    at = f" at {percent:.0f} %" if percent is not None else ""
    need = f"at least {show(band.low, 'A')} at {show(about.volts, 'V')}{at}: {band.basis[0]}"
    if amps is None:
        return need, "", ""
    text = f"{show(amps, 'A')} of about {show(band.amps, 'A')} expected{at}"
    limits = known.checks["charger_current"].reading
    if amps >= band.low:
        return need, "good", text
    return (
        need,
        "none" if amps < limits["none_below_a"] else "trickle" if amps < limits["trickle_below_a"] else "low",
        text,
    )


def _drop(about: ProofReading) -> Said:
    most = about.known.proof.path_drop_v
    need = f"no more than {show(most, 'V')} lost on the way"
    first, last = about.get("plug_volts"), about.get("input_volts")
    if first is None or last is None:
        return need, "", ""
    text = (
        f"{show(first, 'V')} at the plug, {show(last, 'V')} at the controller: {show(max(first - last, 0.0), 'V')} lost"
    )
    return need, "good" if first - last <= most else "lost", text


def _flip(about: ProofReading) -> Said:
    share = about.known.proof.direction_share
    need = f"within {share:.0%} of the other way round"
    one, other = about.get("amps"), about.get("amps_flipped")
    if one is None or other is None:
        return need, "", "" if other is None else f"{show(other, 'A')}; the first way round is still to be read"
    most, least = max(one, other), min(one, other)
    part = least / most if most else 1.0
    return need, "same" if part >= share else "one_side", f"{show(one, 'A')} and {show(other, 'A')}: {part:.0%}"


def _own(about: ProofReading) -> Said:
    share = about.known.proof.own_share
    need = f"{share:.0%} or more of the shop's charger"
    own, shop = about.get("amps_own"), about.get("amps")
    if own is None or shop is None:
        return need, "", "" if own is None else f"{show(own, 'A')}; the shop's charger is still to be read"
    part = own / shop if shop else 1.0
    return need, "good" if part >= share else "weak", f"{show(own, 'A')} of {show(shop, 'A')}: {part:.0%}"


def _off(about: ProofReading) -> Said:
    known, off, on = about.known, about.get("amps_off"), about.get("amps")
    least = known.checks["charger_current"].reading["trickle_below_a"]
    percent = about.get("percent_first")
    full = percent is not None and percent >= known.checks["charger_current"].reading["full_from_percent"]
    need = "all but full: it need not draw" if full else f"more than {show(least, 'A')}"
    if off is None:
        return need, "", ""
    text = f"{show(off, 'A')} switched off"
    if off < least and not full:
        return need, "none", text
    if on is not None and off > known.grading["off_extra_share"] * on and off - on > known.grading["off_extra_amps"]:
        return need, "higher", f"{text}, {show(on, 'A')} running: what runs holds it back"
    return need, "same", text


def _fast(about: ProofReading) -> Said:
    known, amps, volts = about.known, about.get("amps_fast"), about.get("volts_fast")
    from_v = known.proof.fast_from_v
    percent = about.get("percent_first")
    band = expected_band(known, Conditions(about.device.kind, source_at(from_v), percent))
    watts = band.low * known.sources[source_at(from_v)].volts
    need = f"more than {show(from_v, 'V')} and {figure(watts, 1)} W"
    if amps is None or volts is None:
        return need, "", ""
    text = f"{show(volts, 'V')} and {show(amps, 'A')}: {figure(amps * volts, 1)} W"
    if volts < from_v:
        return need, "plain", f"{text}; it stays at plain 5 V"
    return need, "fast" if amps * volts >= watts else "low", text


def _idle(about: ProofReading) -> Said:
    need, amps = "quiet before the power key", about.get("idle_amps")
    if amps is None:
        return need, "", ""
    graded = grade_event(about.known, about.device, CheckEvent("supply_idle", values={"amps": amps}))
    return need, graded.grade, f"{show(amps, 'A')} standing"


def rest_volts(known: Knowledge, percent: float) -> tuple[float, float]:
    """Lowest and highest volts of a cell a minute off the charger at a percentage [V].

    Between the rows of `cell_volts` in proof.toml on a straight line; the upper end with the lift that charging leaves.
    """
    limits = known.proof
    low = float(np.interp(percent, limits.cell_percent, limits.cell_low))
    high = float(np.interp(percent, limits.cell_percent, limits.cell_high))
    return low, high + LIFT_V


def _cell(about: ProofReading) -> Said:
    volts, percent = about.get("cell_volts"), about.get("cell_percent")
    if percent is None:
        return "volts that fit the percent", "", ""
    low, high = rest_volts(about.known, percent)
    need = f"{show(low, 'V')} to {show(high, 'V')} at {percent:.0f} %"
    if volts is None:
        return need, "", ""
    return need, "plausible" if low <= volts <= high else "odd", f"{show(volts, 'V')} at {percent:.0f} %"


def gain_band(known: Knowledge, kind: str, charge_mah: float) -> tuple[float, float]:
    """Least and most percent that a charge from the meter [mAh] may add to a device of this kind [%].

    The charge that arrives over the largest usual cell, times `gain_least`, to that over the smallest, times
    `gain_most`, each with the one percent that the last digit is worth.
    """
    limits = known.proof
    small, large = limits.capacity[kind]
    arrives = 100 * limits.gain_share * charge_mah
    return max(arrives / large * limits.gain_least - 1, 0.0), arrives / small * limits.gain_most + 1


def _rise(about: ProofReading) -> Said:
    limits = about.known.proof
    first, second, minutes = about.get("percent_first"), about.get("percent_second"), about.get("minutes_between")
    charge = about.get("charge_mah")
    need = f"up {limits.rise_percent:g} % or more over {limits.rise_minutes:g} minutes or more"
    if charge is not None and charge >= limits.gain_from_mah:
        least, most = gain_band(about.known, about.device.kind, charge)
        need = f"up {max(math.ceil(least), 1)} to {math.floor(most)} % for {show(charge, 'mAh')} from the meter"
    if first is None or second is None or minutes is None:
        return need, "", ""
    text = f"{first:.0f} % to {second:.0f} % in {minutes:.0f} min"
    text += f" with {show(charge, 'mAh')}" if charge is not None else ""
    gained = second - first
    if second >= limits.full_percent and gained >= 0:
        return need, "rises", f"{text}: full"
    if charge is not None and charge >= limits.gain_from_mah:
        least, most = gain_band(about.known, about.device.kind, charge)
        if gained > most or gained < 0:
            return need, "odd", f"{text}: that charge cannot move it so far"
        if gained < max(least, limits.rise_percent):
            return need, "no_rise", text
        return need, "rises", text
    if gained >= limits.rise_percent:
        return need, "rises", text
    if minutes < limits.rise_minutes:
        return need, "", f"{text}: too early to say"
    return need, "no_rise", text


JUDGES: Mapping[str, Callable[[ProofReading], Said]] = {
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
