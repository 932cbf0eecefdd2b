"""The stand-in multimeter's protocol, without a socket or a clock (see docs/instrument-protocols.md)."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.board import BOARD_FAULTS, Board, BoardModel, DiodeMeter
from chargepath.standin.faults import GOOD

RATE, SETTLE = 10.0, 3
NAME, VERSION = "rainfront-multimeter", 1


class StandinMultimeter:
    """A multimeter in diode mode with a simulated board under its probe.

    Parameters
    ----------
    pins : callable
        Pin map of an id, None where there is none.
    model_seed : int
        Which invented model the boards are of.

    """

    def __init__(self, pins: Callable[[str], PinMap | None], model_seed: int = 700) -> None:
        self.pins, self.model_seed = pins, model_seed
        self.meter = DiodeMeter()
        self.fault, self.seed = GOOD, 1
        self._now, self._target, self._since = 0.0, math.inf, 0

    def hello(self) -> str:
        """The line that greets a client."""
        about = {"hello": NAME, "version": VERSION, "mode": "diode", "test_ma": self.meter.test_ma, "simulated": True}
        return json.dumps({**about, "boards": [GOOD, *BOARD_FAULTS]})

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
        return json.dumps({"error": problem} if problem else {"ok": True})

    def _apply(self, data: dict[str, Any]) -> str:
        if "board" in data:
            if data["board"] not in (GOOD, *BOARD_FAULTS):
                return f"unknown board; allowed: {', '.join((GOOD, *BOARD_FAULTS))}"
            self.fault = str(data["board"])
            self.seed = int(data["seed"]) if isinstance(data.get("seed"), int) else 1
            self._target = math.inf
            return ""
        touch = data.get("touch")
        if not isinstance(touch, dict):
            return "unknown command; allowed: board, touch"
        self._since = 0
        try:
            self._target = self._read(touch)
        except (KeyError, ArithmeticError):
            self._target = math.inf
            return "there is no such pin on the simulated board"
        return ""

    def _read(self, touch: dict[str, Any]) -> float:
        map_id, place, pin = str(touch["map"]), str(touch["place"]), str(touch["pin"])
        found, port = self.pins(map_id), self.pins("usb_c")
        if found is None or port is None:
            raise KeyError(map_id)
        board = Board(BoardModel.invent(self.model_seed, port), self.seed, self.fault)
        return board.diode(place, pin, found.pin[pin], self.meter)
