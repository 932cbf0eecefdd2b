"""What the readings of a proof say, item by item, against thresholds computed for the device."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from chargepath.base.errors import ReadingError
from chargepath.base.quantities import show
from chargepath.case.entries import CheckEvent, Device, HazardEvent
from chargepath.grading.expect import Conditions, expected_band, source_at
from chargepath.grading.readings import grade_event
from chargepath.knowledge import Knowledge
from chargepath.knowledge.proofs import JUDGED, ProofItem

# What can be read at a proof, whatever is asked: lowest, highest, unit.
LIMITS: Mapping[str, tuple[float, float]] = {
    "A": (0, 10),
    "V": (0, 30),
    "%": (0, 100),
    "min": (0, 1440),
    "mAh": (0, 20_000),
}
LIFT_V = 0.25  # How much more a cell may read a minute after the charger left it [V] (from memory).


@dataclass(frozen=True)
class Readings:
    """What was read so far.

    Attributes
    ----------
    numbers : mapping of value name to float
    answers : mapping of item to answer
    doubts : mapping of item to what it showed the first time
        A bad one that is to be made sure of.
    left_out : mapping of item to reason

    """

    numbers: Mapping[str, float] = field(default_factory=dict)
    answers: Mapping[str, str] = field(default_factory=dict)
    doubts: Mapping[str, str] = field(default_factory=dict)
    left_out: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Mark:
    """One item as it stands.

    Attributes
    ----------
    item : ProofItem
    need : str
        What it has to show, in words.
    shown : str
        What it showed, one of the item's `shows`; '' while it is open.
    text : str
        What was compared with what.
    left_out : str
        Why it is left out.
    doubt : bool
        It was bad once and has to be read again.

    """

    item: ProofItem
    need: str
    shown: str = ""
    text: str = ""
    left_out: str = ""
    doubt: bool = False

    @property
    def met(self) -> bool | None:
        """Whether it shows what it has to; None while it is open or left out."""
        return None if not self.shown else self.shown == self.item.shows[0]

    @property
    def settled(self) -> bool:
        """Whether nothing has to be done about it any more."""
        return bool(self.shown or self.left_out or self.item.extra)


@dataclass(frozen=True)
class ProofResult:
    """All items; `works` is None while one is open and none has failed."""

    items: tuple[Mark, ...]

    @property
    def works(self) -> bool | None:
        """Verdict over all items."""
        if self.failed:
            return False
        return True if all(mark.settled for mark in self.items) else None

    @property
    def failed(self) -> tuple[Mark, ...]:
        """Those that show something else than they should."""
        return tuple(mark for mark in self.items if mark.met is False)

    def stations(self) -> dict[str, str]:
        """Where the charge line is shown good or off: a station is good once every item that looks at it is met."""
        out: dict[str, str] = {}
        for mark in self.items:
            for station in mark.item.stations:
                if mark.met is False:
                    out[station] = "off"
                elif not mark.settled:
                    out.setdefault(station, "none")
                elif mark.met:
                    out.setdefault(station, "good")
        for mark in self.items:
            for station in mark.item.stations:
                if not mark.settled and out[station] == "good":
                    out[station] = "none"
        return {station: state for station, state in out.items() if state != "none"}


@dataclass(frozen=True)
class _Reading:
    """What a judge of values is given."""

    known: Knowledge
    device: Device
    numbers: Mapping[str, float]
    volts: float

    def get(self, name: str) -> float | None:
        """A number, None where it was not read."""
        return self.numbers.get(name)


# What it has to show, what it showed ('' for not yet), what was compared.
_Said = tuple[str, str, str]


def judge_proof(known: Knowledge, device: Device, asked: Sequence[ProofItem], readings: Readings) -> ProofResult:
    """Hold what was read against what this device has to show.

    Raises
    ------
    ReadingError
        A reading is physically impossible.

    """
    check_numbers(asked, readings.numbers)
    volts = readings.numbers.get("volts", known.connectors[device.connector].source_volts)
    about = _Reading(known, device, readings.numbers, volts)
    return ProofResult(tuple(_mark(about, item, readings) for item in asked))


def check_numbers(asked: Sequence[ProofItem], numbers: Mapping[str, float]) -> None:
    """Refuse what cannot be.

    Raises
    ------
    ReadingError
        Names the value and its limits.

    """
    units = {name: unit for item in asked for name, unit in item.values.items()}
    for name, number in numbers.items():
        unit = units.get(name)
        if unit is None:
            continue
        low, high = LIMITS[unit]
        if not (math.isfinite(number) and low <= number <= high):
            raise ReadingError(f"{number:g} {unit} is not possible", name, f"allowed: {low:g} to {high:g} {unit}")


def _mark(about: _Reading, item: ProofItem, readings: Readings) -> Mark:
    if item.id in readings.left_out:
        return Mark(item, _need(about, item), left_out=readings.left_out[item.id])
    doubt = item.id in readings.doubts
    if item.answers:
        answer = readings.answers.get(item.id, "")
        return Mark(item, _need(about, item), answer, item.answers.get(answer, ""), doubt=doubt and not answer)
    need, shown, text = JUDGES[item.judged](about)
    return Mark(item, need, shown, text, doubt=doubt and not shown)


def _need(about: _Reading, item: ProofItem) -> str:
    return next(iter(item.answers.values())) if item.answers else JUDGES[item.judged](about)[0]


def take(known: Knowledge, device: Device, asked: Sequence[ProofItem], before: Readings, given: Readings) -> Readings:
    """Readings with what was read now.

    A bad one that an item wants made sure of counts from the second time on; reading an item again takes back that it
    was left out.

    Raises
    ------
    ReadingError
        An answer is none of the item's, or a number cannot be.

    """
    check_numbers(asked, given.numbers)
    by_id = {item.id: item for item in asked}
    for name, answer in given.answers.items():
        if name in by_id and answer not in by_id[name].answers:
            right = ", ".join(by_id[name].answers.values())
            raise ReadingError(f"'{answer}' is no answer here", by_id[name].label, f"one of {right}")
    numbers, answers = {**before.numbers, **given.numbers}, {**before.answers, **given.answers}
    doubts, left_out = dict(before.doubts), {**before.left_out, **given.left_out}
    read_now = {item.id for item in asked if item.id in given.answers or set(item.values) & set(given.numbers)}
    for name in read_now:
        left_out.pop(name, None)
    settled = judge_proof(known, device, asked, Readings(numbers, answers, {}, left_out))
    for mark in settled.items:
        item = mark.item
        if item.id not in read_now or not item.again or mark.met is not False or item.id in doubts:
            continue
        doubts[item.id] = mark.shown
        answers.pop(item.id, None)
        for value in item.values:
            numbers.pop(value, None)
    return Readings(numbers, answers, doubts, left_out)


def without(asked: Sequence[ProofItem], readings: Readings, item_id: str) -> Readings:
    """Readings with one item taken up again."""
    item = next((item for item in asked if item.id == item_id), None)
    names = set(item.values) if item else set()

    def kept(found: Mapping[str, str]) -> dict[str, str]:
        return {name: text for name, text in found.items() if name != item_id}

    return replace(
        readings,
        numbers={name: number for name, number in readings.numbers.items() if name not in names},
        answers=kept(readings.answers),
        doubts=kept(readings.doubts),
        left_out=kept(readings.left_out),
    )


def _noted(about: _Reading) -> _Said:
    percent = about.get("percent_first")
    return "what it shows", "" if percent is None else "noted", "" if percent is None else f"{percent:.0f} %"


def _current(about: _Reading) -> _Said:
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


def _drop(about: _Reading) -> _Said:
    most = about.known.proof.path_drop_v
    need = f"no more than {show(most, 'V')} lost on the way"
    first, last = about.get("plug_volts"), about.get("input_volts")
    if first is None or last is None:
        return need, "", ""
    text = (
        f"{show(first, 'V')} at the plug, {show(last, 'V')} at the controller: {show(max(first - last, 0.0), 'V')} lost"
    )
    return need, "good" if first - last <= most else "lost", text


def _flip(about: _Reading) -> _Said:
    share = about.known.proof.direction_share
    need = f"within {share:.0%} of the other way round"
    one, other = about.get("amps"), about.get("amps_flipped")
    if one is None or other is None:
        return need, "", "" if other is None else f"{show(other, 'A')}; the first way round is still to be read"
    most, least = max(one, other), min(one, other)
    part = least / most if most else 1.0
    return need, "same" if part >= share else "one_side", f"{show(one, 'A')} and {show(other, 'A')}: {part:.0%}"


def _own(about: _Reading) -> _Said:
    share = about.known.proof.own_share
    need = f"{share:.0%} or more of the shop's charger"
    own, shop = about.get("amps_own"), about.get("amps")
    if own is None or shop is None:
        return need, "", "" if own is None else f"{show(own, 'A')}; the shop's charger is still to be read"
    part = own / shop if shop else 1.0
    return need, "good" if part >= share else "weak", f"{show(own, 'A')} of {show(shop, 'A')}: {part:.0%}"


def _off(about: _Reading) -> _Said:
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


def _fast(about: _Reading) -> _Said:
    known, amps, volts = about.known, about.get("amps_fast"), about.get("volts_fast")
    from_v = known.proof.fast_from_v
    percent = about.get("percent_first")
    band = expected_band(known, Conditions(about.device.kind, source_at(from_v), percent))
    watts = band.low * known.sources[source_at(from_v)].volts
    need = f"more than {show(from_v, 'V')} and {watts:.1f} W"
    if amps is None or volts is None:
        return need, "", ""
    text = f"{show(volts, 'V')} and {show(amps, 'A')}: {amps * volts:.1f} W"
    if volts < from_v:
        return need, "plain", f"{text}; it stays at plain 5 V"
    return need, "fast" if amps * volts >= watts else "low", text


def _idle(about: _Reading) -> _Said:
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


def _cell(about: _Reading) -> _Said:
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


def _rise(about: _Reading) -> _Said:
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


JUDGES: Mapping[str, Callable[[_Reading], _Said]] = {
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


# Items that a proof's verdict on the repair stands for; the others are evidence of their own.
CORE = ("current", "flip", "wiggle", "rise")


def proof_events(
    known: Knowledge, device: Device, result: ProofResult, readings: Readings
) -> tuple[CheckEvent | HazardEvent, ...]:
    """What a decided proof has shown, as the checks that it is.

    After one that passed, only what its verdict does not stand for already; an item that was left out says nothing.
    Percentages that did not rise are only told where they lie as far apart as `charge_wait` asks for.
    """
    found: list[CheckEvent | HazardEvent] = []
    for mark in result.items:
        if mark.shown in mark.item.hazards:
            found.append(HazardEvent(mark.item.hazards[mark.shown]))
        if not mark.shown or not mark.item.check or (result.works and mark.item.id in CORE):
            continue
        event = _event(known, device, mark, readings)
        if event is not None and not any(isinstance(one, CheckEvent) and _same(one, event) for one in found):
            found.append(event)
    return tuple(found)


def _same(one: CheckEvent, other: CheckEvent) -> bool:
    return (one.check, one.variant) == (other.check, other.variant)


def _event(known: Knowledge, device: Device, mark: Mark, readings: Readings) -> CheckEvent | None:
    item, numbers = mark.item, readings.numbers
    if item.signs:
        return CheckEvent(item.check, item.variant, signs=(mark.shown,) if mark.shown in item.signs else ())
    if item.answers:
        grade = item.grades.get(mark.shown, "")
        return CheckEvent(item.check, item.variant, grade) if grade else None
    if item.judged == "own" and mark.met:
        # Held against the shop's charger, not against what is expected: one verdict on one reading.
        return CheckEvent("charger_current", item.variant, "normal")
    if item.judged in ("current", "own"):
        name = "amps" if item.judged == "current" else "amps_own"
        values = {"amps": numbers[name], "volts": numbers.get("volts", known.connectors[device.connector].source_volts)}
        if "percent_first" in numbers:
            values["battery_percent"] = numbers["percent_first"]
        return CheckEvent("charger_current", item.variant, values=values)
    if item.judged == "idle":
        return CheckEvent(item.check, values={"amps": numbers["idle_amps"]})
    if item.judged == "off":
        return CheckEvent(item.check, grade="higher" if mark.shown == "higher" else "same")
    if item.judged == "cell":
        return CheckEvent(item.check, grade="erratic" if mark.shown == "odd" else "plausible")
    if item.judged == "rise":
        if mark.shown == "odd":
            return CheckEvent("battery_report", grade="erratic")
        late = numbers["minutes_between"] >= known.checks["charge_wait"].wait_minutes
        rises = mark.shown == "rises"
        return CheckEvent(item.check, grade="rises" if rises else "no_rise") if rises or late else None
    return CheckEvent(item.check, grade=mark.shown)
