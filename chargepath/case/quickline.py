"""The quick line: one text field that takes a whole observation.

Grammar (words are separated by spaces; the check's word or its id comes first)::

    CHECK VALUE...          i 0.02 5.1 3%      vboard 4.62      power 41/512      power OL
    CHECK GRADE             wiggle drops       i cycling
    CHECK SIGN...           port lint loose    port clean
    CHECK ... [at] VARIANT  power 41/512 at board               i 0.3 5.0 own
    try ROUTE yes|no        try swap_carrier no
    did ROUTE [yes|no]      did clean_port no
    did ROUTE other         did replace_port other      somebody else did it, before the device came in
    danger WORD             danger swollen
    mishap WORD             mishap pad                   something went wrong under one's own hands
    ?                       the list of all of these

In place of a check's word any words of its label do, and in place of a grade or a sign those on its button, as they
begin: ``charger current draws nothing``, ``start stays``. Words that may mean several things are asked about.
"""

from __future__ import annotations

import difflib
import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from chargepath.base.errors import AmbiguousReadingError, QuickLineError
from chargepath.base.quantities import METERS, OVERRANGE, MeterStyle, parse_diode, parse_quantity, typed
from chargepath.base.sentences import inside
from chargepath.case.entries import (
    CheckEvent,
    Device,
    Event,
    HazardEvent,
    MishapEvent,
    RepairEvent,
    TryEvent,
    check_values,
)
from chargepath.case.naming import LEAST_LETTERS, meant_by
from chargepath.knowledge import Check, Knowledge, Route
from chargepath.knowledge.hazards import Hazard
from chargepath.knowledge.traits import built

ANSWERS = {"yes": True, "works": True, "charges": True, "no": False, "fails": False}
CLEAN, DANGER, MISHAP, OTHER = "clean", "danger", "mishap", "other"
# A number without its unit.
BARE = re.compile(r"\d+(?:[.,]\d+)?")
WORD_LIMIT = 200


@dataclass(frozen=True)
class Completion:
    """One way to go on: the whole line as it would then read, and what the new word means."""

    line: str
    word: str
    label: str


@dataclass(frozen=True)
class Rule:
    """One line of the `?` list."""

    example: str
    label: str
    access: str


def _near(word: str, allowed: Iterable[str]) -> str:
    close = difflib.get_close_matches(word, list(allowed), n=1, cutoff=0.6)
    return f"did you mean {close[0]}? " if close else ""


MOST_WORDS = 8


def _find_check(known: Knowledge, word: str) -> Check | None:
    """The check that a word stands for; None where it stands for none, or for several."""
    named = [check for check in known.checks.values() if word in (check.word, check.id)]
    named = named or [check for check in known.checks.values() if word in check.also]
    return named[0] if len(named) == 1 else None


def _named_check(known: Knowledge, device: Device, words: list[str]) -> tuple[Check, list[str]] | None:
    """The check that the first words of a line name, and the words after them; None where they name no check.

    Raises
    ------
    QuickLineError
        The words may mean several checks.

    """
    fitting = [one for one in known.checks.values() if one.fits(device.connector, device.wireless)]
    labels = {one.id: one.label for one in fitting}
    counts = range(min(len(words), MOST_WORDS), 0, -1)
    # A label typed out comes before the short word that it begins with, as in "power line, diode mode".
    for count in counts[:-1]:
        found = meant_by(" ".join(words[:count]), labels, from_start=True)
        if len(found) == 1:
            return known.checks[found[0]], words[count:]
    first = words[0].lower()
    begun = [one for one in fitting if len(first) >= LEAST_LETTERS and one.word.startswith(first)]
    check = _find_check(known, first) or (begun[0] if len(begun) == 1 else None)
    if check is not None:
        return check, words[1:]
    unsure: list[str] = []
    spoken = {one.id: " ".join((one.label, *one.also)) for one in fitting}
    for count in counts:
        found = meant_by(" ".join(words[:count]), spoken)
        if len(found) == 1:
            return known.checks[found[0]], words[count:]
        unsure = unsure or found
    shown = {
        f"{one} {outcome}": known.checks[one].name(outcome)
        for one in labels
        for outcome in (*known.checks[one].grades, *known.checks[one].signs)
    }
    buttons = meant_by(" ".join(words), shown, from_start=True)
    if len(buttons) == 1:
        name, outcome = buttons[0].split(" ")
        return known.checks[name], [outcome]
    unsure = unsure or list(dict.fromkeys(name.split(" ")[0] for name in buttons))
    if unsure:
        several = [f"{known.checks[name].word} ({inside(known.checks[name].label)})" for name in unsure[:MOST_WORDS]]
        raise QuickLineError(f"'{' '.join(words)}' can mean several checks", "word 1", f"one of {', '.join(several)}")
    return None


