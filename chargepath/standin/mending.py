"""What each repair mends in a simulated device, how often it succeeds in these hands, and how often it does harm.

All of it is invented, apart from the knowledge.
"""

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


# What any other repair spoils, as a share.
HARM_ELSE = 0.004
