"""An instrument that is spoken to by its profile."""

from __future__ import annotations

import json
import math
import threading
import time
from collections import deque
from dataclasses import dataclass
from fnmatch import fnmatchcase
from typing import Any

from benchtalk.lines import WireLines
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import Wire, WirePlace, open_wire
from chargepath.instrument.profile import PROTECTIONS, InstrumentProfile
from chargepath.instrument.template import FITS, OF

# A stream is heard for so long before it counts as one of another profile [s].
HEARS_S = 2.0
# What an instrument that is none says of itself.
SIMULATED = "simulated"


@dataclass(frozen=True)
class TalkedReading:
    """A value that an instrument said.

    Attributes
    ----------
    quantity : str
    value : float
        In the unit that pages use (`chargepath.instrument.profile.WANTED`); ``inf`` for an overload.
    at : float
        When it was said, on the monotonic clock [s].

    """

    quantity: str
    value: float
    at: float

    def age(self, now: float | None = None) -> float:
        """How old it is [s]."""
        return (time.monotonic() if now is None else now) - self.at


def said_of_itself(identity: str) -> dict[str, Any]:
    """What an instrument that speaks our JSON lines says of itself; empty for any other."""
    try:
        found = json.loads(identity)
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def is_simulated(identity: str) -> bool:
    """Whether an instrument that says this of itself is a simulated one: only such a one is told to pretend."""
    return bool(said_of_itself(identity).get(SIMULATED)) if identity.startswith("{") else SIMULATED in identity


