"""A whole simulated device: source, contacts, path, chips, cell and firmware as a small circuit, with faults put into
its parts.

It answers every check by what the parts do, and a repair by what is mended. Frequencies, spreads and skill are its
own, invented apart from the knowledge: a second source of truth, to hold the program's judgement against.
"""

from __future__ import annotations

import math
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

import numpy as np

from chargepath.case.entries import Device
from chargepath.electrical.junction import Junction, reading_with_leak
from chargepath.standin.feed import TEST_A, Feed

# How often each fault comes in, as a share; by what was told where that matters (invented).
COMES_IN = {
    "source_weak": 8,
    "port_fouled": 17,
    "port_worn": 9,
    "port_joint": 8,
    "carrier_fault": 7,
    "link_loose": 4,
    "link_damaged": 3,
    "guard_open": 3,
    "input_short": 3,
    "port_ic_fault": 6,
    "charge_ic_fault": 5,
    "charge_ic_leak": 3,
    "charge_part": 2,
    "battery_flat": 5,
    "battery_worn": 10,
    "battery_sense": 3,
    "aux_absent": 1,
    "liquid_damage": 4,
    "rail_short": 2,
    "software_state": 4,
    "port_screws": 1,
    "spring_contacts": 1,
    "solder_bridge": 0.3,
    "torn_pad": 0.3,
    "ic_unpaired": 0.2,
}
TOLD: dict[str, tuple[float, dict[str, float]]] = {
    "liquid": (
        0.16,
        {
            "liquid_damage": 9,
            "link_damaged": 4,
            "port_ic_fault": 2,
            "charge_ic_leak": 2,
            "rail_short": 2,
            "carrier_fault": 2,
            "port_fouled": 1.4,
        },
    ),
    "drop": (0.18, {"port_joint": 3, "link_loose": 3, "battery_sense": 2, "port_worn": 1.5}),
    "opened_before": (0.14, {"link_loose": 4, "aux_absent": 5, "battery_sense": 4, "link_damaged": 2}),
    "battery_replaced": (0.08, {"battery_worn": 2, "battery_sense": 4, "link_loose": 2}),
    "cheap_accessory": (0.15, {"source_weak": 3, "port_ic_fault": 2.5, "guard_open": 2, "input_short": 2}),
    "flat_long": (0.08, {"battery_flat": 8, "battery_worn": 2.5}),
    "pocket_carried": (0.22, {"port_fouled": 3}),
    "port_replaced": (0.05, {"solder_bridge": 14, "torn_pad": 12, "port_joint": 3, "port_screws": 3}),
    "died_suddenly": (0.1, {"rail_short": 6, "charge_ic_leak": 3, "input_short": 3, "battery_worn": 1.5}),
}
NOTHING, SECOND = 0.03, 0.12
OPEN = math.inf
# Under the first a reading is a short; over the second, with a kilohm in the way, the line is as good as open.
SHORT_MV, HIGH_MV = 50.0, 1300.0
# How far current, looseness or percentage have to be off before a device is brought in; how often parts are drawn for
# that.
SLOW_A, SHAKY, DRAWS = 0.9, 0.1, 200
# How often a repair does what it is meant to, in these hands; harm by what it is (invented).
SKILL = {
    "advise_source": 0.99,
    "clean_port": 0.85,
    "reset_software": 0.6,
    "restore_software": 0.9,
    "leave_on_charge": 0.65,
    "polish_contacts": 0.85,
    "tighten_port": 0.95,
    "reinforce_port": 0.5,
    "bridge_pad": 0.75,
    "clear_bridge": 0.9,
    "replace_ic_pair": 0.8,
    "rejoin_board": 0.3,
    "recover_battery": 0.8,
    "reseat_links": 0.93,
    "replace_link": 0.95,
    "swap_carrier": 0.97,
    "resolder_port": 0.82,
    "replace_port": 0.92,
    "swap_battery": 0.97,
    "repair_sense": 0.75,
    "clean_board": 0.6,
    "repair_rail": 0.65,
    "replace_guard": 0.86,
    "replace_port_ic": 0.8,
    "replace_charge_part": 0.85,
    "replace_charge_ic": 0.78,
}
MENDS = {
    "advise_source": {"source_weak"},
    "clean_port": {"port_fouled"},
    "reset_software": {"software_state"},
    "restore_software": {"software_state"},
    "leave_on_charge": {"battery_flat"},
    "polish_contacts": {"spring_contacts"},
    "tighten_port": {"port_screws"},
    "reinforce_port": {"port_joint"},
    "bridge_pad": {"torn_pad"},
    "clear_bridge": {"solder_bridge"},
    "replace_ic_pair": {"ic_unpaired", "port_ic_fault"},
    "rejoin_board": {"liquid_damage"},
    "recover_battery": {"battery_flat"},
    "reseat_links": {"link_loose", "aux_absent"},
    "replace_link": {"link_loose", "link_damaged"},
    "resolder_port": {"port_joint"},
    "swap_carrier": {
        "port_fouled",
        "port_worn",
        "port_joint",
        "carrier_fault",
        "solder_bridge",
        "torn_pad",
        "port_screws",
    },
    "replace_port": {"port_fouled", "port_worn", "port_joint", "solder_bridge"},
    "swap_battery": {"battery_worn", "battery_flat"},
    "repair_sense": {"battery_sense"},
    "clean_board": {"liquid_damage", "spring_contacts"},
    "repair_rail": {"rail_short"},
    "replace_guard": {"guard_open", "input_short"},
    "replace_port_ic": {"port_ic_fault"},
    "replace_charge_part": {"charge_part"},
    "replace_charge_ic": {"charge_ic_fault", "charge_ic_leak"},
}
HARM = {
    "replace_port": 0.03,
    "replace_port_ic": 0.05,
    "replace_charge_ic": 0.05,
    "repair_rail": 0.04,
    "resolder_port": 0.02,
}


