"""A profile of an instrument: how to connect to it, which commands it takes, how its lines are read."""

from __future__ import annotations

import json
import math
import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Annotated

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.instrument.template import LineTemplate
from chargepath.knowledge.reader import InFile, Reader, Table

DATA = Path(__file__).parent / "data"
MOST_BYTES = 40_000
WAYS, CONNECTIONS = ("ask", "stream"), ("tcp", "serial", "bridge", "usbtmc")
UNITS: Mapping[str, float] = {"V": 1.0, "mV": 1e-3, "A": 1.0, "mA": 1e-3, "ohm": 1.0, "°C": 1.0, "mbar": 1.0, "s": 1.0}
# What a quantity is, so that a page knows which one it wants: its unit there.
WANTED: Mapping[str, str] = {
    "volts": "V", "amps": "A", "ohms": "ohm", "diode": "mV", "continuity": "ohm", "celsius": "°C", "mbar": "mbar",
    "seconds": "s",
}  # fmt: skip


# What instruments with text commands say for an overload; 9.91E37 is no number. SCPI-99, 7.2.1 (from memory).
OVERLOAD = 9.9e37


# What a supply may keep by itself, and the field of the line that sets it.
PROTECTIONS: Mapping[str, str] = {"over_volts": "volts", "over_amps": "amps", "off_after": "seconds"}


class ProfileError(ChargepathError):
    """A profile does not hold together; `problems` names each place."""

    def __init__(self, problems: list[str]) -> None:
        self.problems = problems
        more = f" and {len(problems) - 1} more" if len(problems) > 1 else ""
        super().__init__(f"{problems[0]}{more}", "profile", "see docs/instrument-protocols.md")


@dataclass(frozen=True)
class Reach:
    """How an instrument is connected: the ways that it has; baud of a serial line; what ends a line; the longest line
    [bytes].
    """

    ways: tuple[str, ...]
    baud: Annotated[float, InFile(absent=9600.0, low=300, high=4_000_000)] = 9600.0
    sends: str = "\n"
    ends: str = "\n"
    longest: Annotated[float, InFile(absent=256.0, low=16, high=4096)] = 256.0


@dataclass(frozen=True)
class Acquire:
    """How readings are had.

    Attributes
    ----------
    way : str
        'ask' for each, or 'stream': it speaks by itself.
    rate_hz : float
        How often it is asked, or speaks.
    deadline_s : float
        Within so long a whole answer is there.
    silent_s : float
        After so long without a line it counts as silent.
    settle_s : float
        So long after the last change nothing is believed.
    step : str
        A question whose answer is known, asked after each round: another answer means that answers have shifted.

    """

    way: str
    rate_hz: Annotated[float, InFile(low=0.05, high=100)] = 5.0
    deadline_s: Annotated[float, InFile(low=0.05, high=10)] = 1.0
    silent_s: Annotated[float, InFile(low=0.2, high=60)] = 2.0
    settle_s: Annotated[float, InFile(low=0, high=10)] = 0.0
    step: str = ""


@dataclass(frozen=True)
class ProfileQuantity:
    """Something that an instrument measures.

    Attributes
    ----------
    id : str
        One of `WANTED`.
    unit : str
        Of its lines; `scale` times the number is in that unit.
    ask : str
        What asks for it, '' on a stream.
    line : str
        Template of the answer, with a field of the quantity's name or {value}.
    json : str
        Or the key of a JSON line that holds it.
    json_overload : str
        And the key that is true there at an overload.
    column : int
        Or the column of a line of cells, from 1.
    overload : tuple of str
        Words and numbers that stand for an overload.
    low, high : float
        What can be, in that unit: anything else is no reading.

    """

    id: str
    unit: str
    ask: str = ""
    line: str = ""
    json: str = ""
    json_overload: str = ""
    column: Annotated[float, InFile(absent=0.0, high=40)] = 0.0
    scale: Annotated[float, InFile(absent=1.0, low=-1e9, high=1e9)] = 1.0
    overload: tuple[str, ...] = ()
    low: Annotated[float, InFile(absent=-1e12, low=-1e12, high=1e12)] = -1e12
    high: Annotated[float, InFile(absent=1e12, low=-1e12, high=1e12)] = 1e12

    @property
    def factor(self) -> float:
        """From a number of its line to the unit that pages use."""
        return self.scale * UNITS[self.unit] / UNITS[WANTED[self.id]]

    def value_of(self, number: float) -> float | None:
        """A number of its line in the unit that pages use; None where it cannot be, ``inf`` for an overload."""
        if math.isinf(number) or math.isclose(number, OVERLOAD, rel_tol=1e-4):
            return math.inf
        scaled = number * self.scale
        return number * self.factor if self.low <= scaled <= self.high else None


