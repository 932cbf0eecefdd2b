"""A small circuit solver: resistors and junctions between numbered nodes, a current put into one of them.

Node 0 is ground. Newton's method on the nodal equations; a step that does not bring them closer is halved. A node that
nothing holds but a tiny leak rises as far as the current pushes it: a meter shows that as overrange.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from chargepath.electrical.junction import Junction

# The board's own surface: 10 Mohm from every node to ground.
TINY_SIEMENS = 1e-7
STEPS, STRAIGHT_FROM, LEAP_V = 200, 40.0, 0.5
Array = npt.NDArray[np.float64]


@dataclass
class Circuit:
    """Elements between nodes; nodes are named and numbered as they turn up, 'gnd' is ground."""

    names: dict[str, int] = field(default_factory=lambda: {"gnd": 0})
    resistors: list[tuple[int, int, float]] = field(default_factory=list)
    junctions: list[tuple[int, int, Junction]] = field(default_factory=list)
    sources: list[tuple[int, float, float]] = field(default_factory=list)

    def node(self, name: str) -> int:
        """Number of a node."""
        return self.names.setdefault(name, len(self.names))

    def resistor(self, first: str, second: str, ohms: float) -> None:
        """Join two nodes by a resistance [ohm]; nothing for an infinite one."""
        if np.isfinite(ohms):
            self.resistors.append((self.node(first), self.node(second), max(ohms, 1e-4)))
        else:
            self.node(first), self.node(second)

    def junction(self, anode: str, cathode: str, made: Junction) -> None:
        """A junction that conducts from `anode` to `cathode`."""
        self.junctions.append((self.node(anode), self.node(cathode), made))

    def supply(self, name: str, volts: float, ohms: float) -> None:
        """A voltage behind a resistance, to ground.

        Parameters
        ----------
        name : str
            The node.
        volts : float
            [V]
        ohms : float
            [ohm]

        """
        self.sources.append((self.node(name), volts / ohms, 1 / ohms))

    def solve(self, into: str = "", amps: float = 0.0) -> dict[str, float]:
        """Volts of every node with a current put into one of them [V].

        Raises
        ------
        ArithmeticError
            It does not settle.

        """
        base, drive = self._linear()
        if into:
            drive[self.node(into)] += amps
        volts = np.zeros(len(self.names))
        flow, slopes = self._residual(volts, base, drive)
        for _ in range(STEPS):
            step = np.zeros_like(volts)
            step[1:] = np.linalg.solve(slopes[1:, 1:], -flow[1:])
            size, share = np.abs(flow[1:]).sum(), min(1.0, LEAP_V / max(self._leap(step), LEAP_V))
            while share > 1e-12:
                tried, tried_slopes = self._residual(volts + share * step, base, drive)
                if np.abs(tried[1:]).sum() <= size * (1 - 1e-4 * share):
                    break
                share /= 2
            volts, flow, slopes = volts + share * step, tried, tried_slopes
            if (np.abs(share * step) < 1e-8 * (1 + np.abs(volts))).all():
                return {name: float(volts[number]) for name, number in self.names.items()}
        raise ArithmeticError("the circuit does not settle")

    def _leap(self, step: Array) -> float:
        """The largest change across a junction [V]."""
        return max((abs(float(step[a] - step[b])) for a, b, _ in self.junctions), default=0.0)

    def _linear(self) -> tuple[Array, Array]:
        """Conductances between nodes and currents into them, of everything but the junctions."""
        n = len(self.names)
        base, drive = np.zeros((n, n)), np.zeros(n)
        np.fill_diagonal(base, TINY_SIEMENS)
        for a, b, ohms in self.resistors:
            base[[a, b], [a, b]] += 1 / ohms
            base[[a, b], [b, a]] -= 1 / ohms
        for at, current, siemens in self.sources:
            base[at, at] += siemens
            drive[at] += current
        return base, drive

    def _residual(self, volts: Array, base: Array, drive: Array) -> tuple[Array, Array]:
        """Current out of each node that nothing brings, and how it changes with the volts.

        A junction's exponential goes on as a straight line far above anything that a meter drives through it.
        """
        flow, slopes = base @ volts - drive, base.copy()
        for a, b, made in self.junctions:
            x = (volts[a] - volts[b]) / made.slope_v
            bent = min(x, STRAIGHT_FROM)
            grown = math.exp(bent)
            current = made.saturation_a * (grown * (1 + x - bent) - 1)
            siemens = made.saturation_a / made.slope_v * grown + 1e-12
            flow[a] += current
            flow[b] -= current
            slopes[a, a] += siemens
            slopes[b, b] += siemens
            slopes[a, b] -= siemens
            slopes[b, a] -= siemens
        return flow, slopes
