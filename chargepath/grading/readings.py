"""From measured values to a grade, with the expectation it was held against.

A verdict on a number needs an expectation and says where that came from: a limit of the knowledge, the reference that
was given, or the common-practice band where there is none.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from chargepath.base.distributions import t_quantile
from chargepath.base.errors import ReadingError
from chargepath.base.quantities import decimal_mark, show
from chargepath.case.entries import CheckEvent, Device, check_values
from chargepath.electrical.lines import LineVerdict, read_line
from chargepath.electrical.references import BAND, Reference, given, usual
from chargepath.grading.expect import conditions_of_reading, expected_band, precharged
from chargepath.knowledge import Check, Knowledge

# More amps than this at fewer volts than this is no charger: the two were typed the wrong way round (common practice).
SWAPPED_BELOW = 3.5
# Degrees of freedom of a reading that comes with its reference and spread.
SHEET_FREEDOM = 8


@dataclass(frozen=True)
class Grading:
    """The grade of one check.

    Attributes
    ----------
    grade : str
        Grade id.
    reason : str
        The comparison in words and numbers; '' where `line` holds it.
    weak : bool
        True where only the wide common-practice band was there to compare with.
    weights : tuple of float
        Likelihood of the reading under each grade of the check, adding up to 1: how far out it is. Empty where the
        grade was given and stands as it is.
    line : LineVerdict or None
        What a diode reading was found to be, for who puts it into words.

    """

    grade: str
    reason: str
    weak: bool = False
    weights: tuple[float, ...] = ()
    line: LineVerdict | None = None


def _grade_current(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """Grade a single charger-current reading; never `cycling`, which takes a trace or the person's word."""
    limits = check.reading
    amps, percent = values["amps"], values.get("battery_percent")
    volts = values.get("volts", limits["nominal_volts"])
    if volts < SWAPPED_BELOW < amps:
        raise ReadingError(
            f"{show(amps, 'A')} at {show(volts, 'V')} looks swapped",
            "amps",
            "amps come first, as in i 0.02 5.1 3%, or give units",
        )
    limit = values.get("charger_amps")
    band = expected_band(known, conditions_of_reading(device, volts, percent, limit))
    at = f" at {percent:.0f} %" if percent is not None else ""
    rests = "; ".join([band.basis[0], *(line for line in band.basis[1:] if limit and line.startswith("the charger"))])
    against = f"expected {show(band.low, 'A')} to {show(band.high, 'A')}{at} ({rests})"
    if precharged(known, percent, amps):
        return Grading("trickle", f"{show(amps, 'A')}{at}: right for a deeply flat cell, which begins with little")
    if amps > band.most:
        return Grading("high", f"{show(amps, 'A')}, {against}; over {show(band.most, 'A')} something draws beside it")
    if amps > 0 and amps >= band.low:
        return Grading("normal", f"{show(amps, 'A')}, {against}")
    if percent is not None and percent >= limits["full_from_percent"]:
        return Grading("normal", f"{show(amps, 'A')} at {percent:.0f} %: all but full, it need not draw")
    if amps < limits["none_below_a"]:
        return Grading("none", f"{show(amps, 'A')} is under {show(limits['none_below_a'], 'A')}")
    if amps < limits["trickle_below_a"]:
        return Grading("trickle", f"{show(amps, 'A')} is under {show(limits['trickle_below_a'], 'A')}{at}")
    return Grading("reduced", f"{show(amps, 'A')}, {against}")


def reference_of(check: Check, values: Mapping[str, float]) -> Reference:
    """The expectation that the values bring along, else the wide usual band."""
    if "reference" not in values:
        return usual(check.reading["usual_mv"])
    if "spread" in values:
        return Reference(values["reference"], values["spread"], SHEET_FREEDOM, 1, "given")
    return given(values["reference"])


def sheet_spread(reference: Reference) -> float:
    """The value `spread` that gives the same band where a reading with its reference is read again."""
    return reference.half_band_mv / t_quantile(BAND, SHEET_FREEDOM)


