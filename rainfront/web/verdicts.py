"""Codes and numbers of the core in words: diode readings, twins, the hops of a ladder, the bench supply, guards."""

from __future__ import annotations

import math

from chargepath.base.quantities import figure, show
from chargepath.electrical.ladder import HopVerdict
from chargepath.electrical.lines import LineVerdict
from chargepath.electrical.references import Reference
from chargepath.electrical.supply import Injection, SupplyVerdict
from chargepath.grading.sheet import PinVerdict, SheetEvent
from chargepath.knowledge import Knowledge
from chargepath.knowledge.pinmaps import PinMap
from chargepath.repair.guards import Guard, GuardKind

# Beyond three times the twin a percentage says nothing more.
TWIN_SHARE = 2.0
GRADES = {"in_band": "in band", "open": "open", "low": "low", "short": "shorted"}


# What is open at a step that was ticked off, as the page asks and as the log keeps it.
GUARDS = {
    GuardKind.READING: "No reading is entered.",
    GuardKind.OFF: "What was read is off.",
    GuardKind.CELL: "The battery may still be connected.",
    GuardKind.SCREWS: "The screws are not on a map.",
}


def show_ohms(ohms: float) -> str:
    """A resistance as it is spoken: two figures, ohm, kiloohm or megaohm."""
    if math.isinf(ohms):
        return "no leak"
    if ohms < 1:
        return "under 1 ohm"
    for limit, factor, unit in ((1e3, 1.0, "ohm"), (1e6, 1e3, "kohm"), (math.inf, 1e6, "Mohm")):
        if ohms < limit * 0.9995:
            return f"{float(f'{ohms / factor:.2g}'):g}\u00a0{unit}"
    return "no leak"


def about(ohms: float) -> str:
    """In words: about 41 ohm, or under 1 ohm."""
    text = show_ohms(ohms)
    return text if text.startswith(("under", "no")) else f"about {text}"


def against(reference: Reference) -> str:
    """What a reading was held against."""
    if reference.expects_open:
        return "good boards read open here"
    middle = show(reference.median_mv, "mV")
    if reference.origin == "usual":
        return "the usual band, no reference"
    if reference.origin == "twin":
        return f"its twin's {middle}, no reference"
    if reference.origin == "given":
        return f"reference {middle}"
    boards = f"{reference.count} good board" + ("s" if reference.count != 1 else "")
    shifted = ", other meter, corrected" if reference.origin == "shifted" else ""
    return f"{middle} ({boards}{shifted})"


def line_label(line: LineVerdict) -> str:
    """The grade in a word, its remark before it."""
    if line.remark == "high":
        return "high, not open" if line.grade == "in_band" else "open, reads high"
    return "reads although good boards do not" if line.remark == "extra" else GRADES[line.grade]


def line_words(line: LineVerdict) -> str:
    """What was read, what it was held against, and the resistance that explains it."""
    shown, reference = show(line.reading_mv, "mV"), line.reference
    overrange = math.isinf(line.reading_mv)
    if line.conducts:
        if overrange:
            return "overrange: it does not conduct"
        return f"{shown}: it conducts" if line.ohms is None else f"{shown}: {about(line.ohms)} in it"
    if reference is None:
        return "overrange: may be left unconnected on this model, no reference"
    if overrange:
        good = line.grade == "in_band"
        return "overrange, as on good boards" if good else f"overrange: nothing conducts; {against(reference)}"
    if reference.expects_open:
        ground = f": {about(line.ohms)} to ground" if line.grade == "short" and line.ohms is not None else ""
        return f"{shown}; {against(reference)}{ground}"
    held = f"{line.reading_mv / reference.median_mv:.0%} of {against(reference)}"
    if line.ohms is None:
        return f"{shown}, {held}"
    if line.grade == "short":
        return f"{shown} against {against(reference)}: {about(line.ohms)} to ground"
    return f"{shown}, {held}: {about(line.ohms)} {'to ground' if line.grade == 'low' else 'in series'}"


def twin_words(found: PinVerdict) -> str:
    """What a pin's twin reads, and how far this one lies from it; '' without one."""
    if found.twin_mv is None:
        return ""
    mine, other = found.reading.mv, found.twin_mv
    text = f"{found.twin} {show(other, 'mV')}"
    if math.isinf(mine) or math.isinf(other) or other == 0:
        return text
    share = (mine - other) / other
    return f"{text}, {share:+.0%}" if abs(share) <= TWIN_SHARE else text


