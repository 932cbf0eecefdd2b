"""A simulated board: the lines of its port, their diodes, protection and chips, with faults that can be put in.

Every probe point is a node of one small circuit a net; a meter in diode mode reads from it, and so does a voltmeter
with a charger plugged in. Figures are plausible round numbers, invented; nothing here knows how the program weighs a
reading.
"""

from __future__ import annotations

import math
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

import numpy as np

from chargepath.electrical.junction import Junction
from chargepath.knowledge.pinmaps import PinMap
from chargepath.standin.circuit import Circuit
from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import OPEN
from chargepath.standin.feed import SOURCE_V
from chargepath.standin.parts import BRIDGE_OHM, CARRIER_LEAK_OHM, WATER_OHM, beside

SIGNAL_GROUPS = ("data", "control", "sideband")
# Devices whose fault a whole sheet of probed lines should find.
ON_LINES = (
    "port_worn.contacts",
    "port_fouled.residue",
    "port_joint.open",
    "carrier_fault.open",
    "carrier_fault.leak",
    "carrier_fault.data",
    "link_loose.power",
    "link_loose.data",
    "guard_open",
    "input_short.hard",
    "input_short.leak",
    "port_ic_fault.lines",
    "charge_ic_leak.input",
    "charge_part.open",
    "charge_part.short",
    "rail_short.hard",
    "rail_short.leak",
    "battery_sense.open",
    "battery_sense.leak",
)
# The rungs of a ladder to the nodes of the charge path; the source's own resistance without its cable [ohm].
RUNGS = {"plug": "plug", "carrier": "port", "link": "link", "guard": "guard", "charge_ic": "guard"}
SUPPLY_OHM = 0.02
RING = ("vin", "cin", "mid", "sw", "inductor", "sys", "sense_in", "sense", "sense_out", "vbat")
SENSE = ("data", "clock", "ntc", "ident")