def _as_ids(check: Check, words: list[str]) -> list[str]:
    """The words after a check with ids in place of what stands on its buttons.

    Raises
    ------
    QuickLineError
        They may mean several buttons.

    """
    outcomes = (*check.grades, *check.signs, *check.variants)
    labels = {name: check.name(name) for name in outcomes} | ({CLEAN: "nothing to see"} if check.is_look else {})
    out: list[str] = []
    at = 0
    while at < len(words):
        word = words[at].lower().strip(",")
        is_id = word in labels or not word[:1].isalpha() or bool(OVERRANGE.fullmatch(word))
        for count in range(len(words) - at, 1 if is_id else 0, -1):
            found = meant_by(" ".join(words[at : at + count]), labels, from_start=True)
            if len(found) > 1:
                which = ", ".join(f"{typed(name)} ({labels[name]})" for name in found)
                raise QuickLineError(f"'{words[at]}' can mean several", f"word {at + 2}", f"one of {which}")
            if found:
                out.append(found[0])
                at += count
                break
        else:
            out.append(word if word in labels else words[at])
            at += 1
    return out


def _routes(known: Knowledge, device: Device, trying: bool) -> list[Route]:
    """Routes that may be named after `try` or `did` on this device."""
    has = built(known.traits, device.kind, device.traits)
    routes = [route for route in known.routes.values() if route.fits(device.carrier, has, wireless=device.wireless)]
    return [route for route in routes if not trying or route.try_minutes is not None]


def _read(word: str) -> str:
    """A typed word with underscores for its hyphens, as ids are written; a number keeps its minus sign."""
    return word.replace("-", "_") if word[:1].isalpha() else word


def parse_line(line: str, known: Knowledge, device: Device, meter: MeterStyle = METERS["any"]) -> Event:
    """Read one quick line into an event; words of several parts are typed with a hyphen.

    Raises
    ------
    QuickLineError
        Says which word could not be read and what may stand there.
    ReadingError
        A number that cannot be; `AmbiguousReadingError` where it can be read in two ways.

    """
    try:
        return _parse(line, known, device, meter)
    except QuickLineError as error:
        raise QuickLineError(typed(error.what), error.where, typed(error.right)) from None


def _parse(line: str, known: Knowledge, device: Device, meter: MeterStyle) -> Event:
    words = [_read(word) for word in line.split()]
    if not words:
        raise QuickLineError("the line is empty", "", "type a check and what it showed, or ? for the list")
    if len(line) > WORD_LIMIT:
        raise QuickLineError("the line is too long", "", f"at most {WORD_LIMIT} characters")
    first = words[0].lower()
    if first in ("try", "did"):
        return _parse_act(first, [word.lower() for word in words[1:]], known, device)
    if first == DANGER:
        return _parse_danger([word.lower() for word in words[1:]], known)
    if first == MISHAP:
        return _parse_mishap([word.lower() for word in words[1:]], known)
    named = _named_check(known, device, words)
    if named is None:
        allowed = [check.word for check in known.checks.values()] + ["try", "did", DANGER, MISHAP]
        raise QuickLineError(
            f"'{words[0]}' is no check", "word 1", f"{_near(first, allowed)}one of {', '.join(allowed)}"
        )
    check, rest = named
    if check.connectors and device.connector not in check.connectors:
        raise QuickLineError(f"{check.label} needs a reversible plug", "word 1", f"this device has {device.connector}")
    if check.needs_wireless and not device.wireless:
        raise QuickLineError(f"{check.label} needs a charging coil", "word 1", "this device was received without one")
    rest = _as_ids(check, rest)
    event = _parse_check(check, rest, meter)
    _ask_for_unit(known, device, check, event, rest)
    return event