def sheet_words(pins: PinMap, found: SheetEvent) -> str:
    """The line that speaks for a check, in words."""
    return f"{pins.named(found.worst.pin)}: {line_words(found.worst.verdict)}; worst of {found.of}"


def hop_words(hop: HopVerdict, known: Knowledge) -> str:
    """What a hop drops against what it may drop; with what it bridges."""
    rungs = known.rungs
    left_out = " and ".join(rungs[rung].label for rung in hop.bridged)
    also = f" ({left_out} not measured, bridged)" if left_out else ""
    across = f"{rungs[hop.start].label} to {rungs[hop.stop].label}"
    text, flowing = f"{hop.drop_mv:.0f} mV from {across}", show(hop.amps, "A")
    figure = f", {hop.ohms * 1000:.0f} mΩ" if hop.ohms is not None else ""
    says = {
        "converter": f"{across}: the charging IC converts here, no drop can be read from it",
        "converter off": f"rail at {show(hop.stop_volts, 'V')}, under the cell: the charging IC does not feed it",
        "stopped": f"the voltage stops: {text}",
        "backwards": f"{text}: higher behind than before, fed from behind or probes changed over",
        "high": f"{text}{figure}; good parts drop {hop.allowed_mv:.0f} mV at {flowing}",
        "no current": f"{text}; without current no drop can be judged",
        "fine": f"{text}; up to {hop.allowed_mv:.0f} mV at {flowing}",
    }
    return says[hop.state] + also


IDLE = {"quiet": "no leakage current", "leaks": "a leakage current flows", "heavy": "a rail is all but shorted"}
STARTS = {
    "dead": "the key does nothing: no start-up, look at its line and the power management IC's own rails",
    "stuck": "it begins and stops: a rail or the clock does not come up",
    "over": "far too much: a rail that comes up with the key is shorted",
    "starts": "it starts up",
}
FOUND_BY = {
    "hand": "enough to find with freeze spray that does not burn, or rosin smoke",
    "picture": "too little for spray: use a thermal picture, or rosin smoke and time",
    "none": "too little to find by heat: measure along the rail for the lowest reading instead",
}


def small_amps(amps: float) -> str:
    """A current, in milliamperes where it is small."""
    return f"{figure(amps * 1000, 1)}\u00a0mA" if amps < 0.01 else show(amps, "A")


def limits_from(good_a: float | None) -> str:
    """Where the limits of a standing draw come from."""
    return "common practice" if good_a is None else f"good board {figure(good_a * 1000, 1)} mA"


def idle_words(found: SupplyVerdict) -> str:
    """The current before the power key, with the limits that it was held against; '' where it was not measured."""
    if found.before_a is None:
        return ""
    limits = f"leakage from {small_amps(found.leaks_a)}, heavy from {small_amps(found.heavy_a)}"
    return f"{small_amps(found.before_a)} when off: {IDLE[found.grade]}; {limits} ({limits_from(found.good_a)})"


def start_words(found: SupplyVerdict) -> str:
    """The current with the power key held; '' where it was not measured."""
    return "" if found.after_a is None else f"{small_amps(found.after_a)} with the key: {STARTS[found.start]}"


def injection_words(plan: Injection) -> list[str]:
    """The working of a supply's settings, line by line."""
    wants = f"wants {figure(plan.wanted_v, 2)} V and {figure(plan.wanted_a, 2)} A"
    leads = f"with {plan.lead_ohms * 1000:.0f} mΩ of leads"
    return [
        f"{plan.aim_w:g} W in {plan.short_ohms:g} ohm {wants}",
        f"never more than the rail's {plan.rail_v:g} V, nor the supply's {plan.most_a:g} A",
        f"{leads}: {figure(plan.flows_a, 2)} A, {plan.watts:.2g} W in the short",
        FOUND_BY[plan.method],
    ]


def guard_words(guard: Guard) -> str:
    """What is open at a step that guards a person or the device, as a sentence."""
    if guard.kind is GuardKind.WAIT:
        return f"After {math.floor(guard.waited)} of {guard.wait:g} min."
    return GUARDS[guard.kind]