@dataclass(frozen=True)
class StandinDiodeMeter:
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
    """The lines of one device, built as its model is.

    Attributes
    ----------
    model : BoardModel
    device : StandinDevice
        What is wrong with it and how; which pins and lines that hits is drawn here, from its seed.
    lifted : set of str
        Chips that have been taken off: 'port_ic', 'charge_ic'.

    """

    model: BoardModel
    device: StandinDevice
    lifted: set[str] = field(default_factory=set)
    leaks: dict[str, float] = field(default_factory=dict)
    breaks: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        seed, faults = self.device.seed, self.device.faults
        self._rng = np.random.default_rng([self.model.seed, seed, 5])
        self._noise = np.random.default_rng([self.model.seed, seed, 9])
        self._spread = {name: float(self._rng.normal(0, 0.16)) for name in sorted(self.model.readings)}
        self._put_port(faults)
        self._put_carrier_and_link(faults)
        self._put_chips(faults)
        self._put_battery_side(faults)

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

    def _put_port(self, faults: AbstractSet[str]) -> None:
        parts, power, pin = self.device.parts, self._power(), self.model.pins.pin
        mine = [name for name in pin if pin[name] == power]
        for name in mine:
            self.breaks[f"pin {name}"] = self.device.joints(faults) * len(mine)
        others = [name for name in pin if pin[name] != power and pin[name] not in self.model.unfitted]
        for fault in sorted({"port_worn", "port_joint", "torn_pad"} & self.device.opened):
            for name in self._some(others, 1, 1 if fault == "torn_pad" else 4):
                self.breaks[f"pin {name}"] = OPEN if self._rng.random() < 0.75 else self._ohms(300, 20_000)
        if "port_fouled" in faults and parts.corroded and parts.residue:
            nets = [*self._signals(), power]
            start = int(self._rng.integers(0, len(nets)))
            for step in range(int(self._rng.integers(2, 6))):
                self._leaks_at(f"{nets[(start + step) % len(nets)]} pads", self._ohms(80, 1500))
        if "solder_bridge" in faults:
            net = power if parts.bridge_power else self._some(self._signals(), 1, 1)[0]
            self._leaks_at(f"{net} pads", BRIDGE_OHM)

    def _put_carrier_and_link(self, faults: AbstractSet[str]) -> None:
        feed, power = self.device.feed(), self._power()
        self.breaks[f"{power} carrier"], self.breaks[f"{power} link"] = feed.carrier, feed.link
        if "carrier_fault" in faults and self.device.parts.carrier_leaks:
            self._leaks_at(f"{power} pads", CARRIER_LEAK_OHM)
        if "carrier_fault" in self.device.opened:
            self.breaks[f"{self._some(self._signals(), 1, 1)[0]} carrier"] = OPEN
        if {"link_loose", "link_damaged", "spring_contacts"} & self.device.opened:
            for net in self._some(self._signals(), 2, 9):
                self.breaks[f"{net} link"] = OPEN

    def _put_chips(self, faults: AbstractSet[str]) -> None:
        parts = self.device.parts
        if "guard_open" in faults:
            self.breaks["guard"] = OPEN
        if "input_short" in faults:
            self._leaks_at(f"{self._power()} board_in", parts.input_leak)
        if "port_ic_fault" in faults and parts.port_lines_low:
            for net in self._some(self._signals(), 1, 4):
                self._leaks_at(f"{net} chip", parts.port_leak)
        if "charge_ic_leak" in faults:
            self._leaks_at("vin" if parts.leak_on_input else "vbat", parts.ic_leak)
            if parts.leak_on_input and self._rng.random() < 0.6:
                self._leaks_at("mid", self._ohms(0.5, 500))
        if "charge_part" in faults and parts.part_open:
            self.breaks[self._some(["inductor", "sense"], 1, 1)[0]] = OPEN
        elif "charge_part" in faults:
            self._leaks_at("mid", self._ohms(0.1, 5))

    def _put_battery_side(self, faults: AbstractSet[str]) -> None:
        parts = self.device.parts
        water = parts.water_hits if "liquid_damage" in faults else ""
        if "rail_short" in faults:
            self._leaks_at("sys", parts.rail_ohm)
        if water == "rail":
            self._leaks_at("sys", WATER_OHM)
        if water == "sense" or "battery_sense" in faults:
            name = self._some(list(SENSE), 1, 1)[0]
            if "battery_sense" in faults and parts.sense_open:
                self.breaks[name] = OPEN
            else:
                self._leaks_at(name, self._ohms(0.5, 300))

    def _leaks_at(self, key: str, ohms: float) -> None:
        """Put a leak to ground [ohm] beside one that is there."""
        self.leaks[key] = beside(self.leaks.get(key, OPEN), ohms)

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
        """Surge diode, protection switch and everything around the charging IC."""
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
        for node in ("vin", "mid", "sys", "vbat"):
            if not (node in ("vin",) and "charge_ic" in self.lifted):
                self._leak(circuit, node, node)

    def _node(self, place: str, pin: str, net: str) -> str:
        if place == "contact":
            return f"contact {pin}"
        return {"alone_carrier": "pads", "alone_board": "board_in"}.get(place, place)

    def diode(self, place: str, pin: str, net: str, meter: StandinDiodeMeter) -> float:
        """What a meter in diode mode shows at a place [mV]; ``inf`` for overrange.

        Parameters
        ----------
        place : str
            Place id; 'inside' for the charging IC's ring and the battery's lines.
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

    def _inside(self, net: str, meter: StandinDiodeMeter) -> float:
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

    def ladder(self) -> tuple[dict[str, float], float]:
        """Volts at every rung with the shop's charger plugged in, and the current that flows [V], [A]."""
        feed = self.device.feed()
        drawn = self.device.amps() if feed.able else 0.0
        flows = feed.flows(drawn)
        volts = {"source": SOURCE_V - flows * SUPPLY_OHM}
        volts |= {rung: feed.volts(at, drawn) for rung, at in RUNGS.items()}
        shown = {rung: round(value + float(self._noise.normal(0, 0.004)), 2) for rung, value in volts.items()}
        return {rung: max(value, 0.0) for rung, value in shown.items()}, round(flows, 2)