@dataclass
class Whole:
    """One device on the bench; its parts are drawn from the seed, its faults are put into them."""

    device: Device
    history: tuple[str, ...]
    faults: set[str]
    seed: int
    charge_percent: float = 40.0
    _rng: np.random.Generator = field(default_factory=np.random.default_rng)
    _feeds: dict[tuple[frozenset[str], bool], Feed] = field(default_factory=dict)

    @classmethod
    def arrive(cls, seed: int) -> Whole:
        """A device as it comes in over the counter."""
        rng = np.random.default_rng([seed, 3])
        kind = "phone" if rng.random() < 0.7 else "tablet"
        connector = str(rng.choice(["usb_c", "micro_b", "eight_pad"], p=[0.6, 0.2, 0.2]))
        carrier = str(rng.choice(["sub_board", "flex", "none"], p=[0.5, 0.25, 0.25]))
        device = Device(kind, connector, carrier, bool(kind == "phone" and rng.random() < 0.35), 0.0)
        history = tuple(flag for flag, (chance, _) in TOLD.items() if rng.random() < chance)
        weights = {name: float(weight) for name, weight in COMES_IN.items()}
        for flag in history:
            for name, factor in TOLD[flag][1].items():
                weights[name] *= factor
        if carrier == "none":
            weights |= {"carrier_fault": 0.0, "link_loose": 0.5, "link_damaged": 0.3, "spring_contacts": 0.3}
        if device.wireless:
            weights["aux_absent"] *= 3
        total = sum(weights.values())
        names, shares = list(weights), [weight / total for weight in weights.values()]
        count = 0 if rng.random() < NOTHING else 2 if rng.random() < SECOND else 1
        faults = {str(name) for name in rng.choice(names, count, replace=False, p=shares)}
        made = cls(device, history, faults, seed)
        made._rng = np.random.default_rng([seed, 7])
        for _ in range(DRAWS):
            made._draw()
            if all(made.felt(fault) for fault in made.faults):
                break
        return made

    def felt(self, fault: str) -> bool:
        """Whether this fault alone would make somebody bring the device in because it does not charge as it should."""
        others = self.faults - {fault}
        slow = self.amps(others, shop=False) < SLOW_A or self._one_way(others)
        odd = fault == "battery_worn" and self.report_odd
        return slow or odd or not self.starts(others) or self.shaky(others) > SHAKY

    def shaky(self, taken: AbstractSet[str] = frozenset()) -> float:
        """Chance that the charge drops out when the plug is moved."""
        loose = max([self.looseness[name] for name in self.looseness if self._in(name, taken)], default=0.0)
        return max(loose, 0.25 * self.lint if self._in("port_fouled", taken) else 0.0)

    def _one_way(self, taken: AbstractSet[str]) -> bool:
        return self._in("port_worn", taken) and self.one_side and self.device.connector != "micro_b"

    def _draw(self) -> None:
        """Draw the parts: how deep the lint, how bad the joint, where a leak and how large."""
        rng = self._rng
        self._feeds.clear()

        def spread(low: float, high: float) -> float:
            return float(math.exp(rng.uniform(math.log(low), math.log(high))))

        self.lint = float(rng.beta(2, 1.5)) if "port_fouled" in self.faults else float(rng.beta(1, 6))
        if "pocket_carried" in self.history:
            self.lint = max(self.lint, float(rng.beta(1.5, 3)))
        self.corroded = ("port_fouled" in self.faults and rng.random() < 0.2) or (
            "liquid" in self.history and rng.random() < 0.25
        )
        self.one_side = "port_worn" in self.faults and rng.random() < 0.45
        self.looseness = {
            "port_joint": float(rng.uniform(0.35, 1)),
            "port_worn": float(rng.uniform(0, 0.9)),
            "link_loose": float(rng.uniform(0, 0.35)),
            "port_screws": float(rng.uniform(0.3, 0.9)),
        }
        self.spring_ohm, self.pad_ohm = spread(0.6, 3000), spread(1, 5000)
        self.bridge_power, self.pad_power = rng.random() < 0.4, rng.random() < 0.45
        self.contact_ohm = spread(0.3, 60) if "port_fouled" in self.faults else spread(0.02, 0.06)
        self.worn_ohm, self.joint_ohm = spread(0.3, 400), spread(0.1, 2000)
        self.carrier_ohm, self.link_ohm, self.damaged_ohm = spread(0.6, 5000), spread(0.4, 5000), spread(0.5, 5000)
        self.source_ohm, self.source_limit = spread(0.7, 6), float(rng.uniform(0.15, 0.7))
        self.input_leak, self.port_leak = spread(0.3, 60), spread(1, 900)
        self.port_lines_low, self.ic_leak = rng.random() < 0.6, spread(1, 300)
        self.leak_on_input, self.part_open = rng.random() < 0.55, rng.random() < 0.6
        self.rail_ohm, self.cell_ohm = spread(0.1, 40), spread(0.25, 1.5)
        self.cell_dead, self.report_odd = rng.random() < 0.3, rng.random() < 0.6
        self.stops_flow, self.water_hits = rng.random() < 0.65, str(rng.choice(["charge", "rail", "sense", "idle"]))
        self.carrier_leaks, self.hung_dead = rng.random() < 0.25, rng.random() < 0.3
        self.charge_percent = (
            0.0 if self.flat else float(rng.choice([3, 12, 25, 48, 62], p=[0.3, 0.25, 0.2, 0.15, 0.1]))
        )

    @property
    def flat(self) -> bool:
        """Whether the cell is too low to start anything."""
        return "battery_flat" in self.faults or ("battery_worn" in self.faults and self.cell_dead)

    def _in(self, name: str, taken: AbstractSet[str]) -> bool:
        return name in self.faults and name not in taken

    def feed(self, taken: AbstractSet[str] = frozenset(), shop: bool = True) -> Feed:
        """The charge path as a circuit, with the shop's charger or the customer's."""
        there = frozenset(self.faults - taken)
        if (there, shop) not in self._feeds:
            weak = "source_weak" in there and not shop
            self._feeds[there, shop] = Feed(
                source_ohm=self.source_ohm if weak else 0.14,
                source_amps=self.source_limit if weak else 2.4,
                port=0.05
                + (self.contact_ohm if "port_fouled" in there else 0.0)
                + (self.worn_ohm if "port_worn" in there else 0.0)
                + (self.joint_ohm if "port_joint" in there else 0.0)
                + (self.pad_ohm if "torn_pad" in there and self.pad_power else 0.0),
                carrier=self.carrier_ohm if "carrier_fault" in there and not self.carrier_leaks else 0.03,
                link=0.05
                + (self.link_ohm if "link_loose" in there else 0.0)
                + (self.damaged_ohm if "link_damaged" in there else 0.0)
                + (self.spring_ohm if "spring_contacts" in there else 0.0),
                guard=OPEN if "guard_open" in there else 0.08,
                carrier_leak=_beside(
                    80.0 if "carrier_fault" in there and self.carrier_leaks else OPEN,
                    0.2 if "solder_bridge" in there and self.bridge_power else OPEN,
                ),
                input_leak=_beside(
                    self.input_leak if "input_short" in there else OPEN,
                    self.ic_leak if "charge_ic_leak" in there and self.leak_on_input else OPEN,
                ),
            )
        return self._feeds[there, shop]

    def starts(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether the device starts."""
        if self._in("rail_short", taken) or (self._in("battery_flat", taken)):
            return False
        if self._in("battery_worn", taken) and self.cell_dead:
            return False
        if self._in("charge_ic_leak", taken) and not self.leak_on_input and self.ic_leak < 30:
            return False
        return not (self._in("liquid_damage", taken) and self.water_hits == "rail") and not (
            self._in("software_state", taken) and self.hung_dead
        )

    def amps(self, taken: AbstractSet[str] = frozenset(), shop: bool = True) -> float:
        """Current that flows from the charger [A]."""
        feed = self.feed(taken, shop)
        if feed.able <= 0:
            return feed.wasted
        able = feed.able
        if self._in("carrier_fault", taken) and self.carrier_leaks:
            return min(able, 0.09 if self.stops_flow else 0.45)
        if self._in("charge_ic_fault", taken) or (self._in("charge_part", taken)):
            return min(able, 0.03 if self.stops_flow else 0.22)
        water = self.water_hits if self._in("liquid_damage", taken) else ""
        if water == "charge":
            return min(able, 0.05)
        if self._in("rail_short", taken) or self._in("charge_ic_leak", taken) or water == "rail":
            return min(able, 0.12)
        if self._in("battery_sense", taken) or self._in("aux_absent", taken):
            return min(able, 0.08 if self.stops_flow else 0.3)
        if water == "sense":
            return min(able, 0.1)
        handshake = ("port_ic_fault", "ic_unpaired", "torn_pad", "solder_bridge")
        if any(self._in(name, taken) for name in handshake):
            return min(able, 0.09 if self.stops_flow else 0.45)
        if self._in("battery_flat", taken):
            return min(able, 0.07)
        if self._in("battery_worn", taken):
            return min(able, 0.1 if self.cell_dead else 0.55 / self.cell_ohm)
        if self._in("software_state", taken):
            return min(able, 0.25)
        return min(able, 1.35 if self.device.kind == "phone" else 1.7)

    def drops(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether the charge drops out when the plug is moved now."""
        return bool(self._rng.random() < self.shaky(taken))

    def charges(self, taken: AbstractSet[str] = frozenset()) -> bool:
        """Whether it would pass a proof: enough current, both ways round, steady, and the percentage rises."""
        if self.amps(taken) < 0.6 or self._one_way(taken):
            return False
        if self._in("battery_worn", taken) and self.report_odd and self._rng.random() < 0.5:
            return False
        return not self.drops(taken) or self._rng.random() < 0.15

    def works(self, tried: str = "") -> bool:
        """Whether it charges, with a known-good part standing in where one is tried."""
        return self.charges(self._mended(tried)) if tried else self.charges()

    def _mended(self, route: str) -> set[str]:
        mends = set(MENDS.get(route, ()))
        if route == "swap_carrier" and self.device.carrier == "flex":
            mends |= {"link_loose", "link_damaged"}
        return mends

    def repair(self, route: str) -> bool:
        """Do a repair; what it mends goes with this shop's skill. Returns whether it did harm."""
        for fault in self.faults & self._mended(route):
            if self._rng.random() < SKILL[route]:
                self.faults.discard(fault)
        return bool(self._rng.random() < HARM.get(route, 0.004))

    def line(self, usual_mv: float, leak: float, opened: bool) -> str:
        """Grade of a diode reading of a line that is not on the charge path.

        Parameters
        ----------
        usual_mv : float
            What a good line reads [mV].
        leak : float
            To ground [ohm]; ``inf`` for none.
        opened : bool

        """
        usual = usual_mv * self.spread_of_boards()
        shown = reading_with_leak(Junction.through(usual / 1000, TEST_A), leak, TEST_A)
        return "open" if opened else self.read_off(shown * 1000, usual_mv)

    def power_line(self, at: str, usual_mv: float) -> str:
        """Grade of a diode reading of the input line, at a node of the path."""
        shown = self.feed().diode(at, usual_mv * self.spread_of_boards() / 1000)
        return "open" if math.isinf(shown) else self.read_off(shown * 1000, usual_mv)

    def spread_of_boards(self) -> float:
        """Draw this board's junction over the usual one."""
        return float(self._rng.normal(1, 0.02))

    def read_off(self, shown_mv: float, usual_mv: float) -> str:
        """Grade as a technician reads it off against a reference with the usual spread."""
        shown = shown_mv * float(self._rng.normal(1, 0.006))
        if shown > HIGH_MV:
            return "open"
        return "short" if shown < SHORT_MV else "low" if shown < 0.9 * usual_mv else "in_band"


def _beside(first: float, second: float) -> float:
    """Two resistances side by side [ohm]."""
    siemens = (0.0 if math.isinf(first) else 1 / first) + (0.0 if math.isinf(second) else 1 / second)
    return 1 / siemens if siemens else OPEN
