"""What is said of the battery connector's small lines."""

from __future__ import annotations

from chargepath.base.quantities import figure, show
from chargepath.electrical.sense import SenseVerdict

SAYS = {
    "open": "thermistor open: the charger sees an ice-cold cell and refuses",
    "shorted": "thermistor shorted: the charger sees a hot cell and refuses",
    "room": "",
    "off": "off by {off:+.0f} K, not this thermistor or a part in its line",
    "above": "above its rail, fed from somewhere else",
    "rest": "pulled up, at rest",
    "sags": "reads high but sags, its pull-up is loaded or weak",
    "between": "neither high nor low, no input can read it",
    "low": "held low or its pull-up is missing",
    "both": "the signal passes the transistor",
    "chip": "on the chip's side only: the transistor, its gate or its pull-up is broken",
    "battery": "on the battery's side only: the transistor or the chip's side pull-up is broken",
    "neither": "on neither side: nothing drives it, look at its rail first",
}


def sense_words(verdict: SenseVerdict) -> str:
    """One line, with its numbers first."""
    said, numbers = SAYS[verdict.why], verdict.numbers
    if verdict.why in ("room", "off"):
        ohms, temp, room = numbers
        measured = f"{ohms:,.0f} ohm is {figure(temp, 1)} °C, the room {room:.0f} °C"
        return f"{measured}: {said.format(off=temp - room)}" if said else measured
    name = f"{verdict.line} line " if verdict.line else ""
    if numbers:
        volts, rail = numbers
        return f"{name}{show(volts, 'V')} of {show(rail, 'V')}: {said}"
    return f"{name}{said}"