def _ask_for_unit(known: Knowledge, device: Device, check: Check, event: CheckEvent, words: list[str]) -> None:
    """Refuse a bare number that would be more volts than the device can ask for: its percent sign may be forgotten."""
    volts = event.values.get("volts")
    if check.graded_by != "current" or volts is None or "battery_percent" in event.values:
        return
    bare = next((word for word in words if BARE.fullmatch(word) and float(word.replace(",", ".")) == volts), "")
    if bare and known.connectors[device.connector].most_volts[device.kind] < volts:
        raise AmbiguousReadingError(
            f"'{bare}' would be more volts than a {device.kind} asks for",
            "volts",
            f"type {bare}% or, if it was volts, {bare}V",
            (f"{bare}%", f"{bare}V"),
        )


def _parse_act(verb: str, words: list[str], known: Knowledge, device: Device) -> Event:
    routes = _routes(known, device, verb == "try")
    allowed = [route.id for route in routes]
    words = _with_route(words, {route.id: route.worded(device.carrier).label for route in routes})
    if not words:
        raise QuickLineError(f"{verb} what?", "word 2", f"one of {', '.join(allowed)}")
    name = words[0]
    if name not in allowed:
        hint = _near(name, allowed)
        what = "cannot be tried and taken back" if name in known.routes and verb == "try" else "is no route here"
        raise QuickLineError(f"'{name}' {what}", "word 2", f"{hint}one of {', '.join(allowed)}")
    if len(words) > 2:
        raise QuickLineError(f"'{words[2]}' is one word too many", "word 4", f"{verb} {name} yes or no")
    if verb == "did" and words[1:] == [OTHER]:
        return RepairEvent(name, None, other=True)
    if len(words) == 1:
        if verb == "did":
            return RepairEvent(name)
        raise QuickLineError("did it charge meanwhile?", "word 3", f"{verb} {name} yes, or {verb} {name} no")
    if words[1] not in ANSWERS:
        raise QuickLineError(
            f"'{words[1]}' is no answer",
            "word 3",
            "yes or no: does it charge? or, after did, other: somebody else did it",
        )
    works = ANSWERS[words[1]]
    return TryEvent(name, works) if verb == "try" else RepairEvent(name, works)


def _with_route(words: list[str], labels: Mapping[str, str]) -> list[str]:
    """The words after `try` or `did` with an id in place of words of a repair's label, where they mean only one."""
    if words and words[0] not in labels:
        for count in range(len(words), 0, -1):
            found = meant_by(" ".join(words[:count]), labels)
            if len(found) == 1:
                return [found[0], *words[count:]]
    return words


def _parse_danger(words: list[str], known: Knowledge) -> HazardEvent:
    return HazardEvent(_one_of(DANGER, words, {hazard.word: hazard.id for hazard in reportable(known)}))


def _parse_mishap(words: list[str], known: Knowledge) -> MishapEvent:
    return MishapEvent(_one_of(MISHAP, words, {mishap.word: mishap.id for mishap in known.mishaps.values()}))


def _one_of(what: str, words: list[str], allowed: dict[str, str]) -> str:
    """The id that the one word after `danger` or `mishap` stands for."""
    if not words:
        raise QuickLineError(f"which {what}?", "word 2", f"one of {', '.join(allowed)}")
    if words[0] not in allowed:
        hint = _near(words[0], allowed)
        raise QuickLineError(f"'{words[0]}' is no {what}", "word 2", f"{hint}one of {', '.join(allowed)}")
    if len(words) > 1:
        raise QuickLineError(f"'{words[1]}' is one word too many", "word 3", f"{what} {words[0]}")
    return allowed[words[0]]


def reportable(known: Knowledge) -> list[Hazard]:
    """Dangers that a person may report, the gravest first."""
    return [hazard for hazard in known.hazards.values() if hazard.report]


