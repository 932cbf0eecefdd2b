"""A template of an instrument's line: literal text with fields, as ``V: {volts}V A: {amps}A``.

A blank stands for any run of blanks, also none beside a field. `{_}` is a word that is skipped. Matching reads the line
once from left to right, however long it is.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from chargepath.base.errors import ReadingError

FIELD = re.compile(r"\{([a-z_]\w{0,30})\}")
NUMBER = re.compile(r"[+-]?(?:\d{1,12}(?:\.\d{0,12})?|\.\d{1,12})(?:[eE][+-]?\d{1,3})?")
WORD = re.compile(r"[^\s,;]+")
BLANKS = re.compile(r"\s*")
SKIPPED = "_"
LONGEST_LINE, LONGEST_TEMPLATE, MOST_FIELDS = 256, 200, 12
# A template is right where so many of the last lines are as it says.
FITS, OF = 3, 8
# What a letter beside a number says of it.
UNITS: Mapping[str, str] = {
    "V": "volts", "A": "amps", "mA": "milliamps", "mV": "millivolts", "W": "watts", "Ohm": "ohms", "ohm": "ohms",
    "Ω": "ohms", "C": "celsius", "°C": "celsius", "mbar": "mbar", "kPa": "kpa", "s": "seconds",
}  # fmt: skip


@dataclass(frozen=True)
class LineTemplate:
    """A template, and the words that stand for an overload in place of a number.

    Raises
    ------
    ReadingError
        It is too long, names no field, one twice, or two fields follow each other without anything between.

    """

    text: str
    overload: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        names = [name for name in FIELD.findall(self.text) if name != SKIPPED]
        right = "as in V: {volts}V A: {amps}A"
        if len(self.text) > LONGEST_TEMPLATE:
            raise ReadingError(f"it is longer than {LONGEST_TEMPLATE} signs", "template", right)
        if not names:
            raise ReadingError("it names no field", "template", right)
        if len(names) != len(set(names)) or len(names) > MOST_FIELDS:
            raise ReadingError("it names a field twice, or too many", "template", right)
        if "}{" in self.text:
            raise ReadingError(
                "nothing stands between two fields", "template", "a blank, a comma or a word between them"
            )
        left = FIELD.sub("", self.text)
        if "{" in left or "}" in left:
            raise ReadingError("a bracket does not enclose a field's name", "template", right)

    @cached_property
    def fields(self) -> tuple[str, ...]:
        """Names of the fields, from left to right."""
        return tuple(name for name in FIELD.findall(self.text) if name != SKIPPED)

    @cached_property
    def _parts(self) -> tuple[str, ...]:
        """Literal text and names of fields in turn; the first and the last are text."""
        return tuple(FIELD.split(self.text))

    def match(self, line: str) -> dict[str, float] | None:
        """The fields' values, ``inf`` for an overload; None where the line is not as the template says."""
        if len(line) > LONGEST_LINE:
            return None
        spans = self.spans(line)
        return None if spans is None else {name: value for name, value, _, _ in spans}

    def spans(self, line: str) -> list[tuple[str, float, int, int]] | None:
        """Each field with its value and where it stands in the line; None where the line is otherwise."""
        at, found = 0, []
        for place, part in enumerate(self._parts):
            if place % 2 == 0:
                after = _literal(line, at, part)
                if after is None:
                    return None
                at = after
                continue
            at = _after(BLANKS, line, at)
            after_it = self._parts[place + 1].split()
            read = _word(line, at, after_it[0] if after_it else "") if part == SKIPPED else self._value(line, at)
            if read is None:
                return None
            value, end = read
            if part != SKIPPED:
                found.append((part, value, at, end))
            at = end
        return found if not line[at:].strip() else None

    def _value(self, line: str, at: int) -> tuple[float, int] | None:
        for word in sorted(self.overload, key=len, reverse=True):
            if line.startswith(word, at):
                return math.inf, at + len(word)
        found = NUMBER.match(line, at)
        if found is None:
            return None
        value = float(found[0])
        return (value, found.end()) if math.isfinite(value) else None


def _after(pattern: re.Pattern[str], line: str, at: int) -> int:
    found = pattern.match(line, at)
    return found.end() if found else at


def _word(line: str, at: int, until: str) -> tuple[float, int] | None:
    """The end of a word that is passed over: at a blank, a comma, or at the text that follows it in the template."""
    found = WORD.match(line, at)
    if found is None:
        return None
    end = line.find(until, at, found.end() + len(until)) if until else -1
    return (0.0, end if end > at else found.end())


def _literal(line: str, at: int, text: str) -> int | None:
    """The place after literal text, None where it does not stand there; runs of blanks count as one, or none."""
    for word in text.split():
        at = _after(BLANKS, line, at)
        if not line.startswith(word, at):
            return None
        at += len(word)
    return _after(BLANKS, line, at) if text[-1:].isspace() else at


def fits(template: LineTemplate, lines: Sequence[str]) -> bool:
    """Whether enough of the last lines are as a template says."""
    return sum(template.match(line) is not None for line in lines[-OF:]) >= FITS


def propose(lines: Sequence[str]) -> str:
    """The template of lines that came in: their numbers as fields, named by the unit beside them.

    The text that most of the last lines share is taken; '' where no number is in them.
    """
    shapes: dict[str, int] = {}
    for line in lines[-4 * OF :]:
        if len(line) <= LONGEST_LINE and NUMBER.search(line):
            shape = _shape(line.strip())
            shapes[shape] = shapes.get(shape, 0) + 1
    return max(shapes, key=lambda shape: shapes[shape]) if shapes else ""


def _shape(line: str) -> str:
    """A line with its numbers as fields; a number within a word, as in CH1, stays."""
    out, at, taken = [], 0, set[str]()
    for found in NUMBER.finditer(line):
        before = line[found.start() - 1 : found.start()]
        if before.isalnum() or before == "_" or len(taken) >= MOST_FIELDS:
            continue
        name = _name(line[found.end() : found.end() + 4].strip(), line[max(found.start() - 12, 0) : found.start()])
        number, wanted = 2, name
        while name in taken:
            name, number = f"{wanted}_{number}", number + 1
        taken.add(name)
        out += [_plain(line[at : found.start()]), f"{{{name}}}"]
        at = found.end()
    return "".join([*out, _plain(line[at:])])


def _plain(text: str) -> str:
    return text.replace("{", "(").replace("}", ")")


def _name(after: str, before: str) -> str:
    for unit, name in sorted(UNITS.items(), key=lambda row: -len(row[0])):
        if after.startswith(unit) and not after[len(unit) : len(unit) + 1].isalpha():
            return name
    word = re.sub(r"\W+", "", before.rstrip(" :=").rpartition(" ")[2]).lower()
    return UNITS.get(word.upper(), word) if re.fullmatch(r"[a-z]\w{0,20}", word) else "value"
