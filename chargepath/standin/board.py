"""A simulated board: the lines of its port, their diodes, protection and chips, with faults that can be put in.

Every probe point is a node of one small circuit a net; a meter in diode mode reads from it, and so does a voltmeter
with a charger plugged in. Figures are plausible round numbers, invented; nothing here knows how the program weighs a
reading.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from chargepath.electrical.junction import Junction
from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.circuit import Circuit
from chargepath.standin.faults import GOOD

SIGNAL_GROUPS = ("data", "control", "sideband")
# Fault (see faults.py) to the station where it sits.
BOARD_FAULTS = {
    "port_worn": "port",
    "port_fouled": "port",
    "carrier_fault.open": "carrier",
    "carrier_fault.leak": "carrier",
    "link_loose": "link",
    "guard_open": "guard",
    "input_short": "guard",
    "port_ic_fault": "port_ic",
    "charge_ic_leak": "charge_ic",
    "charge_part": "charge_ic",
    "rail_short": "board",
    "battery_sense": "battery_link",
}
RING = ("vin", "cin", "mid", "sw", "inductor", "sys", "sense_in", "sense", "sense_out", "vbat")
SENSE = ("data", "clock", "ntc", "ident")
OPEN = math.inf


@dataclass(frozen=True)
class DiodeMeter:
    """A meter in diode mode: test current [mA], where it shows overrange [mV], what it scatters by."""

    test_ma: float = 1.0
    overrange_mv: float = 2900.0
    share_error: float = 0.004
    digit_mv: float = 1.0


@dataclass(frozen=True)
class BoardModel:
    """One model of device: what its lines read on a typical board [mV at 1 mA], and how it is built."""

    seed: int
    pins: PinMap
    readings: dict[str, float]
    unfitted: frozenset[str]
    protected: bool
    carrier_clamp: bool

    @classmethod
    def invent(cls, seed: int, pins: PinMap) -> BoardModel:
        """Draw a model."""
        rng = np.random.default_rng(seed)
        readings: dict[str, float] = {}
        for net in pins.nets.values():
            family = net.label.rstrip("12+-") or net.label
            base = readings.get(f"~{family}") or float(rng.uniform(430, 720))
            readings[f"~{family}"] = base
            readings[net.id] = base + float(rng.normal(0, 4))
        for name, low, high in (
            ("surge", 520, 640),
            ("vin", 430, 520),
            ("mid", 470, 560),
            ("sw", 430, 500),
            ("sys", 330, 430),
            ("vbat", 560, 690),
            ("data", 520, 680),
            ("clock", 520, 680),
            ("ntc", 560, 700),
            ("ident", 560, 700),
        ):
            readings[name] = float(rng.uniform(low, high))
        optional = [net.id for net in pins.nets.values() if net.optional]
        fast = rng.random() < 0.35
        unfitted = frozenset(name for name in optional if not (fast or (name.startswith("sbu") and rng.random() < 0.7)))
        return cls(seed, pins, readings, unfitted, rng.random() < 0.88, rng.random() < 0.08)


@dataclass
class Board:
    """One device of a model, with at most one fault.

    Attributes
    ----------
    model : BoardModel
    seed : int
    fault : str
        A key of `BOARD_FAULTS`, or 'good'.
    lifted : set of str
        Chips that have been taken off: 'port_ic', 'charge_ic'.

    """

    model: BoardModel
    seed: int
    fault: str = GOOD
    lifted: set[str] = field(default_factory=set)
    leaks: dict[str, float] = field(default_factory=dict)
    breaks: dict[str, float] = field(default_factory=dict)
    _noise: np.random.Generator = field(default_factory=np.random.default_rng)

    def __post_init__(self) -> None:
        self._rng = np.random.default_rng([self.model.seed, self.seed, 5])
        self._noise = np.random.default_rng([self.model.seed, self.seed, 9])
        self._spread = {name: float(self._rng.normal(0, 0.16)) for name in sorted(self.model.readings)}
        if self.fault != GOOD:
            getattr(self, f"_put_{self.fault.replace('.', '_')}")()

    @property
    def station(self) -> str:
        """Where the fault sits."""
        return BOARD_FAULTS.get(self.fault, "")

    def _signals(self) -> list[str]:
        nets = self.model.pins.nets.values()
        return [net.id for net in nets if net.group in SIGNAL_GROUPS and net.id not in self.model.unfitted]

    def _power(self) -> str:
        return next(net.id for net in self.model.pins.nets.values() if net.group == "power")

    def _ohms(self, low: float, high: float) -> float:
        return float(math.exp(self._rng.uniform(math.log(low), math.log(high))))

    def _some(self, names: list[str], low: int, high: int) -> list[str]:
        count = int(self._rng.integers(low, high + 1))
        return [str(name) for name in self._rng.choice(names, min(count, len(names)), replace=False)]

    def _put_port_worn(self) -> None:
        fitted = [pin for pin in self.model.pins.pins if self.model.pins.pin[pin] not in self.model.unfitted]
        for pin in self._some(fitted, 1, 4):
            self.breaks[f"pin {pin}"] = OPEN if self._rng.random() < 0.75 else self._ohms(300, 20_000)

    def _put_port_fouled(self) -> None:
        nets = [*self._signals(), self._power()]
        start = int(self._rng.integers(0, len(nets)))
        count = int(self._rng.integers(2, 6))
        for step in range(min(count, len(nets))):
            self.leaks[f"{nets[(start + step) % len(nets)]} pads"] = self._ohms(80, 1500)

    def _put_carrier_fault_open(self) -> None:
        net = self._some([*self._signals(), self._power()], 1, 1)[0]
        self.breaks[f"{net} carrier"] = OPEN

    def _put_carrier_fault_leak(self) -> None:
        net = self._some([*self._signals(), self._power()], 1, 1)[0]
        self.leaks[f"{net} pads"] = self._ohms(0.3, 1200)

    def _put_link_loose(self) -> None:
        for net in self._some([*self._signals(), self._power()], 2, 9):
            self.breaks[f"{net} link"] = OPEN

    def _put_guard_open(self) -> None:
        self.breaks["guard"] = OPEN

    def _put_input_short(self) -> None:
        self.leaks[f"{self._power()} board_in"] = self._ohms(0.2, 300)

    def _put_port_ic_fault(self) -> None:
        for net in self._some(self._signals(), 1, 4):
            self.leaks[f"{net} chip"] = self._ohms(0.5, 1200)

    def _put_charge_ic_leak(self) -> None:
        self.leaks["vin"] = self._ohms(0.5, 500)
        if self._rng.random() < 0.6:
            self.leaks["mid"] = self._ohms(0.5, 500)

    def _put_charge_part(self) -> None:
        kind = self._some(["inductor", "sense", "mid"], 1, 1)[0]
        if kind == "mid":
            self.leaks["mid"] = self._ohms(0.1, 5)
        else:
            self.breaks[kind] = OPEN

    def _put_rail_short(self) -> None:
        self.leaks["sys"] = self._ohms(0.05, 60)

    def _put_battery_sense(self) -> None:
        name = self._some(list(SENSE), 1, 1)[0]
        if self._rng.random() < 0.6:
            self.breaks[name] = OPEN
        else:
            self.leaks[name] = self._ohms(0.5, 300)

    def _part(self, name: str, fallback: str = "") -> Junction:
        """A junction of this very board."""
        typical = self.model.readings.get(name) or self.model.readings[fallback]
        made = Junction.through(typical / 1000, 1e-3)
        return Junction(made.saturation_a * math.exp(self._spread.get(name, 0.0)), made.ideality)

    def _leak(self, circuit: Circuit, node: str, key: str) -> None:
        if key in self.leaks:
            circuit.resistor(node, "gnd", self.leaks[key])

    def _port_net(self, net: str, alone: str) -> Circuit:
        """One net from its contacts to the chip; `alone` is 'carrier' or 'board' where the link is unplugged."""
        circuit, power = Circuit(), net == self._power()
        for pin, name in self.model.pins.pin.items():
            if name == net:
                circuit.resistor(f"contact {pin}", "pads", 0.03 + self.breaks.get(f"pin {pin}", 0.0))
        circuit.resistor("pads", "carrier_out", 0.04 + self.breaks.get(f"{net} carrier", 0.0))
        link = OPEN if alone else 0.03 + self.breaks.get(f"{net} link", 0.0)
        circuit.resistor("carrier_out", "board_in", link)
        for node in ("pads", "board_in"):
            self._leak(circuit, node, f"{net} {node}")
        if self.model.carrier_clamp:
            circuit.junction("carrier_out", "gnd", self._part("surge"))
        if power:
            self._ring_into(circuit)
        elif net not in self.model.unfitted and "port_ic" not in self.lifted:
            circuit.resistor("board_in", "chip", 3.0)
            circuit.junction("chip", "gnd", self._part(net))
            self._leak(circuit, "chip", f"{net} chip")
        return circuit

    def _ring_into(self, circuit: Circuit) -> None:
        """Surge diode, protection switch and everything around the charge controller."""
        circuit.junction("board_in", "gnd", self._part("surge"))
        broken = self.breaks.get("guard", 0.0)
        if not self.model.protected:
            circuit.resistor("board_in", "vin", 0.03 + broken)
        elif not broken:
            circuit.junction("board_in", "vin", self._part("surge"))
        circuit.resistor("vin", "cin", 0.01)
        circuit.resistor("sw", "sys", 0.03 + self.breaks.get("inductor", 0.0))
        circuit.resistor("sys", "sense_in", 0.005)
        circuit.resistor("sense_in", "sense_out", 0.01 + self.breaks.get("sense", 0.0))
        circuit.resistor("sense_out", "vbat", 0.005)
        circuit.junction("sys", "gnd", self._part("sys"))
        circuit.junction("vbat", "gnd", self._part("vbat"))
        if "charge_ic" not in self.lifted:
            for node in ("vin", "mid", "sw"):
                circuit.junction(node, "gnd", self._part(node))
        for node in ("vin", "mid", "sys"):
            if not (node in ("vin",) and "charge_ic" in self.lifted):
                self._leak(circuit, node, node)

    def _node(self, place: str, pin: str, net: str) -> str:
        if place == "contact":
            return f"contact {pin}"
        return {"alone_carrier": "pads", "alone_board": "board_in"}.get(place, place)

    def diode(self, place: str, pin: str, net: str, meter: DiodeMeter) -> float:
        """What a meter in diode mode shows at a place [mV]; ``inf`` for overrange.

        Parameters
        ----------
        place : str
            Place id; 'inside' for the charge controller's ring and the battery's lines.
        pin, net : str
        meter : DiodeMeter

        """
        if place == "inside":
            volts = self._inside(net, meter)
        elif self.model.pins.nets[net].group == "ground":
            ohms = self.breaks.get(f"pin {pin}", 0.0) if place == "contact" else 0.0
            volts = meter.test_ma / 1000 * ohms
        else:
            alone = {"alone_carrier": "carrier", "alone_board": "board"}.get(place, "")
            circuit = self._port_net(net, alone)
            volts = circuit.solve(self._node(place, pin, net), meter.test_ma / 1000)[self._node(place, pin, net)]
        shown = volts * 1000
        if shown > meter.overrange_mv:
            return math.inf
        shown *= 1 + float(self._noise.normal(0, meter.share_error))
        return max(round(shown / meter.digit_mv) * meter.digit_mv, 0.0)

    def _inside(self, net: str, meter: DiodeMeter) -> float:
        circuit = Circuit()
        if net in SENSE:
            circuit.resistor("probe", "line", 1.0 + self.breaks.get(net, 0.0))
            circuit.junction("line", "gnd", self._part(net))
            self._leak(circuit, "line", net)
            return circuit.solve("probe", meter.test_ma / 1000)["probe"]
        if net == "minus":
            return 0.0
        if net in ("inductor", "sense"):
            return min(meter.test_ma / 1000 * (0.03 + self.breaks.get(net, 0.0)), 9.0)
        name = "vbat" if net == "plus" else net
        self._ring_into(circuit)
        self._leak(circuit, "board_in", f"{self._power()} board_in")
        return circuit.solve(name, meter.test_ma / 1000)[name]

    def ladder(self, amps: float = 1.0) -> tuple[dict[str, float], float]:
        """Volts at every rung with a charger plugged in, and the current that flows [V], [A]."""
        power = self._power()
        contacts = [pin for pin, net in self.model.pins.pin.items() if net == power]
        through = sum(1 / (0.03 + self.breaks.get(f"pin {pin}", 0.0)) for pin in contacts)
        ohms = {
            "plug": 0.12,
            "carrier": 1 / through if through > 0 else OPEN,
            "link": 0.05 + self.breaks.get(f"{power} carrier", 0.0) + self.breaks.get(f"{power} link", 0.0),
            "guard": 0.06 + self.breaks.get("guard", 0.0),
            "charge_ic": 0.015,
        }
        leaks = {"carrier": f"{power} pads", "link": f"{power} board_in", "charge_ic": "vin"}
        circuit = Circuit()
        circuit.supply("source", 5.1, 0.02)
        before = "source"
        for rung, value in ohms.items():
            circuit.resistor(before, rung, value)
            self._leak(circuit, rung, leaks.get(rung, ""))
            before = rung
        idle = circuit.solve()
        draws = amps if idle["charge_ic"] > 4.3 and self.fault not in ("charge_ic", "charge_part") else 0.0
        volts = circuit.solve("charge_ic", -draws)
        flows = (5.1 - volts["source"]) / 0.02
        shown = {rung: round(volts[rung] + float(self._noise.normal(0, 0.004)), 2) for rung in ("source", *ohms)}
        return {rung: max(value, 0.0) for rung, value in shown.items()}, round(max(flows, 0.0), 2)