@dataclass(frozen=True)
class LimitCommands:
    """What sets a supply's volts and amps: templates with {volts} or {amps}; '' for what it has not."""

    volts: str = ""
    amps: str = ""


@dataclass(frozen=True)
class ProtectionCommand:
    """A limit that a supply keeps by itself, beside what drives it.

    Attributes
    ----------
    set : str
        Template that sets it, with the field of `PROTECTIONS`.
    read : str
        What asks for it; the answer is a number.

    """

    set: str
    read: str


@dataclass(frozen=True)
class OutputCommands:
    """What switches a supply's output, what asks whether it is on, and the answers that say so; '' for none."""

    on: str = ""
    off: str = ""
    state: str = ""
    is_on: tuple[str, ...] = ()


@dataclass(frozen=True)
class InstrumentProfile:
    """A whole profile.

    Attributes
    ----------
    id, name, about : str
    revision : str
        The first signs of its text's SHA-256: another text is another revision.
    reach : Reach
    identify, like : str
        What asks it who it is, and a pattern of the answer (* for anything).
    setup : tuple of str
        Said once it is connected.
    error, fine : str, tuple of str
        What asks for its errors, and patterns of the answer where there is none.
    acquire : Acquire
    measured : mapping of id to ProfileQuantity
    limit : LimitCommands
    protection : mapping of id to ProtectionCommand
        By the ids of `PROTECTIONS`.
    output : OutputCommands

    """

    id: str
    name: str
    about: str
    reach: Reach
    acquire: Acquire
    measured: Mapping[str, ProfileQuantity]
    identify: str = ""
    like: str = "*"
    setup: tuple[str, ...] = ()
    revision: str = ""
    error: str = ""
    fine: tuple[str, ...] = ()
    parted: str = ","
    limit: LimitCommands = LimitCommands()
    protection: Mapping[str, ProtectionCommand] = field(default_factory=dict)
    output: OutputCommands = OutputCommands()

    def is_it(self, answer: str) -> bool:
        """Whether an instrument's answer to who it is fits the profile."""
        return fnmatchcase(answer.strip().lower(), self.like.lower())

    def read(self, line: str, wanted: str = "") -> dict[str, float]:
        """What a line says, by quantity in the units that pages use; ``inf`` for an overload, nothing where it is none.

        Parameters
        ----------
        line : str
        wanted : str
            The quantity that was asked for; '' on a stream, where a line may hold several.

        """
        asked = [self.measured[wanted]] if wanted else list(self.measured.values())
        out = {}
        for row in asked:
            number = self._number(row, line)
            value = None if number is None else row.value_of(number)
            if value is not None:
                out[row.id] = value
        return out

    def _number(self, row: ProfileQuantity, line: str) -> float | None:
        """The number of a line that is meant, as it is written; ``inf`` for an overload."""
        if row.line:
            found = LineTemplate(row.line, row.overload).match(line)
            return None if found is None else found.get(row.id, found.get("value"))
        if row.json:
            return _of_json(line, row)
        cells = line.split(self.parted)
        if not 1 <= row.column <= len(cells):
            return None
        found = LineTemplate("{value}", row.overload).match(cells[int(row.column) - 1])
        return None if found is None else found["value"]


def _of_json(line: str, row: ProfileQuantity) -> float | None:
    try:
        found = json.loads(line)
        if row.json_overload and found.get(row.json_overload) is True:
            return math.inf
        value = found[row.json]
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        return None
    if isinstance(value, str) and value in row.overload:
        return math.inf
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    try:
        number = float(value)
    except OverflowError:
        return None
    return number if math.isfinite(number) else None


