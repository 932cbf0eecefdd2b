"""Stand-ins of instruments that other profiles describe: text commands, lines of text, cells. All read the one bench.

Neither a socket nor a clock is in here: `line` is what a stand-in says next by itself, `answer` what it says to a line.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Protocol

from chargepath.standin.bench_supply import StandinSupply, StandinThermocouple
from chargepath.standin.board import Board, BoardModel
from chargepath.standin.meter import StandinMeter
from chargepath.standin.multimeter import StandinMultimeter

OPEN, OVERLOAD = "9.9E+37", "9.91E+37"


class Talker(Protocol):
    """What a stand-in says: by itself, or to what it is asked."""

    rate_hz: float

    def line(self) -> str:
        """What it says next by itself; '' for one that only answers."""
        ...

    def answer(self, line: str) -> str | None:
        """What it says to a line, None for nothing."""
        ...


class StandinRemoteMultimeter:
    """A bench multimeter that takes text commands.

    Its probe is put somewhere by `SIM:TOUCH map,place,pin`, on a test point of the ladder by `SIM:TOUCH rung`, on the
    cell by `SIM:TOUCH cell`, and lifted by `SIM:TOUCH`.
    """

    rate_hz, name = 0.0, "rainfront,multimeter,simulated,1"

    def __init__(self, multimeter: StandinMultimeter) -> None:
        self.multimeter = multimeter
        self._touched: tuple[str, ...] = ()

    def line(self) -> str:
        """Nothing by itself."""
        return ""

    def answer(self, line: str) -> str | None:
        """The answer to a command; None where it asks for nothing."""
        head, _, rest = line.strip().partition(" ")
        measured: dict[str, Callable[[], float]] = {
            "MEAS:DIOD?": lambda: self._diode_mv() / 1000,
            "MEAS:VOLT:DC?": self._volts,
            "MEAS:RES?": self._ohms,
            "MEAS:CONT?": self._ohms,
        }
        asked = head.upper()
        if asked == "SIM:TOUCH":
            self._touched = tuple(part.strip() for part in rest.split(",") if part.strip())
            return None
        if asked in measured:
            found = measured[asked]()
            return f"{found:.6E}" if math.isfinite(found) else OPEN
        said = {"*IDN?": self.name, "SYST:ERR?": '0,"No error"', "*CLS": None}
        return said.get(asked, OVERLOAD if asked.endswith("?") else None)

    def _diode_mv(self) -> float:
        found, port = self.multimeter.pins(self._touched[0]) if len(self._touched) == 3 else None, None
        port = self.multimeter.pins("usb_c")
        if found is None or port is None or self._touched[2] not in found.pin:
            return math.inf
        board = Board(BoardModel.invent(self.multimeter.model_seed, port), self.multimeter.bench.device)
        place, pin = self._touched[1], self._touched[2]
        return board.diode(place, pin, found.pin[pin], self.multimeter.meter)

    def _volts(self) -> float:
        bench = self.multimeter.bench
        if self._touched == ("cell",):
            return bench.cell.rest()
        port = self.multimeter.pins("usb_c")
        if len(self._touched) != 1 or port is None:
            return 0.0
        rungs, _ = Board(BoardModel.invent(self.multimeter.model_seed, port), bench.device).ladder()
        return rungs.get(self._touched[0], 0.0)

    def _ohms(self) -> float:
        """As a meter shows it that sends the test current of its diode mode: nothing that conducts is open."""
        return self._diode_mv() / self.multimeter.meter.test_ma


class StandinPowerStream:
    """A USB power meter that says a line of text ten times a second."""

    rate_hz = 10.0

    def __init__(self, meter: StandinMeter) -> None:
        self.meter = meter

    def line(self) -> str:
        """Volts, amps, and the volts of the data lines."""
        row = json.loads(self.meter.sample())
        return f"V: {row['v']:.3f}V A: {row['a']:.3f}A D+: {row['dp']:.2f} D-: {row['dm']:.2f}"

    def answer(self, line: str) -> str | None:
        """It takes no commands."""
        return None


class StandinCells:
    """A meter that says cells: seconds, volts, amps."""

    rate_hz = 10.0

    def __init__(self, meter: StandinMeter) -> None:
        self.meter = meter

    def line(self) -> str:
        """A row."""
        row = json.loads(self.meter.sample())
        return f"{row['t']:.3f},{row['v']:.3f},{row['a']:.3f}"

    def answer(self, line: str) -> str | None:
        """It takes no commands."""
        return None


class StandinThermoStream:
    """A thermocouple reader that says degrees four times a second."""

    rate_hz = 4.0

    def __init__(self, thermocouple: StandinThermocouple) -> None:
        self.thermocouple = thermocouple

    def line(self) -> str:
        """Degrees at its tip."""
        return f"T1: {json.loads(self.thermocouple.sample())['c']:.1f} C"

    def answer(self, line: str) -> str | None:
        """It takes no commands."""
        return None


class StandinPressureStream:
    """A pressure reader at a chamber that was drawn down and loses some of it, four times a second."""

    rate_hz = 4.0

    def __init__(self, depth_mbar: float = 200.0, lost_mbar_s: float = 1.0) -> None:
        self.depth_mbar, self.lost_mbar_s = depth_mbar, lost_mbar_s

    def line(self) -> str:
        """Pressure against the room."""
        self.depth_mbar = max(self.depth_mbar - self.lost_mbar_s / self.rate_hz, 0.0)
        return f"P: {-self.depth_mbar:.1f} mbar"

    def answer(self, line: str) -> str | None:
        """It takes no commands."""
        return None


class StandinOfOurs:
    """What speaks our own JSON lines, as a talker."""

    def __init__(self, speaks: StandinMeter | StandinMultimeter, rate_hz: float) -> None:
        self.speaks, self.rate_hz = speaks, rate_hz

    def hello(self) -> str:
        """What it says to whoever connects."""
        return self.speaks.hello()

    def line(self) -> str:
        """The line of one tick."""
        return self.speaks.sample()

    def answer(self, line: str) -> str | None:
        """The answer to a command."""
        return self.speaks.command(line)


class StandinTextSupply:
    """The bench supply, as a talker."""

    rate_hz = 0.0

    def __init__(self, supply: StandinSupply) -> None:
        self.supply = supply

    def line(self) -> str:
        """Nothing by itself."""
        return ""

    def answer(self, line: str) -> str | None:
        """The answer to a command."""
        return self.supply.command(line)
