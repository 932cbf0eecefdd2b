"""What a simulated device is made of: how deep the lint, how bad the joint, where a leak is and how large.

Frequencies and spreads are the device's own, invented apart from the knowledge.
"""

from __future__ import annotations

import math
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Any

import numpy as np

from chargepath.standin.faults import OPEN

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
    "charging_held": 2.5,
    "moisture_held": 1.8,
    "power_manager": 1,
    "dark_screen": 1.3,
    "power_key": 0.6,
    "pad_receiver": 1,
    "battery_refused": 0.8,
    "gauge_wrong": 1,
    "socket_damaged": 0.8,
    "cell_cut_off": 1.2,
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
            "moisture_held": 5,
            "power_manager": 2,
            "socket_damaged": 2.5,
        },
    ),
    "drop": (
        0.18,
        {
            "port_joint": 3,
            "link_loose": 3,
            "battery_sense": 2,
            "port_worn": 1.5,
            "dark_screen": 3,
            "power_key": 2,
        },
    ),
    "opened_before": (0.14, {"link_loose": 4, "aux_absent": 5, "battery_sense": 4, "link_damaged": 2}),
    "battery_replaced": (
        0.08,
        {
            "battery_worn": 2,
            "battery_sense": 4,
            "link_loose": 2,
            "battery_refused": 8,
            "gauge_wrong": 2,
            "socket_damaged": 3,
        },
    ),
    "cheap_accessory": (0.15, {"source_weak": 3, "port_ic_fault": 2.5, "guard_open": 2, "input_short": 2}),
    "flat_long": (0.08, {"battery_flat": 8, "battery_worn": 2.5, "cell_cut_off": 7}),
    "pocket_carried": (0.22, {"port_fouled": 3}),
    "port_replaced": (0.05, {"solder_bridge": 14, "torn_pad": 12, "port_joint": 3, "port_screws": 3}),
    "died_suddenly": (
        0.1,
        {"rail_short": 6, "charge_ic_leak": 3, "input_short": 3, "battery_worn": 1.5, "power_manager": 3},
    ),
}
# How often customers tell of a symptom: on a device without the faults named here, and how much oftener with each
# of them (invented).
SHOWS: dict[str, tuple[float, dict[str, float]]] = {
    "no_sign": (
        0.04,
        {
            "power_manager": 0.6,
            "power_key": 0.6,
            "dark_screen": 0.4,
            "rail_short": 0.5,
            "battery_flat": 0.4,
            "cell_cut_off": 0.5,
            "charge_ic_leak": 0.2,
        },
    ),
    "restarts": (0.03, {"battery_worn": 0.2, "battery_sense": 0.2, "aux_absent": 0.25, "socket_damaged": 0.25}),
    "knocked": (0.04, {"port_joint": 0.15, "port_worn": 0.1, "torn_pad": 0.2, "link_loose": 0.06}),
}
NOTHING, SECOND = 0.03, 0.12
# How often a fault that breaks contacts opens a data line too (invented).
OPENS = {
    "torn_pad": 0.95,
    "spring_contacts": 0.3,
    "port_worn": 0.35,
    "port_joint": 0.3,
    "link_damaged": 0.35,
    "link_loose": 0.3,
    "carrier_fault": 0.3,
    "port_fouled": 0.12,
}
RESIDUE_LEAKS, SENSE_OPENS, ONE_PART_TAKES = 0.35, 0.6, 0.2
WARM, SOCKET_OPENS = 0.3, 0.45
CARRIER_LEAK_OHM, BRIDGE_OHM, WATER_OHM, RESIDUE_OHM = 80.0, 0.2, 60.0, 700.0


