"""A simulated bench supply, on the cell of the bench's device or on its board in the cell's place, and a thermocouple
on the cell; both misbehave on request.

The supply speaks lines in the style of SCPI (docs/instrument-protocols.md).
"""

from __future__ import annotations

import json
from collections.abc import Callable

from chargepath.standin.bench import StandinBench
from chargepath.standin.cell import ROOM_C, StandinCell
from chargepath.standin.device import SUPPLIED_V, UNPLUGGED
from chargepath.standin.faults import BY_NAME

NAME = "rainfront,bench supply,simulated,1"
MISBEHAVIOURS = ("none", "overshoot", "stuck", "silent", "garbage", "hot", "short", "open")
CLIPS = ("cell", "board")


class StandinSupply:
    """A supply with one channel, clipped to the cell of the bench's device, or to its board."""

    def __init__(self, bench: StandinBench | None = None) -> None:
        self.bench, self.clipped = bench or StandinBench(), "cell"
        self.volts, self.amps, self.on, self.connected = 0.0, 0.0, False, True
        self.misbehaves, self.speed = "none", 1.0
        self._errors: list[str] = []

    @property
    def cell(self) -> StandinCell:
        """The cell of the device on the bench."""
        return self.bench.cell

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
        if self.clipped == "board":
            return (self.volts or SUPPLIED_V, self.bench.draws())
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
            "SIM:DEVICE?": self.bench.name,
            "SIM:DEVICES?": json.dumps(dict(BY_NAME)),
            "SIM:CLIP?": self.clipped,
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
            "SIM:DEVICE": self._put_device,
            "SIM:CLIP": self._clip,
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
        self.bench.device.cell = StandinCell(volts, capacity / 1000)
        self.clipped, self.on, self.misbehaves = "cell", False, "none"

    def _put_device(self, text: str) -> None:
        if self.bench.command({"device": text}):
            raise ValueError(text)

    def _clip(self, text: str) -> None:
        if text not in CLIPS:
            raise ValueError(text)
        self.clipped, self.on = text, False

    def _unplug(self, text: str) -> None:
        if self.clipped != "board" or text not in UNPLUGGED:
            raise ValueError(text)
        self.bench.unplugged.add(text)

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
