"""A simulated bench supply with a simulated cell on it, and a thermocouple on the cell; both misbehave on request.

The supply speaks lines in the style of SCPI (docs/instrument-protocols.md). The cell is its own: a line of volts with a
bend near empty, ohms, heat; nothing of it is taken from the desk that reckons with cells.
"""

from __future__ import annotations

import json
from collections.abc import Callable

NAME = "rainfront,bench supply,simulated,1"
MISBEHAVIOURS = ("none", "overshoot", "stuck", "silent", "garbage", "hot", "short", "open")
PARTS = ("display", "camera", "sub_board", "other")
SMALL_A = 0.0015
ROOM_C = 22.0


class StandinCell:
    """A cell: share of charge, capacity [Ah], ohms, temperature [°C]."""

    def __init__(self, volts: float = 3.1, capacity_ah: float = 3.0) -> None:
        self.capacity_ah, self.ohms, self.temp_c = capacity_ah, 0.06 * 3.0 / capacity_ah, ROOM_C
        self.share = self._share(volts)

    @staticmethod
    def _share(volts: float) -> float:
        if volts < 3.0:
            return -0.012 * (3.0 - volts)
        return 0.08 * (volts - 3.0) / 0.5 if volts < 3.5 else 0.08 + 0.92 * (volts - 3.5) / 0.7

    def rest(self) -> float:
        """Volts at rest."""
        if self.share < 0:
            return 3.0 + self.share / 0.012
        return 3.0 + 0.5 * self.share / 0.08 if self.share < 0.08 else 3.5 + 0.7 * (self.share - 0.08) / 0.92

    def step(self, amps: float, seconds: float, warms: float = 0.0) -> None:
        """Take current for a while."""
        self.share += amps * seconds / 3600 / self.capacity_ah
        heat = amps * amps * self.ohms + warms
        self.temp_c += seconds * (heat - 0.25 * (self.temp_c - ROOM_C)) / 45.0


class StandinBoard:
    """A board without its battery whose standing draw one part takes: what each plugged part takes [A]."""

    def __init__(self, guilty: str, amps: float) -> None:
        self.takes = dict.fromkeys(PARTS, SMALL_A)
        self.takes[guilty] += amps
        self.own = SMALL_A

    def draws(self) -> float:
        """What flows now [A]."""
        return self.own + sum(self.takes.values())