def _parse_check(check: Check, words: list[str], meter: MeterStyle) -> CheckEvent:
    variant, rest = _take_variant(check, words)
    if not rest:
        raise QuickLineError(f"{check.label}: what did it show?", "word 2", _allowed(check))
    if check.is_look:
        return CheckEvent(check.id, variant, signs=_signs(check, rest))
    lowered = [word.lower() for word in rest]
    grades = [word for word in lowered if word in check.grades]
    if len(grades) > 1:
        raise QuickLineError(f"{' and '.join(grades)} at once", "", "one grade only")
    numbers = [word for word in rest if word.lower() not in check.grades]
    for word in numbers:
        if not check.values or not (any(map(str.isdigit, word)) or OVERRANGE.match(word)):
            what = "neither a number nor a grade" if check.values else "no grade"
            raise QuickLineError(
                f"'{word}' is {what} of {check.label}",
                f"word {words.index(word) + 2}",
                f"{_near(word.lower(), check.grades)}{_allowed(check)}",
            )
    values = _values(check, numbers, words, meter)
    check_values(check, values)
    missing = [] if grades else check.lacking(values)
    if missing:
        raise QuickLineError(f"{check.label} still needs {', '.join(missing)}", "", _allowed(check))
    return CheckEvent(check.id, variant, grades[0] if grades else "", values=values)


def _take_variant(check: Check, words: list[str]) -> tuple[str, list[str]]:
    """Split off `[at] VARIANT` wherever it stands."""
    rest, variant = [], ""
    for word in words:
        lowered = word.lower()
        if lowered in check.variants:
            variant = "" if lowered == check.variants[0] else lowered
        elif not (lowered == "at" and check.variants):
            rest.append(word)
    return variant, rest


def _signs(check: Check, words: list[str]) -> tuple[str, ...]:
    lowered = [word.lower().strip(",") for word in words]
    for place, word in enumerate(lowered):
        if word not in check.signs and word != CLEAN:
            raise QuickLineError(
                f"'{words[place]}' is no sign of {check.label}",
                f"word {place + 2}",
                f"{_near(word, check.signs)}{_allowed(check)}",
            )
    if CLEAN in lowered and len(lowered) > 1:
        raise QuickLineError("clean and a sign at once", "", "either clean or what was seen")
    return tuple(sign for sign in check.signs if sign in lowered)


def _values(check: Check, numbers: list[str], words: list[str], meter: MeterStyle) -> dict[str, float]:
    """Give each number to a value: by its unit where it has one, else in the check's order."""
    values: dict[str, float] = {}
    if "reading" in check.values:
        if len(numbers) > 1:
            raise QuickLineError(
                f"'{numbers[1]}' is one number too many", f"word {words.index(numbers[1]) + 2}", _allowed(check)
            )
        for text in numbers:
            reading, _, reference = text.partition("/")
            values["reading"] = parse_diode(reading, meter, "reading")
            if reference:
                values["reference"] = parse_diode(reference, meter, "reference")
        return values
    for text in numbers:
        place = f"word {words.index(text) + 2}"
        name = _value_name(check, text, values)
        if name is None:
            raise QuickLineError(f"'{text}' has no place here", place, _allowed(check))
        if name in values:
            raise QuickLineError(f"{name.replace('_', ' ')} is given twice", place, _allowed(check))
        values[name] = _number(check, name, text)
    return values


def _number(check: Check, name: str, text: str) -> float:
    """Read one number that was typed for a check; OL is infinite where the value may be overrange."""
    value = check.values[name]
    return math.inf if value.overrange and OVERRANGE.fullmatch(text) else parse_quantity(text, value.unit, name)


def _value_name(check: Check, text: str, taken: dict[str, float]) -> str | None:
    unit = text.lstrip("+-0123456789.,").lower()
    kinds = {"a": "A", "ma": "A", "v": "V", "mv": "V", "%": "%"}
    if unit in kinds:
        fitting = [name for name, value in check.values.items() if value.unit == kinds[unit]]
        return next((name for name in fitting if name not in taken), fitting[-1] if fitting else None)
    # What the charger gives is said with its unit: a number too many is mostly a slip.
    return next((name for name, value in check.values.items() if name not in taken and not value.of_charger), None)


