"""The stand-in USB power meter's protocol, without a socket or a clock (see docs/instrument-protocols.md)."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from chargepath.standin.bench import StandinBench
from chargepath.standin.device import DIRECTIONS
from chargepath.standin.faults import BY_NAME

RATE = 10.0
NAME, VERSION = "rainfront-meter", 1


class StandinMeter:
    """A meter with the bench's device on it: `hello` once, `sample` for each tick, `command` for each line."""

    def __init__(self, bench: StandinBench | None = None, rate: float = RATE, seed: int = 1) -> None:
        self.bench, self.rate = bench or StandinBench(), rate
        self._now = 0.0
        self._rng = np.random.default_rng(seed)

    def hello(self) -> str:
        """The line that greets a client."""
        about = {"hello": NAME, "version": VERSION, "rate": self.rate, "simulated": True}
        return json.dumps({**about, "devices": dict(BY_NAME), "leans": list(DIRECTIONS), "device": self.bench.name})

    def sample(self) -> str:
        """Advance by one tick and return its line: seconds, volts, amps, data lines."""
        volts, amps = self.bench.device.step(1 / self.rate)
        self._now += 1 / self.rate
        amps = max(amps + float(self._rng.normal(0, 0.003)), 0.0) if amps else 0.0
        volts += float(self._rng.normal(0, 0.004))
        lines = 2.7 if self.bench.device.plugged else 0.0
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
        if problem:
            return json.dumps({"error": problem[0], "allowed": problem[1]})
        # Which device lies on the bench now is part of what it says of itself.
        return json.dumps({"ok": True, **(json.loads(self.hello()) if "device" in data else {})})

    def _apply(self, data: dict[str, Any]) -> tuple[str, Any] | None:
        if "device" in data:
            return self.bench.command(data)
        device, act = self.bench.device, data.get("do")
        if act == "lean" and data.get("to") in DIRECTIONS:
            device.lean = data["to"]
            return None
        changes: dict[str, dict[str, Any]] = {
            "plug": {"plugged": True},
            "unplug": {"plugged": False},
            "flip": {"flipped": not device.flipped},
            "on": {"powered": True},
            "off": {"powered": False},
            "shop_charger": {"charger": "shop"},
            "own_charger": {"charger": "own"},
        }
        if act not in changes:
            return "unknown command", [*changes, {"do": "lean", "to": list(DIRECTIONS)}]
        for name, value in changes[act].items():
            setattr(device, name, value)
        return None