class StandinSupply:
    """A supply with one channel; a cell is on it, or a board."""

    def __init__(self) -> None:
        self.cell = StandinCell()
        self.board: StandinBoard | None = None
        self.volts, self.amps, self.on, self.connected = 0.0, 0.0, False, True
        self.misbehaves, self.speed = "none", 1.0
        self._errors: list[str] = []

    def tick(self, seconds: float) -> None:
        """Let time pass."""
        left = seconds * self.speed
        while left > 0:
            step = min(left, 2.0)
            warms = 8.0 if self.misbehaves == "hot" and self.on else 0.0
            self.cell.step(self._measured()[1], step, warms)
            if self.misbehaves == "short" and self.on:
                self.cell.share -= 0.0006 * step
            left -= step

    def _measured(self) -> tuple[float, float]:
        if self.board is not None:
            return (self.volts or 3.8, self.board.draws())
        if not self.connected or self.misbehaves == "open":
            return (self.volts if self.on else 0.0), 0.0
        rest = self.cell.rest()
        if not self.on:
            return rest, 0.0
        volts = self.volts + (0.3 if self.misbehaves == "overshoot" else 0.0)
        amps = min((volts - rest) / self.cell.ohms, self.amps)
        return rest + amps * self.cell.ohms, amps

    def command(self, line: str) -> str | None:
        """Carry one line out; the answer to a question, None for none."""
        words = line.strip().split(None, 1)
        if not words:
            return None
        head, rest = words[0].upper(), words[1].strip() if len(words) > 1 else ""
        if self.misbehaves in ("silent", "garbage") and not head.startswith(("SIM:", "*IDN", "SYST")):
            return None if self.misbehaves == "silent" else self._nonsense(head)
        if head.endswith("?"):
            return self._answer(head)
        act = self._acts().get(head)
        if act is None:
            self._errors.append(f'-113,"Undefined header;{head[:20]}"')
            return None
        try:
            act(rest)
        except (ValueError, IndexError):
            self._errors.append('-224,"Illegal parameter value"')
        return None

    def _nonsense(self, head: str) -> str | None:
        """Answer a question with nonsense, and do nothing."""
        return "#4%!" if head.endswith("?") else None

    def _answer(self, head: str) -> str:
        volts, amps = self._measured()
        found = {
            "*IDN?": NAME,
            "VOLT?": f"{self.volts:.3f}",
            "CURR?": f"{self.amps:.3f}",
            "OUTP?": "1" if self.on else "0",
            "MEAS:VOLT?": f"{volts:.4f}",
            "MEAS:CURR?": f"{amps:.4f}",
            "SYST:ERR?": self._errors.pop(0) if self._errors else '0,"No error"',
            "SIM:MISB?": self.misbehaves,
            "SIM:SPEED?": f"{self.speed:g}",
        }
        if head not in found:
            self._errors.append(f'-113,"Undefined header;{head[:20]}"')
            return "9.91E37"
        return found[head]

    def _acts(self) -> dict[str, Callable[[str], None]]:
        return {
            "VOLT": lambda text: self._set("volts", text, 32.0),
            "CURR": lambda text: self._set("amps", text, 10.0),
            "OUTP": self._switch,
            "SIM:CELL": self._put_cell,
            "SIM:BOARD": self._put_board,
            "SIM:UNPLUG": self._unplug,
            "SIM:MISB": self._misbehave,
            "SIM:SPEED": lambda text: self._set("speed", text, 1000.0),
        }

    def _set(self, name: str, text: str, most: float) -> None:
        value = float(text)
        if not 0 <= value <= most:
            raise ValueError(text)
        setattr(self, name, value)

    def _switch(self, text: str) -> None:
        on = {"ON": True, "1": True, "OFF": False, "0": False}.get(text.upper())
        if on is None:
            raise ValueError(text)
        if not on and self.misbehaves == "stuck":
            return
        self.on = on

    def _put_cell(self, text: str) -> None:
        volts, capacity = (float(part) for part in text.split(","))
        self.cell, self.on, self.misbehaves = StandinCell(volts, capacity / 1000), False, "none"
        self.board = None

    def _put_board(self, text: str) -> None:
        guilty, amps = text.split(",")
        if guilty not in PARTS:
            raise ValueError(guilty)
        self.board = StandinBoard(guilty, float(amps))

    def _unplug(self, text: str) -> None:
        if self.board is None or text not in self.board.takes:
            raise ValueError(text)
        self.board.takes[text] = 0.0

    def _misbehave(self, text: str) -> None:
        if text not in MISBEHAVIOURS:
            raise ValueError(text)
        self.misbehaves = text


class StandinThermocouple:
    """A thermocouple taped to the simulated cell; its lines are JSON, as the meters' are."""

    def __init__(self, supply: StandinSupply) -> None:
        self.supply, self._now, self.comes_off = supply, 0.0, False

    def hello(self) -> str:
        """The line that greets a client."""
        return json.dumps({"hello": "rainfront-thermocouple", "version": 1, "simulated": True})

    def sample(self) -> str:
        """Advance by one tick and return its line."""
        self._now += 0.5
        shown = ROOM_C if self.comes_off else self.supply.cell.temp_c
        return json.dumps({"t": round(self._now, 1), "c": round(shown, 1)})

    def command(self, line: str) -> str:
        """`{"do": "come_off"}` and `{"do": "stick"}`."""
        try:
            data = json.loads(line)
        except ValueError:
            data = None
        act = data.get("do") if isinstance(data, dict) else None
        if act not in ("come_off", "stick"):
            return json.dumps({"error": "unknown command", "allowed": ["come_off", "stick"]})
        self.comes_off = act == "come_off"
        return json.dumps({"ok": True})