def read_profile(text: str, name: str = "profile") -> InstrumentProfile:
    """Read a profile.

    Raises
    ------
    ProfileError
        With every problem found.

    """
    if len(text.encode()) > MOST_BYTES:
        raise ProfileError([f"{name}: it is longer than {MOST_BYTES // 1000} kB"])
    read = Reader(DATA)
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise ProfileError([f"{name}: not readable as TOML ({error})"]) from error
    made = replace(_made(read, raw, name), revision=sha256(text.encode()).hexdigest()[:7])
    read.problems += list(_problems(made, name)) if not read.problems else []
    if read.problems:
        raise ProfileError(read.problems)
    return made


def _made(read: Reader, raw: Table, name: str) -> InstrumentProfile:
    parts = ("connection", "acquire", "quantity", "limit", "protection", "output")
    rows, kept = read.table(raw, "quantity", name), read.table(raw, "protection", name)
    return read.row(
        InstrumentProfile,
        raw,
        name,
        parts,
        id=name,
        reach=read.row(Reach, read.table(raw, "connection", name), f"{name} [connection]"),
        acquire=read.row(Acquire, read.table(raw, "acquire", name), f"{name} [acquire]"),
        measured={key: read.row(ProfileQuantity, row, f"{name} [quantity.{key}]", id=key) for key, row in rows.items()},
        limit=read.row(LimitCommands, read.table(raw, "limit", name), f"{name} [limit]"),
        protection={key: read.row(ProtectionCommand, row, f"{name} [protection.{key}]") for key, row in kept.items()},
        output=read.row(OutputCommands, read.table(raw, "output", name), f"{name} [output]"),
    )


def _problems(made: InstrumentProfile, name: str) -> Iterator[str]:
    """What does not hold together in a profile whose keys are right."""
    unknown = [way for way in made.reach.ways if way not in CONNECTIONS]
    if unknown or not made.reach.ways:
        yield f"{name} [connection].ways: one or more of {', '.join(CONNECTIONS)}"
    if made.acquire.way not in WAYS:
        yield f"{name} [acquire].way: 'ask' or 'stream'"
    if made.acquire.step and made.acquire.step != made.identify:
        yield f"{name} [acquire].step: the question whose answer is known is that of identify"
    if not made.measured and not made.output.on:
        yield f"{name}: it measures nothing and switches nothing"
    for row in made.measured.values():
        where = f"{name} [quantity.{row.id}]"
        if row.id not in WANTED or row.unit not in UNITS:
            yield f"{where}: a quantity is one of {', '.join(WANTED)}, its unit one of {', '.join(UNITS)}"
        if sum(map(bool, (row.line, row.json, row.column))) != 1:
            yield f"{where}: one of line, json and column says where it stands"
        if (made.acquire.way == "ask") != bool(row.ask):
            yield f"{where}.ask: what asks for it, where it does not speak by itself"
        if row.line:
            try:
                fields = LineTemplate(row.line, row.overload).fields
            except ReadingError as error:
                yield f"{where}.line: {error.what}"
                continue
            if row.id not in fields and "value" not in fields:
                yield f"{where}.line: it has no field {{{row.id}}} and no {{value}}"
    for key, kept in made.protection.items():
        if key not in PROTECTIONS:
            yield f"{name} [protection.{key}]: one of {', '.join(PROTECTIONS)}"
        elif f"{{{PROTECTIONS[key]}}}" not in kept.set or not kept.read:
            yield f"{name} [protection.{key}]: set with {{{PROTECTIONS[key]}}} in it, and read, which asks for it"
    if bool(made.output.on) != bool(made.output.off):
        yield f"{name} [output]: what switches on needs what switches off"


@cache
def shipped_profiles() -> Mapping[str, InstrumentProfile]:
    """The profiles that ship, by id."""
    files = sorted(DATA.glob("*.toml"))
    return {file.stem: read_profile(file.read_text(encoding="utf-8"), file.stem) for file in files}
