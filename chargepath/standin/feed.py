"""The charge path of a whole simulated device as a circuit: source, contacts, carrier, link, protection, the chips'
input, leaks.

Powered, the path is solved for what the chip at its end can draw; unpowered, a meter in diode mode drives its current
into it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from chargepath.electrical.junction import Junction
from chargepath.standin.circuit import Circuit

SOURCE_V, STARTS_V, HOLDS_V = 5.1, 4.0, 4.35
# A charger that is shorted tries again every so many seconds, and gives no more than this on average [A]; a meter in
# diode mode drives 1 mA and shows no more than 2 V.
FOLDS_EVERY_S, FOLDED_A, TEST_A, SHOWN_V, PROBE_A = 2.0, 0.4, 1e-3, 2.0, 0.05
PATH = ("port", "carrier", "link", "guard")


@dataclass(frozen=True)
class ChargerFeed:
    """The path with its faults in it: resistances of its stretches and leaks to ground [ohm], what the source can give
    [A].

    The stretches end at nodes of the same names; the charging IC's input is the node ``guard``.
    """

    source_ohm: float
    source_amps: float
    port: float
    carrier: float
    link: float
    guard: float
    carrier_leak: float
    input_leak: float

    def _path(self) -> Circuit:
        made, before = Circuit(), "plug"
        for name in PATH:
            made.resistor(before, name, getattr(self, name))
            before = name
        made.resistor("carrier", "gnd", self.carrier_leak)
        made.resistor("guard", "gnd", self.input_leak)
        return made

    def _powered(self, amps: float) -> dict[str, float]:
        made = self._path()
        made.supply("plug", SOURCE_V, self.source_ohm)
        return made.solve("guard", -amps)

    @cached_property
    def _unlimited(self) -> dict[str, float]:
        """Volts of every node while the chip draws nothing, from a source that gives whatever is taken [V]."""
        return self._powered(0.0)

    @cached_property
    def folds(self) -> bool:
        """Whether more is taken than the source gives while the chip draws nothing: it folds back."""
        return self._unlimited["guard"] < STARTS_V and self._taken > self.source_amps

    @property
    def _taken(self) -> float:
        return (SOURCE_V - self._unlimited["plug"]) / self.source_ohm

    @cached_property
    def load(self) -> float:
        """What the source looks into while the chip draws nothing [ohm]."""
        return self._unlimited["plug"] / max(self._taken, 1e-9)

    @cached_property
    def wasted(self) -> float:
        """What flows on average while the chip draws nothing [A]."""
        return min(FOLDED_A, self.source_amps) if self.folds else self._taken

    @cached_property
    def idle(self) -> dict[str, float]:
        """Volts of every node while the chip draws nothing [V]."""
        share = self.wasted / self._taken if self.folds else 1.0
        return {name: volts * share for name, volts in self._unlimited.items()}

    @cached_property
    def able(self) -> float:
        """Most that the chip can draw before its input falls to where it stops [A]; 0 where it does not start."""
        if self.idle["guard"] < STARTS_V:
            return 0.0
        ohms = (self.idle["guard"] - self._powered(PROBE_A)["guard"]) / PROBE_A
        return min(self.source_amps, max(self.idle["guard"] - HOLDS_V, 0.0) / ohms)

    def flows(self, amps: float) -> float:
        """What flows from the source while the chip draws so much [A]."""
        return max((SOURCE_V - self.volts("plug", amps)) / self.source_ohm, 0.0)

    def volts(self, at: str, amps: float) -> float:
        """Volts behind a stretch with a current drawn by the chip [V]."""
        return max(self._powered(min(amps, self.able))[at], 0.0) if amps > 0 else self.idle[at]

    def diode(self, at: str, usual_v: float) -> float:
        """What a meter in diode mode shows from a node to ground [V], `inf` for an open line."""
        made = self._path()
        made.junction("guard", "gnd", Junction.through(usual_v, TEST_A))
        shown = made.solve(at, TEST_A)[at]
        return shown if shown < SHOWN_V else math.inf
