"""What can be wrong with a simulated device, in one vocabulary: the ids of the knowledge's faults.

What follows a point says which way it broke, where there are several. Ids are all that is shared with the knowledge:
how often a fault comes and what it does is the device's own.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

GOOD = "good"
OPEN = math.inf
# Fault to its ways: in words, and what of the parts is then not left to the draw.
WAYS: Mapping[str, Mapping[str, tuple[str, Mapping[str, Any]]]] = {
    "source_weak": {
        "cable": ("a thin cable", {"source_ohm": 0.95, "source_limit": 1.0}),
        "charger": ("a charger that gives little", {"source_ohm": 0.3, "source_limit": 0.4}),
    },
    "port_fouled": {
        "lint": ("lint", {"lint": 0.7, "corroded": False, "residue": False}),
        "residue": ("residue between pads", {"lint": 0.1, "contact_ohm": 0.3, "corroded": True, "residue": True}),
    },
    "port_worn": {
        "one_side": ("one way round only", {"one_side": True, "worn_ohm": 0.1, "worn_loose": 0.0}),
        "loose": ("drops out when moved", {"one_side": False, "worn_ohm": 0.1, "worn_loose": 0.6}),
        "contacts": (
            "contacts broken",
            {"one_side": False, "worn_ohm": 400.0, "worn_loose": 0.2, "opens": frozenset({"port_worn"})},
        ),
    },
    "port_joint": {
        "cracked": ("drops out when leant on", {"joint_ohm": 0.1, "joint_loose": 1.0}),
        "open": ("no contact", {"joint_ohm": 2000.0, "joint_loose": 0.5}),
    },
    "carrier_fault": {
        "open": ("the power line open", {"carrier_leaks": False, "carrier_ohm": OPEN}),
        "leak": ("the power line leaks", {"carrier_leaks": True}),
        "data": (
            "a data line open",
            {"carrier_leaks": False, "carrier_power": False, "opens": frozenset({"carrier_fault"})},
        ),
    },
    "link_loose": {
        "power": ("the power line", {"link_ohm": 300.0, "opens": frozenset()}),
        "data": ("data lines", {"link_ohm": 0.4, "opens": frozenset({"link_loose"})}),
    },
    "solder_bridge": {
        "power": ("on the power line", {"bridge_power": True}),
        "data": ("between data lines", {"bridge_power": False}),
    },
    "torn_pad": {
        "power": ("that of the power line", {"pad_power": True}),
        "data": ("that of a data line", {"pad_power": False, "opens": frozenset({"torn_pad"})}),
    },
    "input_short": {
        "hard": ("hard", {"input_leak": 0.5}),
        "leak": ("a few ohms", {"input_leak": 12.0}),
    },
    "charge_ic_fault": {
        "stopped": ("hardly any current", {"stops_flow": True}),
        "slow": ("little current", {"stops_flow": False}),
    },
    "port_ic_fault": {
        "lines": ("data lines low", {"port_lines_low": True}),
        "mute": ("data lines good", {"port_lines_low": False}),
    },
    "charge_ic_leak": {
        "input": ("at its input", {"leak_on_input": True}),
        "battery": ("at its battery side", {"leak_on_input": False}),
    },
    "charge_part": {
        "open": ("open", {"part_open": True}),
        "short": ("shorted", {"part_open": False}),
    },
    "rail_short": {
        "hard": ("hard", {"rail_ohm": 0.5, "rail_part": ""}),
        "leak": ("a few ohms", {"rail_ohm": 20.0, "rail_part": ""}),
        "display": ("goes with the display", {"rail_ohm": 23.5, "rail_part": "display"}),
        "camera": ("goes with the camera", {"rail_ohm": 23.5, "rail_part": "camera"}),
        "sub_board": ("goes with the sub-board", {"rail_ohm": 23.5, "rail_part": "sub_board"}),
    },
    "battery_worn": {
        "tired": ("gives out early, the percentage jumps", {"cell_dead": False, "cell_ohm": 1.1, "report_odd": True}),
        "dead": ("does not start any more", {"cell_dead": True}),
    },
    "battery_sense": {
        "open": ("open", {"sense_open": True}),
        "leak": ("leaks", {"sense_open": False}),
    },
    "liquid_damage": {
        "charge": ("at the charging IC", {"water_hits": "charge"}),
        "rail": ("at the main rail", {"water_hits": "rail"}),
        "sense": ("at the battery's data line", {"water_hits": "sense"}),
    },
    "software_state": {
        "slow": ("charges slowly while on", {"hung_dead": False}),
        "hung": ("hung", {"hung_dead": True}),
    },
    "charging_held": {
        "limit": ("by a limit in its settings", {"held_by": "limit"}),
        "warm": ("by its temperature", {"held_by": "warm"}),
    },
    "socket_damaged": {
        "open": ("a contact gone", {"socket_open": True}),
        "poor": ("contact comes and goes", {"socket_open": False}),
    },
}
ONE_WAY = (
    "link_damaged", "guard_open", "battery_flat", "aux_absent", "port_screws", "spring_contacts",
    "ic_unpaired", "moisture_held", "power_manager", "dark_screen", "power_key", "pad_receiver", "battery_refused",
    "gauge_wrong", "cell_cut_off",
)  # fmt: skip
FAULTS = (*WAYS, *ONE_WAY)
# Every device that can be put on the bench by name, with the words for its way.
BY_NAME: Mapping[str, str] = {
    GOOD: "",
    **{f"{fault}.{way}": words for fault, ways in WAYS.items() for way, (words, _) in ways.items()},
    **dict.fromkeys(ONE_WAY, ""),
}


def fault_of(name: str) -> str:
    """The fault's id in the knowledge; '' for a good device.

    Examples
    --------
    >>> fault_of("carrier_fault.leak"), fault_of("good")
    ('carrier_fault', '')

    """
    return "" if name == GOOD else name.partition(".")[0]


def settled(name: str) -> Mapping[str, Any]:
    """What the way in a name settles of the parts; nothing where it names none, or there is one way only."""
    fault, _, way = name.partition(".")
    return WAYS[fault][way][1] if way else {}
