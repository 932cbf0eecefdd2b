"""The stand-in multimeter's protocol, without a socket or a clock (see docs/instrument-protocols.md)."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.bench import StandinBench
from chargepath.standin.board import Board, BoardModel, StandinDiodeMeter
from chargepath.standin.faults import BY_NAME

RATE, SETTLE = 10.0, 3
NAME, VERSION = "rainfront-multimeter", 1


class StandinMultimeter:
    """A multimeter in diode mode with the board of the bench's device under its probe.

    Parameters
    ----------
    pins : callable
        Pin map of an id, None where there is none.
    model_seed : int
        Which invented model the board is of.
    bench : StandinBench, optional

    """

    def __init__(
        self, pins: Callable[[str], PinMap | None], bench: StandinBench | None = None, model_seed: int = 700
    ) -> None:
        self.pins, self.model_seed, self.bench = pins, model_seed, bench or StandinBench()
        self.meter = StandinDiodeMeter()
        self._now, self._target, self._since = 0.0, math.inf, 0

    def hello(self) -> str:
        """The line that greets a client."""
        about = {"hello": NAME, "version": VERSION, "mode": "diode", "test_ma": self.meter.test_ma, "simulated": True}
        return json.dumps({**about, "devices": dict(BY_NAME), "device": self.bench.name})

    def sample(self) -> str:
        """Advance by one tick and return its line: seconds and millivolts, or overrange."""
        self._now += 1 / RATE
        self._since += 1
        shown = self._target if self._since > SETTLE else math.inf
        if self._since in (SETTLE, SETTLE + 1) and math.isfinite(self._target):
            shown = self._target * (0.8 if self._since == SETTLE else 0.97)
        when = round(self._now, 3)
        return json.dumps({"t": when, "ol": True} if math.isinf(shown) else {"t": when, "mv": round(shown, 1)})

    def command(self, line: str) -> str:
        """Carry a command line out and return the answer's line."""
        try:
            data = json.loads(line)
        except ValueError:
            data = None
        if not isinstance(data, dict):
            return json.dumps({"error": "not an object", "allowed": "one JSON object a line"})
        problem = self._apply(data)
        return json.dumps({"error": problem[0], "allowed": problem[1]} if problem else {"ok": True})

    def _apply(self, data: dict[str, Any]) -> tuple[str, Any] | None:
        if "device" in data:
            self._target = math.inf
            return self.bench.command(data)
        touch = data.get("touch")
        if not isinstance(touch, dict):
            return "unknown command", ["device", "touch"]
        self._since = 0
        try:
            self._target = self._read(touch)
        except (KeyError, ArithmeticError):
            self._target = math.inf
            return "there is no such pin on the simulated board", "a pin of the map, at one of its places"
        return None

    def _read(self, touch: dict[str, Any]) -> float:
        map_id, place, pin = str(touch["map"]), str(touch["place"]), str(touch["pin"])
        found, port = self.pins(map_id), self.pins("usb_c")
        if found is None or port is None:
            raise KeyError(map_id)
        board = Board(BoardModel.invent(self.model_seed, port), self.bench.device)
        return board.diode(place, pin, found.pin[pin], self.meter)
