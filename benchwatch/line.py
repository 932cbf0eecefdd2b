"""One connection to a supply, where each question has one deadline, however slowly its answer drips in.

Only the standard library is imported here: switching off is the first act of a process that has just started.
"""

from __future__ import annotations

import math
import socket
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from types import TracebackType

# A call, a question and a whole round of questions may take so long [s].
CONNECT_S, ASK_S, ROUND_S = 1.0, 2.0, 2.0
LONGEST_BYTES, LONGEST_WAITING = 512, 65_536
# Instruments say so much where they measure nothing or too much; no bench has such volts or amps.
MOST = 1e6
SIMULATED = "rainfront,bench supply,simulated"
# After the volts that were set, a supply that can cuts by itself at so much more [V].
PROTECTION_OVER_V = 0.1


class LineError(Exception):
    """The supply cannot be reached, does not answer in time, or answers what cannot be."""


@dataclass(frozen=True, kw_only=True)
class Address:
    """Where a supply answers, and where the thermocouple beside it does, if there is one."""

    host: str
    port: int
    thermo_port: int | None = None

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"


@dataclass(frozen=True, kw_only=True)
class Held:
    """What the supply itself holds without anybody's help, as it was read back.

    Attributes
    ----------
    volts, amps : float
        Its limits.
    cuts_at_v : float or None
        It cuts the output by itself at these volts; None where it cannot.
    timer_s : float or None
        It cuts so long after it last heard of its timer; None where it has none.
    off_at_hang_up : bool
        It cuts when the connection breaks.

    """

    volts: float
    amps: float
    cuts_at_v: float | None = None
    timer_s: float | None = None
    off_at_hang_up: bool = False