def _allowed(check: Check) -> str:
    """What may follow the check's word."""
    if check.is_look:
        return f"{CLEAN}, or one or more of {', '.join(check.signs)}"
    parts = []
    if "reading" in check.values:
        parts.append("reading/reference in mV, as 41/512 or OL/512")
    elif check.values:
        parts.append(" ".join(f"{name} [{value.unit}]" for name, value in check.values.items()).replace("_", " "))
    parts.append("one of " + ", ".join(check.grades))
    if check.variants:
        parts.append("then " + " or ".join(check.variants))
    return "; ".join(parts)


def grammar(known: Knowledge, device: Device) -> list[Rule]:
    """Everything the quick line takes on this device, in the order of the work."""
    rules = []
    for check in known.checks.values():
        if not check.fits(device.connector, device.wireless):
            continue
        rules.append(Rule(f"{check.word} …", f"{check.label}: {typed(_allowed(check))}", check.access))
    tries = ", ".join(typed(route.id) for route in _routes(known, device, True))
    rules.append(Rule("try … yes|no", f"a known-good part in and out again: {tries}", "any"))
    done = ", ".join(typed(route.id) for route in _routes(known, device, False))
    rules.append(
        Rule("did … yes|no|other", f"a repair was done, does it charge, or somebody else did it: {done}", "any")
    )
    words = ", ".join(hazard.word for hazard in reportable(known))
    rules.append(Rule(f"{DANGER} …", f"something dangerous was seen: {words}", "any"))
    words = ", ".join(mishap.word for mishap in known.mishaps.values())
    rules.append(Rule(f"{MISHAP} …", f"something went wrong under one's own hands: {words}", "any"))
    return rules


def _begun(known: Knowledge, choices: list[tuple[str, str]], stub: str, limit: int) -> list[Completion]:
    """First words that a few letters may mean: those that begin so, then those of which other words do."""
    also = {check.word: " ".join(check.also) for check in known.checks.values()}
    first = [(word, label) for word, label in choices if word.startswith(stub)]
    said = meant_by(stub, {word: f"{label} {also.get(word, '')}" for word, label in choices})
    rest = [(word, label) for word, label in choices if word in said and (word, label) not in first]
    return [Completion(f"{typed(word)} ", typed(word), label) for word, label in [*first, *rest][:limit]]


def check_alone(line: str, known: Knowledge) -> Check | None:
    """The check that a line names and says nothing of yet; None for any other line."""
    words = line.split()
    return _find_check(known, words[0].lower()) if len(words) == 1 else None


def complete(line: str, known: Knowledge, device: Device, limit: int = 8) -> list[Completion]:
    """Ways to go on from a half-typed line."""
    words = [_read(word) for word in line.split()]
    fresh = not words or line.endswith(" ")
    before, stub = (words, "") if fresh else (words[:-1], words[-1].lower())
    choices: list[tuple[str, str]] = []
    check = _find_check(known, before[0].lower()) if before else None
    if not before:
        rules = grammar(known, device)
        choices = [(rule.example.split()[0], rule.label.split(":")[0]) for rule in rules]
        if stub:
            return _begun(known, choices, stub, limit)
    elif before[0].lower() in ("try", "did"):
        if len(before) == 1:
            choices = [
                (route.id, route.worded(device.carrier).label)
                for route in _routes(known, device, before[0].lower() == "try")
            ]
        elif len(before) == 2:
            choices = [("yes", "it charges"), ("no", "it does not")]
            choices += [(OTHER, "somebody else did it")] if before[0].lower() == "did" else []
    elif before[0].lower() == DANGER:
        choices = [(hazard.word, hazard.report) for hazard in reportable(known)] if len(before) == 1 else []
    elif before[0].lower() == MISHAP:
        choices = [(mishap.word, mishap.label) for mishap in known.mishaps.values()] if len(before) == 1 else []
    elif check:
        taken = {word.lower() for word in before[1:]}
        outcomes = check.signs or (() if taken.intersection(check.grades) else check.grades)
        if check.is_look and not taken:
            choices = [(CLEAN, "nothing to see")]
        choices += [(name, check.name(name)) for name in outcomes if name not in taken]
        if taken:
            choices += [(name, check.name(name)) for name in check.variants[1:] if name not in taken]
    found = [choice for choice in choices if choice[0].startswith(stub)]
    said = [typed(word) for word in before]
    return [Completion(" ".join([*said, typed(word)]) + " ", typed(word), label) for word, label in found[:limit]]
