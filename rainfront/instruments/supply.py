"""Talking with the bench supply, a line a question, and reading the thermocouple."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Sequence
from datetime import datetime, timedelta
from types import TracebackType

from chargepath.base.errors import ReadingError
from rainfront.instruments.live import connect, lines_of
from rainfront.instruments.models import Supply

ASKS_S, SIMULATED = 2.0, "rainfront,bench supply,simulated"
# A watch says every second that it holds the supply.
HELD = timedelta(seconds=10)


class BenchSupply:
    """A connection to the supply.

    Raises
    ------
    ReadingError
        It cannot be reached, does not answer, or answers something that is no number.

    """

    def __init__(self, at: Supply) -> None:
        self._at, self._name = at, f"supply {at}"
        self._socket: socket.socket | None = None
        self.connect()
        # Every supply says who it is; a simulated one also how much faster than the clock its time runs.
        self.simulated = self.ask("*IDN?").startswith(SIMULATED)
        self.pace = self.number("SIM:SPEED?") if self.simulated else 1.0

    def connect(self) -> None:
        """Call it, anew where it was called before: no late answer of the old line is taken for a new one."""
        self.close()
        self._socket = connect(self._at.host, self._at.port, str(self._at), "supply")
        self._socket.settimeout(ASKS_S)
        self._lines = lines_of(self._socket)

    def __enter__(self) -> BenchSupply:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Hang up."""
        if self._socket is not None:
            self._socket.close()

    def _send(self, text: str) -> None:
        assert self._socket is not None
        self._socket.sendall(text.encode() + b"\n")

    def ask(self, text: str) -> str:
        """Ask a question; its answer."""
        try:
            self._send(text)
            return next(self._lines).strip()
        except (OSError, StopIteration) as error:
            raise ReadingError(
                f"the {self._name} does not answer", "supply", "look at it, switch it off by hand"
            ) from error

    def number(self, text: str) -> float:
        """Ask for a number."""
        answer = self.ask(text)
        try:
            return float(answer)
        except ValueError:
            raise ReadingError(
                f"the {self._name} answers '{answer[:20]}' to {text}", "supply", "a number; look at its settings"
            ) from None

    def tell(self, text: str) -> None:
        """Say something that has no answer, and ask whether it was understood."""
        try:
            self._send(text)
        except OSError as error:
            raise ReadingError(
                f"the {self._name} does not listen", "supply", "look at it, switch it off by hand"
            ) from error
        said = self.ask("SYST:ERR?")
        if not said.startswith(("0,", "+0,")):
            raise ReadingError(
                f"the {self._name} refuses {text}: {said[:60]}", "supply", "another value, or its manual"
            )

    def set(self, volts: float, amps: float) -> None:
        """Set both limits, and see that they are set."""
        self.tell(f"VOLT {volts:.3f}")
        self.tell(f"CURR {amps:.3f}")
        for text, wanted in (("VOLT?", volts), ("CURR?", amps)):
            found = self.number(text)
            if abs(found - wanted) > 0.01:
                raise ReadingError(
                    f"the {self._name} shows {found:g} where {wanted:g} was set", "supply", "its range, its lock"
                )

    def switch(self, *, on: bool) -> bool:
        """Switch the output; whether it is as it was told."""
        self.tell(f"OUTP {'ON' if on else 'OFF'}")
        return self.ask("OUTP?") in (("1", "ON") if on else ("0", "OFF"))

    def pretend(self, lines: Sequence[str]) -> None:
        """Tell a simulated one what a person would do with it.

        Raises
        ------
        ReadingError
            It is a real one, or refuses a line.

        """
        if not self.simulated:
            raise ReadingError(f"the {self._name} is a real one", "supply", "do it by hand")
        for line in lines:
            self.tell(line)

    def measured(self) -> tuple[float, float]:
        """Volts and amps."""
        return self.number("MEAS:VOLT?"), self.number("MEAS:CURR?")


def simulated_devices(at: Supply) -> dict[str, str]:
    """Devices that can be put on a simulated bench, each with the words for its way; none where the supply is real."""
    try:
        with BenchSupply(at) as supply:
            found = json.loads(supply.ask("SIM:DEVICES?")) if supply.simulated else {}
    except (ReadingError, ValueError):
        return {}
    return {str(name): str(way) for name, way in found.items()} if isinstance(found, dict) else {}


class Thermocouple:
    """The newest temperature of the cell, read on a thread of its own; None where there is none or it fell silent."""

    def __init__(self, at: Supply) -> None:
        self.temp_c: float | None = None
        self._socket: socket.socket | None = None
        if at.thermo_port:
            try:
                self._socket = connect(at.host, at.thermo_port, f"{at.host}:{at.thermo_port}", "thermocouple")
            except ReadingError:
                return
            threading.Thread(target=self._read, name="thermocouple", daemon=True).start()

    def _read(self) -> None:
        assert self._socket is not None
        try:
            for line in lines_of(self._socket):
                try:
                    found = float(json.loads(line)["c"])
                except (ValueError, TypeError, KeyError):
                    continue
                self.temp_c = found if -60 < found < 200 else None
        except OSError:
            pass
        self.temp_c = None

    def close(self) -> None:
        """Hang up."""
        if self._socket is not None:
            self._socket.close()


def look_at(at: Supply, now: datetime) -> BenchSupply:
    """Call a supply to read it once: most supplies have one line, so not while a watch holds it.

    Raises
    ------
    ReadingError
        It is held, or cannot be reached.

    """
    if at.held_at is not None and now - at.held_at < HELD:
        raise ReadingError("the supply feeds a cell now", "supply", "its page shows what it reads")
    return BenchSupply(at)


def tell_thermocouple(at: Supply, act: str) -> None:
    """Have a simulated thermocouple come off the cell or stick to it.

    Raises
    ------
    ReadingError
        There is none, or it is a real one.

    """
    if not at.thermo_port:
        raise ReadingError("there is no thermocouple", "thermocouple", "put its port in")
    with connect(at.host, at.thermo_port, f"{at.host}:{at.thermo_port}", "thermocouple") as made:
        lines = lines_of(made)
        try:
            if not json.loads(next(lines)).get("simulated"):
                raise ReadingError("the thermocouple is a real one", "thermocouple", "do it by hand")
            made.sendall(json.dumps({"do": act}).encode() + b"\n")
            for line in lines:
                said = json.loads(line)
                if "ok" in said or "error" in said:
                    return
        except (OSError, ValueError, StopIteration, AttributeError) as error:
            raise ReadingError("the thermocouple does not answer", "thermocouple", "look at it") from error