@dataclass(frozen=True)
class Parts:
    """One draw of a device's parts; what a fault makes of them shows only while it is there.

    Resistances are in ohms; `source_limit` is in amps; looseness is the chance that the charge drops out when the plug
    is moved.

    Attributes
    ----------
    lint : float
        How full the port is, 0 to 1.
    opens : frozenset of str
        Faults that open a data line besides what they do to the power line.
    residue : bool
        Whether something conducts between data lines.
    rail_part : str
        Part that takes the standing draw of a shorted rail, '' where unplugging does not help.
    held_by : {'limit', 'warm'}
        What keeps a sound device from charging: a limit in its settings, or its temperature.
    socket_open : bool
        Whether a damaged battery socket has lost contact altogether.
    percent : float
        State of the cell as it comes in [%].

    """

    lint: float
    corroded: bool
    one_side: bool
    joint_loose: float
    worn_loose: float
    link_loose: float
    screws_loose: float
    spring_ohm: float
    pad_ohm: float
    bridge_power: bool
    pad_power: bool
    contact_ohm: float
    worn_ohm: float
    joint_ohm: float
    carrier_ohm: float
    link_ohm: float
    damaged_ohm: float
    source_ohm: float
    source_limit: float
    input_leak: float
    port_leak: float
    port_lines_low: bool
    ic_leak: float
    leak_on_input: bool
    part_open: bool
    rail_ohm: float
    cell_ohm: float
    cell_dead: bool
    report_odd: bool
    stops_flow: bool
    water_hits: str
    carrier_leaks: bool
    hung_dead: bool
    percent: float
    carrier_power: bool = True
    opens: frozenset[str] = frozenset()
    residue: bool = False
    sense_open: bool = True
    rail_part: str = ""
    held_by: str = "limit"
    socket_open: bool = False

    @classmethod
    def draw(cls, rng: np.random.Generator, faults: AbstractSet[str], history: tuple[str, ...]) -> Parts:
        """Draw the parts of a device with these faults and this history."""

        def spread(low: float, high: float) -> float:
            return float(math.exp(rng.uniform(math.log(low), math.log(high))))

        fouled = "port_fouled" in faults
        lint = float(rng.beta(2, 1.5)) if fouled else float(rng.beta(1, 6))
        if "pocket_carried" in history:
            lint = max(lint, float(rng.beta(1.5, 3)))
        drawn: dict[str, Any] = {
            "corroded": (fouled and rng.random() < 0.2) or ("liquid" in history and rng.random() < 0.25),
            "one_side": "port_worn" in faults and rng.random() < 0.45,
            "joint_loose": float(rng.uniform(0.35, 1)),
            "worn_loose": float(rng.uniform(0, 0.9)),
            "link_loose": float(rng.uniform(0, 0.35)),
            "screws_loose": float(rng.uniform(0.3, 0.9)),
            "spring_ohm": spread(0.6, 3000),
            "pad_ohm": spread(1, 5000),
            "bridge_power": rng.random() < 0.4,
            "pad_power": rng.random() < 0.45,
            "contact_ohm": spread(0.3, 60) if fouled else spread(0.02, 0.06),
            "worn_ohm": spread(0.3, 400),
            "joint_ohm": spread(0.1, 2000),
            "carrier_ohm": spread(0.6, 5000),
            "link_ohm": spread(0.4, 5000),
            "damaged_ohm": spread(0.5, 5000),
            "source_ohm": spread(0.7, 6),
            "source_limit": float(rng.uniform(0.15, 0.7)),
            "input_leak": spread(0.3, 60),
            "port_leak": spread(1, 900),
            "port_lines_low": rng.random() < 0.6,
            "ic_leak": spread(1, 300),
            "leak_on_input": rng.random() < 0.55,
            "part_open": rng.random() < 0.6,
            "rail_ohm": spread(0.1, 40),
            "cell_ohm": spread(0.25, 1.5),
            "cell_dead": rng.random() < 0.3,
            "report_odd": rng.random() < 0.6,
            "stops_flow": rng.random() < 0.65,
            "water_hits": str(rng.choice(["charge", "rail", "sense", "idle"])),
            "carrier_leaks": rng.random() < 0.25,
            "hung_dead": rng.random() < 0.3,
        }
        flat = "battery_flat" in faults or ("battery_worn" in faults and drawn["cell_dead"])
        percent = 0.0 if flat else float(rng.choice([3, 12, 25, 48, 62], p=[0.3, 0.25, 0.2, 0.15, 0.1]))
        return cls(lint=lint, percent=percent, **drawn)


def draw_lines(rng: np.random.Generator) -> dict[str, Any]:
    """Draw what the lines beside the power line show, as fields of `Parts`."""
    return {
        "opens": frozenset(name for name, chance in OPENS.items() if rng.random() < chance),
        "residue": bool(rng.random() < RESIDUE_LEAKS),
        "sense_open": bool(rng.random() < SENSE_OPENS),
        "rail_part": "other" if rng.random() < ONE_PART_TAKES else "",
        "held_by": "warm" if rng.random() < WARM else "limit",
        "socket_open": bool(rng.random() < SOCKET_OPENS),
    }


def beside(first: float, second: float) -> float:
    """Two resistances side by side [ohm]."""
    siemens = (0.0 if math.isinf(first) else 1 / first) + (0.0 if math.isinf(second) else 1 / second)
    return 1 / siemens if siemens else OPEN
