"""A simulated bench supply, on the cell of the bench's device or on its board in the cell's place, and a thermocouple
on the cell; both misbehave on request.

The supply speaks lines in the style of SCPI (docs/instrument-protocols.md).
"""

from __future__ import annotations

import json
from collections import deque
from collections.abc import Callable

from chargepath.standin.bench import StandinBench
from chargepath.standin.cell import ROOM_C, StandinCell
from chargepath.standin.device import SUPPLIED_V, UNPLUGGED
from chargepath.standin.faults import BY_NAME

NAME = "rainfront,bench supply,simulated,1"
# What the supply or the cell does wrong, and how else the supply's answers can go wrong on the way.
ACTS_UP = ("overshoot", "stuck", "silent", "garbage", "hot", "short", "open", "nan", "mute")
SPEAKS_ILL = ("drip", "double", "late", "endless", "hang_up")
MISBEHAVIOURS = ("none", *ACTS_UP, *SPEAKS_ILL)
CLIPS = ("cell", "board")
# What is asked beside the supply's own commands is answered whatever goes wrong.
BESIDE = ("SIM:", "SYST")


class StandinSupply:
    """A supply with one channel, clipped to the cell of the bench's device, or to its board."""

    def __init__(self, bench: StandinBench | None = None) -> None:
        self.bench, self.clipped = bench or StandinBench(), "cell"
        self.volts, self.amps, self.on, self.connected = 0.0, 0.0, False, True
        self.misbehaves, self.speed = "none", 1.0
        # What not every supply has: `plain` takes it away.
        self.plain, self.cuts_at_v, self.timer_s, self.off_at_hang_up = False, 0.0, 0.0, False
        # When OFF arrived, by the time that has passed here [s].
        self.seconds, self.offs = 0.0, deque[float](maxlen=200)
        self._errors: list[str] = []

    @property
    def cell(self) -> StandinCell:
        """The cell of the device on the bench."""
        return self.bench.cell

    def tick(self, seconds: float) -> None:
        """Let time pass."""
        self.seconds += seconds
        if self.on and self.timer_s:
            self.timer_s -= seconds
            if self.timer_s <= 0:
                self.on, self.timer_s = False, 0.0
        if self.on and self.cuts_at_v and self._measured()[0] > self.cuts_at_v:
            self.on = False
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
        beside = head.startswith(BESIDE)
        # Counted as it arrives, whatever becomes of it.
        if head == "OUTP" and rest.upper() in ("OFF", "0"):
            self.offs.append(self.seconds)
        if self.misbehaves in ("silent", "garbage") and not beside and head != "*IDN?":
            return None if self.misbehaves == "silent" else self._nonsense(head)
        if head.endswith("?"):
            if self.misbehaves == "mute" and not beside:
                return None
            return "nan" if self.misbehaves == "nan" and head.startswith("MEAS") else self._answer(head)
        act = self._acts().get(head)
        if act is None:
            self._errors.append(f'-113,"Undefined header;{head[:20]}"')
            return None
        try:
            act(rest)
        except (ValueError, IndexError):
            self._errors.append('-224,"Illegal parameter value"')
        return None

    def speaks(self, line: str) -> str:
        """How the answer to a line goes wrong on its way, one of `SPEAKS_ILL`; '' where it arrives as it is."""
        beside = line.strip().upper().startswith(BESIDE)
        return self.misbehaves if self.misbehaves in SPEAKS_ILL and not beside else ""

    def hung_up(self) -> None:
        """Whoever asked for it has hung up: the output goes off, where the supply has that."""
        if self.off_at_hang_up:
            self.on = self.off_at_hang_up = False

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
            # As a person who stands before it sees it, whatever it answers to others.
            "SIM:TRUTH?": json.dumps(
                {
                    "on": self.on,
                    "volts": self.volts,
                    "amps": self.amps,
                    "off_ages": [round(self.seconds - at, 2) for at in self.offs],
                }
            ),
        }
        if not self.plain:
            found |= {
                "VOLT:PROT?": f"{self.cuts_at_v:.3f}",
                "OUTP:TIM?": f"{self.timer_s:.3f}",
                "OUTP:HANG?": "1" if self.off_at_hang_up else "0",
            }
        if head not in found:
            self._errors.append(f'-113,"Undefined header;{head[:20]}"')
            return "9.91E37"
        return found[head]

    def _acts(self) -> dict[str, Callable[[str], None]]:
        had = {
            "VOLT:PROT": lambda text: self._set("cuts_at_v", text, 35.0),
            "OUTP:TIM": lambda text: self._set("timer_s", text, 86_400.0),
            "OUTP:HANG": lambda text: self._set("off_at_hang_up", text, 1.0),
        }
        return ({} if self.plain else had) | {
            "*CLS": lambda _: self._errors.clear(),
            "SIM:PLAIN": lambda text: self._set("plain", text, 1.0),
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
        setattr(self, name, bool(value) if isinstance(getattr(self, name), bool) else value)

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
