"""The stand-in USB power meter's protocol, without a socket or a clock (see docs/instrument-protocols.md)."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from chargepath.standin.device import DIRECTIONS, FAULTS, SHOP, WEAK, Device

RATE = 10.0
NAME, VERSION = "rainfront-meter", 1


class StandinMeter:
    """A meter with a device on it: `hello` once, `sample` for each tick, `command` for each line that comes in."""

    def __init__(self, rate: float = RATE, seed: int = 1) -> None:
        self.rate, self.seed = rate, seed
        self.device = Device(seed=seed)
        self._now = 0.0
        self._rng = np.random.default_rng(seed)

    def hello(self) -> str:
        """The line that greets a client."""
        about = {"hello": NAME, "version": VERSION, "rate": self.rate, "simulated": True}
        return json.dumps({**about, "devices": list(FAULTS), "leans": list(DIRECTIONS)})

    def sample(self) -> str:
        """Advance by one tick and return its line: seconds, volts, amps, data lines."""
        volts, amps = self.device.step(1 / self.rate)
        self._now += 1 / self.rate
        amps = max(amps + float(self._rng.normal(0, 0.003)), 0.0) if amps else 0.0
        volts += float(self._rng.normal(0, 0.004))
        lines = 2.7 if self.device.plugged else 0.0
        return json.dumps(
            {"t": round(self._now, 3), "v": round(volts, 3), "a": round(amps, 3), "dp": lines, "dm": lines}
        )

    def command(self, line: str) -> str:
        """Carry a command line out and return the answer's line; a bad one says what is allowed."""
        try:
            data = json.loads(line)
        except ValueError:
            return json.dumps({"error": "not JSON", "allowed": "one JSON object a line"})
        if not isinstance(data, dict):
            return json.dumps({"error": "not an object", "allowed": "one JSON object a line"})
        problem = self._apply(data)
        return json.dumps({"error": problem[0], "allowed": problem[1]} if problem else {"ok": True})

    def _apply(self, data: dict[str, Any]) -> tuple[str, Any] | None:
        if "device" in data:
            if data["device"] not in FAULTS:
                return "unknown device", list(FAULTS)
            percent = data.get("percent", 40)
            if isinstance(percent, bool) or not isinstance(percent, int | float) or not 0 <= percent <= 100:
                return "percent is not possible", "0 to 100"
            self.device = Device(fault=data["device"], percent=float(percent), seed=self.seed)
            return None
        changes: dict[str, dict[str, Any]] = {
            "plug": {"plugged": True},
            "unplug": {"plugged": False},
            "flip": {"flipped": not self.device.flipped},
            "on": {"powered": True},
            "off": {"powered": False},
            "shop_charger": {"charger": SHOP},
            "weak_charger": {"charger": WEAK},
        }
        act = data.get("do")
        if act == "lean" and data.get("to") in DIRECTIONS:
            self.device.lean = data["to"]
            return None
        if act not in changes:
            return "unknown command", [*changes, {"do": "lean", "to": list(DIRECTIONS)}]
        for name, value in changes[act].items():
            setattr(self.device, name, value)
        return None