class Instrument:
    """One instrument: opened, read, set, closed.

    Parameters
    ----------
    profile : InstrumentProfile
    place : WirePlace

    Attributes
    ----------
    identity : str
        What it says of itself once it is open, '' where it says nothing.

    """

    def __init__(self, profile: InstrumentProfile, place: WirePlace) -> None:
        self.profile, self.place, self.identity = profile, place, ""
        self._wire: Wire | None = None
        self._lines: WireLines | None = None
        self._fits: deque[bool] = deque(maxlen=OF)
        self._changed = -math.inf
        self._woken = threading.Event()

    def open(self) -> None:
        """Connect, make sure that it is the one its profile describes, and set it up.

        Raises
        ------
        Trouble
            It is gone, silent, another one, or refuses what it is set to.

        """
        self.close()
        self._woken.clear()
        # Another one may answer at the same place now; what the last one said of itself is no longer so.
        self.identity = ""
        self._wire = open_wire(self.place)
        self._lines = WireLines(self._wire, self.profile.reach.ends, int(self.profile.reach.longest))
        self._fits.clear()
        try:
            if self.profile.identify:
                self._be_known()
            for line in self.profile.setup:
                self._send(line)
            if self.profile.setup:
                self._fine()
            if self.profile.acquire.way == "stream":
                self._hear_its_own()
        except Trouble:
            self.close()
            raise

    def close(self) -> None:
        """Close the connection. Closing it twice does nothing."""
        if self._wire is not None:
            self._wire.close()
        self._wire = self._lines = None

    def wake(self) -> None:
        """Wake the thread that waits for this instrument: it then gets a `Trouble`. Called from another thread."""
        self._woken.set()
        wire = self._wire
        if wire is not None:
            wire.wake()

    def read(self, quantity: str) -> TalkedReading:
        """Ask for one reading, and make sure that the answer is the one to this question.

        Raises
        ------
        Trouble
            There is no such reading now. Whatever kind it is, the instrument is to be opened anew.

        """
        lines, row = self._open_lines(), self.profile.measured[quantity]
        if lines.drop():
            raise Trouble(TroubleKind.STEP, "an answer came late")
        self._settle()
        self._send(row.ask)
        asked = time.monotonic()
        answer = lines.line(self.profile.acquire.deadline_s)
        if self.profile.acquire.step:
            self._send(self.profile.acquire.step)
            who = lines.line(self.profile.acquire.deadline_s)
            if who != self.identity:
                raise Trouble(TroubleKind.STEP, "its answers came late, or twice")
        found = self.profile.read(answer, quantity)
        if quantity not in found:
            raise Trouble(TroubleKind.BABBLE, f"it answered {_shown(answer)}, which is no reading")
        return TalkedReading(quantity, found[quantity], asked)

    def readings(self, *, every: bool = False) -> list[TalkedReading]:
        """Wait for a line that the instrument sends by itself, and return the readings in it, perhaps none.

        Of lines that have piled up it is the newest, or with `every` the one that came first.

        Raises
        ------
        Trouble
            It is silent, gone, says too much, or too few of its lines are as its profile says.

        """
        lines, within = self._open_lines(), self.profile.acquire.silent_s
        line = lines.line(within) if every else lines.newest(within)
        if self._greets(line):
            return []
        now, found = time.monotonic(), self.profile.read(line)
        self._fits.append(bool(found))
        if len(self._fits) == OF and sum(self._fits) < FITS:
            raise Trouble(
                TroubleKind.BABBLE, f"it says {_shown(line)}, and too few of its lines are as its profile says"
            )
        if sum(self._fits) < FITS:
            return []
        return [TalkedReading(quantity, value, now) for quantity, value in found.items()]

    def set(self, name: str, value: float) -> None:
        """Set volts, amps, or one of `PROTECTIONS`, and make sure that it was taken: a protection is read back.

        Raises
        ------
        Trouble
            It has no such setting, refused it, or keeps another value.

        """
        kept = self.profile.protection.get(name)
        template = kept.set if kept else getattr(self.profile.limit, name, "")
        if not template or not math.isfinite(value):
            raise Trouble(TroubleKind.REFUSED, f"it has no {name.replace('_', ' ')} that can be set")
        self._send(template.replace(f"{{{PROTECTIONS.get(name, name)}}}", f"{value:.4f}".rstrip("0").rstrip(".")))
        self._changed = time.monotonic()
        self._fine()
        if kept:
            said = self._asked(kept.read)
            if not math.isclose(_number(said), value, rel_tol=0.01, abs_tol=0.01):
                raise Trouble(TroubleKind.REFUSED, f"it keeps {_shown(said)} as its {name.replace('_', ' ')}")

    def output(self, *, on: bool) -> None:
        """Switch the output on or off, and ask the instrument whether it is.

        Raises
        ------
        Trouble
            It has none, or does not say that it is so.

        """
        commands = self.profile.output
        if not commands.on:
            raise Trouble(TroubleKind.REFUSED, "it has no output")
        self._send(commands.on if on else commands.off)
        self._changed = time.monotonic()
        if commands.state:
            said = self._asked(commands.state)
            if (said in commands.is_on) != on:
                raise Trouble(TroubleKind.REFUSED, f"its output is not {'on' if on else 'off'}: it says {_shown(said)}")

    def pretend(self, line: str) -> None:
        """Say something to a simulated instrument, which says of itself that it is one; nothing to a real one."""
        if is_simulated(self.identity):
            self._send(line)
            self._changed = time.monotonic()

    # How it is spoken to.

    def _open_lines(self) -> WireLines:
        if self._lines is None:
            raise Trouble(TroubleKind.GONE, "it is not open")
        return self._lines

    def _send(self, line: str) -> None:
        assert self._wire is not None
        self._wire.send((line + self.profile.reach.sends).encode())

    def _asked(self, question: str) -> str:
        self._send(question)
        return self._open_lines().line(self.profile.acquire.deadline_s)

    def _settle(self) -> None:
        left = self._changed + self.profile.acquire.settle_s - time.monotonic()
        if left > 0 and self._woken.wait(left):
            raise Trouble(TroubleKind.GONE, "it is being closed")

    def _be_known(self) -> None:
        lines = self._open_lines()
        lines.drop()
        self._send(self.profile.identify)
        self.identity = lines.line(self.profile.acquire.deadline_s)
        if not self.profile.is_it(self.identity):
            raise Trouble(TroubleKind.OTHER, f"it says that it is {_shown(self.identity)}")

    def _fine(self) -> None:
        """Make sure that it has no error; none is asked for where the profile names no question."""
        if not self.profile.error:
            return
        said = self._asked(self.profile.error)
        if not any(fnmatchcase(said, pattern) for pattern in self.profile.fine):
            raise Trouble(TroubleKind.REFUSED, f"it says {_shown(said)}")

    def _greets(self, line: str) -> bool:
        """Whether a line is one in which an instrument that speaks our JSON lines says what it is; it is kept."""
        greets = line.startswith("{") and '"hello"' in line
        self.identity = line if greets else self.identity
        return greets

    def _hear_its_own(self) -> None:
        """Hear lines until enough of the last ones are as the profile says."""
        until = time.monotonic() + HEARS_S
        lines, said = self._open_lines(), ""
        while sum(self._fits) < FITS:
            left = until - time.monotonic()
            if left <= 0:
                if not said:
                    raise Trouble(TroubleKind.SILENT, f"it said nothing for {HEARS_S:g} s")
                raise Trouble(TroubleKind.OTHER, f"it says {_shown(said)}, which is not as its profile says")
            try:
                said = lines.line(left)
            except Trouble as trouble:
                if trouble.kind is TroubleKind.SILENT and said:
                    continue
                raise
            if self._greets(said):
                continue
            self._fits.append(bool(self.profile.read(said)))


def _number(said: str) -> float:
    """The number that an answer is; nan for any other."""
    try:
        return float(said)
    except ValueError:
        return math.nan


def _shown(line: str) -> str:
    """A line as a person is shown it."""
    plain = "".join(sign if sign.isprintable() else "?" for sign in line[:40])
    return f"“{plain}…”" if len(line) > 40 else f"“{plain}”"