def _grade_line(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """Grade a diode reading [mV] against its reference [mV], or against the wide usual band where there is none."""
    can_open = "open" in check.grades
    verdict = read_line(
        values["reading"],
        reference_of(check, values),
        short_below_mv=check.reading["short_below_mv"],
        can_open=can_open,
    )
    weights = tuple(verdict.weights[grade] for grade in check.grades)
    return Grading(verdict.grade, "", verdict.weak, weights, verdict)


def _grade_volts(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """Grade volts on the charger's line as a share of what the connector's source gives."""
    limits, volts = check.reading, values["volts"]
    nominal = values.get("offered", known.connectors[device.connector].source_volts)
    share = volts / nominal
    text = f"{show(volts, 'V')}, {share:.0%} of {show(nominal, 'V')}"
    most = values.get("offered", known.connectors[device.connector].most_volts[device.kind])
    if volts > most:
        text += f"; more than the {show(most, 'V')} that it can have asked for"
    if share >= limits["present_share"]:
        return Grading("present", text)
    return Grading("absent" if share < limits["absent_share"] else "sagging", text)


def _grade_cell(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    limits, volts = check.reading, values["volts"] / device.series
    if volts > limits["most_v"]:
        raise ReadingError(
            f"{show(values['volts'], 'V')} is not possible at {'two cells' if device.series > 1 else 'one cell'}",
            "volts",
            f"allowed: 0 to {show(limits['most_v'] * device.series, 'V')}"
            + ("" if device.series > 1 else "; for a pack of two, say so where it says how the device is built"),
        )
    at = f"{show(volts, 'V')} at {'each of two cells' if device.series > 1 else 'the cell'}"
    for grade, key in (("healthy", "healthy_from_v"), ("low", "low_from_v")):
        if volts >= limits[key]:
            return Grading(grade, f"{at}, {grade} from {show(limits[key], 'V')}")
    nothing = limits.get("cut_off_below_v", 0.0)
    if volts < nothing:
        return Grading("cut_off", f"{at}, under {show(nothing, 'V')}: its protection may have opened")
    return Grading("flat", f"{at}, under {show(limits['low_from_v'], 'V')}")


def steps_of(check: Check) -> list[tuple[str, str, float]]:
    """Limits of a check that is graded by one number: grade, 'from' or 'below', and the limit; the worst grade first.

    They stand in its `reading` as GRADE_from_UNIT or GRADE_below_UNIT.
    """
    found = []
    for grade in reversed(check.grades[1:]):
        for key, limit in check.reading.items():
            side = key.removeprefix(f"{grade}_").partition("_")[0]
            if key.startswith(f"{grade}_") and side in ("from", "below"):
                found.append((grade, side, limit))
    return found


def _grade_steps(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """Compare one number with the limit of each grade, the worst first; the first grade where it crosses none."""
    name, value = next(iter(values.items()))
    unit = check.values[name].unit
    for grade, side, limit in steps_of(check):
        if value >= limit if side == "from" else value < limit:
            over = "from" if side == "from" else "under"
            return Grading(grade, f"{show(value, unit)}: {check.name(grade)} {over} {show(limit, unit)}")
    return Grading(check.grades[0], f"{show(value, unit)}: {check.name(check.grades[0])}")


def _grade_pulldown(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """Grade the resistances of both control lines by how many lie within their limits."""
    low, high = check.reading["low_ohm"], check.reading["high_ohm"]
    right = sum(low <= value <= high for value in values.values())
    shown = " and ".join(show(value, "ohm") for value in values.values())
    return Grading(
        {2: "both", 1: "one", 0: "none"}[right], f"{shown}; right from {show(low, 'ohm')} to {show(high, 'ohm')}"
    )


def grade_event(known: Knowledge, device: Device, event: CheckEvent) -> Grading:
    """Grade a graded check; the person's own grade stands where one was given.

    The same reading on the same kind of device is graded once and kept: a log is graded anew with every entry.

    Raises
    ------
    ReadingError
        Impossible or missing values.

    """
    return _grade(known, replace(device, value=0.0), event, decimal_mark())


def ask_value(known: Knowledge, event: CheckEvent) -> None:
    """Refuse a grade that is entered without the number it needs: a flat cell may be too deep to be charged at all.

    Only what is entered is asked. Case files and entries that have such a grade already are read as before.

    Raises
    ------
    ReadingError
        The check wants that number with this grade.

    """
    check = known.checks[event.check]
    name = check.needs_value.get(event.grade, "")
    if name and name not in event.values:
        raise ReadingError(
            f"'{check.name(event.grade)}' alone does not say enough",
            check.word,
            f"the {name} in {check.values[name].unit}, as 2.40",
        )


@lru_cache(maxsize=4096)
def _grade(known: Knowledge, device: Device, event: CheckEvent, mark: str) -> Grading:
    check = known.checks[event.check]
    check_values(check, event.values)
    if event.grade:
        if event.grade not in check.grades:
            raise ReadingError(
                f"{event.grade} is no grade of {check.label}", "grade", f"allowed: {', '.join(check.grades)}"
            )
        return Grading(event.grade, "as entered")
    missing = [name for name, value in check.values.items() if value.required and name not in event.values]
    if missing or not check.values:
        wanted = " or ".join(filter(None, [" and ".join(missing), "a grade (" + ", ".join(check.grades) + ")"]))
        raise ReadingError(f"{check.label} says nothing yet", check.id, f"needs {wanted}")
    return _METHODS[check.graded_by](known, device, check, event.values)


def _grade_sense(known: Knowledge, device: Device, check: Check, values: Mapping[str, float]) -> Grading:
    """A battery line is clean when its diode reading is in band of its reference."""
    if not {"reading", "reference"} <= values.keys():
        raise ReadingError(
            f"{check.label} needs a reading and its reference", check.id, "as in sense 512/520, or a grade"
        )
    verdict = read_line(values["reading"], reference_of(check, values), short_below_mv=check.reading["short_below_mv"])
    fine = verdict.weights["in_band"]
    clean = verdict.grade == "in_band" and not verdict.remark
    return Grading("clean" if clean else "faulty", "", verdict.weak, (fine, 1 - fine), verdict)


_METHODS: Mapping[str, Callable[[Knowledge, Device, Check, Mapping[str, float]], Grading]] = {
    "current": _grade_current,
    "cell": _grade_cell,
    "steps": _grade_steps,
    "pulldown": _grade_pulldown,
    "volts": _grade_volts,
    "line": _grade_line,
    "sense": _grade_sense,
}