@dataclass(kw_only=True)
class Line:
    """A connection to one supply.

    Attributes
    ----------
    at : Address
    fed : callable
        Called before each question: whoever watches this process sees that it is at work.
    name : str
        What the supply answered to `*IDN?` first; each round ends with the same question, and a round that ends with
        another answer is dropped, for its answers belong to other questions.

    Raises
    ------
    LineError
        When it is made and whenever something is asked.

    """

    at: Address
    fed: Callable[[], None] = lambda: None
    name: str = field(default="", init=False)
    _socket: socket.socket | None = field(default=None, init=False)
    _rest: bytes = field(default=b"", init=False)

    def __post_init__(self) -> None:
        self.call()

    def call(self) -> None:
        """Connect, anew where there was a connection: no late answer of the old one is taken for a new one."""
        self.close()
        self.fed()
        try:
            self._socket = socket.create_connection((self.at.host, self.at.port), timeout=CONNECT_S)
        except (OSError, ValueError, OverflowError) as error:
            raise LineError(f"cannot be reached ({getattr(error, 'strerror', None) or error})") from error
        self._rest, self.name = b"", ""

    def __enter__(self) -> Line:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Hang up."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None

    def say(self, text: str) -> None:
        """Send a line that has no answer."""
        if self._socket is None:
            raise LineError("does not listen")
        try:
            self._socket.settimeout(CONNECT_S)
            self._socket.sendall(text.encode() + b"\n")
        except OSError as error:
            raise LineError("does not listen") from error

    def ask(self, text: str, end: float | None = None) -> str:
        """Ask a question; its answer, by the time `end` of the monotonic clock at the latest."""
        self.fed()
        end = time.monotonic() + ASK_S if end is None else end
        self._forget_waiting()
        self.say(text)
        while b"\n" not in self._rest:
            left = end - time.monotonic()
            if left <= 0:
                raise LineError("does not answer")
            if len(self._rest) > LONGEST_BYTES:
                raise LineError("answers without an end")
            self._rest += self._receive(left)
        line, self._rest = self._rest.split(b"\n", 1)
        return line.decode("ascii", errors="replace").strip()

    def _receive(self, left: float) -> bytes:
        assert self._socket is not None
        try:
            self._socket.settimeout(left)
            data = self._socket.recv(4096)
        except TimeoutError as error:
            raise LineError("does not answer") from error
        except OSError as error:
            raise LineError("does not answer") from error
        if not data:
            raise LineError("hung up")
        return data

    def _forget_waiting(self) -> None:
        """Drop what came since the last question was answered: it answers nothing that was asked."""
        assert self._socket is not None or self._rest == b""
        self._rest, dropped = b"", 0
        if self._socket is None:
            raise LineError("does not listen")
        try:
            self._socket.setblocking(False)
            while data := self._socket.recv(4096):
                dropped += len(data)
                if dropped > LONGEST_WAITING:
                    raise LineError("answers without an end")
        except BlockingIOError:
            return
        except OSError as error:
            raise LineError("does not answer") from error
        raise LineError("hung up")

    def number(self, text: str, end: float | None = None) -> float:
        """Ask for a number."""
        answer = self.ask(text, end)
        try:
            found = float(answer)
        except ValueError:
            found = math.nan
        if not abs(found) < MOST:
            raise LineError(f"answers '{answer[:20]}' to {text}")
        return found

    def who(self, end: float | None = None) -> str:
        """Who answers; asked once a connection."""
        if not self.name:
            self.name = self.ask("*IDN?", end)
        return self.name

    @property
    def simulated(self) -> bool:
        """Whether the supply is a simulated one."""
        return self.name.startswith(SIMULATED)

    def pace(self) -> float:
        """How many times faster than the clock a simulated supply's time runs; 1 for a real one."""
        self.who()
        return self.number("SIM:SPEED?") if self.simulated else 1.0

    def _in_step(self, end: float) -> None:
        """See that the last answers belong to the last questions."""
        before = self.who(end)
        if self.ask("*IDN?", end) != before:
            raise LineError("answers out of step")

    def measured(self) -> tuple[float, float]:
        """Volts and amps, both within one deadline."""
        end = time.monotonic() + ROUND_S
        self.who(end)
        found = self.number("MEAS:VOLT?", end), self.number("MEAS:CURR?", end)
        self._in_step(end)
        return found

    def is_on(self) -> bool:
        """Whether the output reads back on."""
        end = time.monotonic() + ROUND_S
        self.who(end)
        answer = self.ask("OUTP?", end).upper()
        self._in_step(end)
        if answer not in ("0", "1", "ON", "OFF"):
            raise LineError(f"answers '{answer[:20]}' to OUTP?")
        return answer in ("1", "ON")

    def off(self) -> bool:
        """Switch the output off; whether it then reads back off. The command is sent before anything is asked."""
        self.say("OUTP OFF")
        return not self.is_on()

    def on(self) -> None:
        """Switch the output on."""
        self.say("OUTP ON")
        if not self.is_on():
            raise LineError("does not switch on")

    def tell(self, text: str) -> str:
        """Say something that has no answer; what it was refused with, '' where it was understood."""
        self.say(text)
        said = self.ask("SYST:ERR?")
        return "" if said.startswith(("0,", "+0,")) else said[:60]

    def _put(self, head: str, value: float) -> float:
        """Set a number and read it back."""
        refused = self.tell(f"{head} {value:.3f}")
        if refused:
            raise LineError(f"refuses {head} {value:g}: {refused}")
        found = self.number(f"{head}?")
        if not abs(found - value) <= 0.01:
            raise LineError(f"shows {found:g} where {value:g} was set")
        return found

    def _try_to_put(self, head: str, value: float) -> float | None:
        """Set a number that not every supply has; None where this one has not got it."""
        if self.tell(f"{head} {value:.3f}"):
            return None
        found = self.number(f"{head}?")
        return found if abs(found - value) <= 0.01 else None

    def limit(self, volts: float, amps: float, timer_s: float) -> Held:
        """Set what the supply holds by itself, and read it back: both limits, and the rest where it has it."""
        self.who()
        return Held(
            volts=self._put("VOLT", volts),
            amps=self._put("CURR", amps),
            cuts_at_v=self._try_to_put("VOLT:PROT", volts + PROTECTION_OVER_V),
            timer_s=self._try_to_put("OUTP:TIM", timer_s),
            off_at_hang_up=self._try_to_put("OUTP:HANG", 1.0) is not None,
        )
