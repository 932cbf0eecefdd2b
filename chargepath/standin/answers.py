"""How a whole simulated device answers each check: grades and signs out of what its parts do."""

from __future__ import annotations

from collections.abc import Callable

from chargepath.standin.device import StandinDevice
from chargepath.standin.faults import OPEN
from chargepath.standin.parts import RESIDUE_OHM, WATER_OHM

# From where on a technician calls a standing draw a leak, and a heavy one [A].
LEAKS_A, HEAVY_A = 0.01, 0.31


def answer(whole: StandinDevice, check: str, variant: str = "") -> tuple[str, tuple[str, ...]]:
    """Grade (or '') and signs that a technician would enter for a check."""
    looks = {
        "port_look": _port,
        "inside_look": _inside,
        "hot_spot": _heat,
        "port_tester": _tester,
        "draw_unplugged": _unplugged,
        "screen_message": _message,
        "device_report": _parts_report,
        "cable_look": _cable,
    }
    if check in looks:
        return "", looks[check](whole)
    return _GRADED[check](whole, variant), ()


def _chance(whole: StandinDevice, chance: float) -> bool:
    return bool(whole.rng.random() < chance)


def _port(w: StandinDevice) -> tuple[str, ...]:
    seen = []
    if w.parts.lint > 0.3 and _chance(w, 0.9):
        seen.append("object" if _chance(w, 0.12) else "lint")
    if w.parts.corroded and _chance(w, 0.85):
        seen.append("corroded")
    if "port_worn" in w.faults and _chance(w, 0.75):
        seen.append("worn")
    if "port_screws" in w.faults and _chance(w, 0.6):
        seen.append("loose")
    if ("port_joint" in w.faults and w.parts.joint_loose > 0.6) or ("port_worn" in w.faults and _chance(w, 0.4)):
        seen.append("loose")
    if "port_fouled" in w.faults and w.parts.lint > 0.55:
        seen.append("plug_proud")
    return tuple(dict.fromkeys(seen))


def _inside(w: StandinDevice) -> tuple[str, ...]:
    seen = []
    if "link_loose" in w.faults and _chance(w, 0.7):
        seen.append("loose")
    if "aux_absent" in w.faults and _chance(w, 0.7):
        seen.append("unplugged")
    if ("opened_before" in w.history or "battery_replaced" in w.history) and _chance(w, 0.6):
        seen.append("disturbed")
    wet = {"liquid_damage": 0.65, "link_damaged": 0.6, "carrier_fault": 0.3}
    if any(name in w.faults and _chance(w, chance) for name, chance in wet.items()) or (
        "liquid" in w.history and _chance(w, 0.3)
    ):
        seen.append("corroded")
    if w.faults & {"solder_bridge", "torn_pad"} and "disturbed" not in seen and _chance(w, 0.5):
        seen.append("disturbed")
    if "spring_contacts" in w.faults and "corroded" not in seen and _chance(w, 0.5):
        seen.append("corroded")
    if any(name in w.faults for name in ("input_short", "link_damaged", "guard_open")) and _chance(w, 0.2):
        seen.append("burnt")
    if "battery_worn" in w.faults and _chance(w, 0.15):
        seen.append("swollen")
    if "socket_damaged" in w.faults:
        seen += [sign for sign, chance in (("burnt", 0.45), ("corroded", 0.2), ("loose", 0.2)) if _chance(w, chance)]
    if "dark_screen" in w.faults and _chance(w, 0.3):
        seen.append("loose")
    return tuple(dict.fromkeys(seen))


def _message(w: StandinDevice) -> tuple[str, ...]:
    seen = ["part"] if w.faults & {"battery_refused"} and _chance(w, 0.7) else []
    if "battery_replaced" in w.history and _chance(w, 0.25):
        seen.append("part")
    if "charging_held" in w.faults and _chance(w, 0.8):
        seen.append("temperature" if w.parts.held_by == "warm" else "on_hold")
    if "battery_sense" in w.faults and _chance(w, 0.15):
        seen.append("temperature")
    damp = {"moisture_held": 0.85, "port_fouled": 0.3 if w.parts.corroded else 0.03, "liquid_damage": 0.15}
    if any(name in w.faults and _chance(w, chance) for name, chance in damp.items()):
        seen.append("moisture")
    if any(name in w.faults and _chance(w, 0.2) for name in ("port_ic_fault", "ic_unpaired")) or _chance(w, 0.02):
        seen.append("accessory")
    return tuple(dict.fromkeys(seen + (["on_hold"] if _chance(w, 0.02) else [])))


def _parts_report(w: StandinDevice) -> tuple[str, ...]:
    seen = ["worn"] if _chance(w, 0.7 if "battery_worn" in w.faults else 0.12) else []
    lost = {"battery_sense": 0.5, "aux_absent": 0.4}
    if any(name in w.faults and _chance(w, chance) for name, chance in lost.items()):
        seen.append("sensor_missing")
    strange = 0.8 if "battery_refused" in w.faults else 0.3 if "battery_replaced" in w.history else 0.02
    return (*seen, "unknown_part") if _chance(w, strange) else tuple(seen)


def _cable(w: StandinDevice) -> tuple[str, ...]:
    weak = "source_weak" in w.faults
    cheap = "cheap_accessory" in w.history
    chances = {"worn": 0.45 if weak else 0.1, "unmarked": 0.5 if cheap else 0.3 if weak else 0.1}
    return tuple(sign for sign, chance in chances.items() if _chance(w, chance))


def _tester(w: StandinDevice) -> tuple[str, ...]:
    seen = []
    if w.amps() < 0.02 and _chance(w, 0.4):
        seen.append("power")
    if _line_data(w, "") != "in_band":
        seen += ["control"] if _chance(w, 0.5) else ["data"]
    return tuple(seen)


def _unplugged(w: StandinDevice) -> tuple[str, ...]:
    if "carrier_fault" in w.faults and w.parts.carrier_leaks and _chance(w, 0.5):
        return ("sub_board",)
    return (w.parts.rail_part,) if "rail_short" in w.faults and w.parts.rail_part else ()


def _plug_lines(w: StandinDevice, variant: str) -> str:
    order = ("in_band", "open", "low", "short")
    return max(_line_power(w, ""), _line_data(w, ""), key=order.index)


def _fit(w: StandinDevice, variant: str) -> str:
    if "port_fouled" in w.faults and w.parts.lint > 0.5:
        return "pops_out" if _chance(w, 0.6) else "loose"
    loose = {"port_worn": 0.6, "port_screws": 0.5, "port_joint": 0.2}
    if any(name in w.faults and _chance(w, chance) for name, chance in loose.items()):
        return "loose"
    return "loose" if _chance(w, 0.06) else "clicks"


def _boot(w: StandinDevice, variant: str) -> str:
    if "rail_short" in w.faults and w.parts.rail_ohm < 12:
        return "heavy"
    if "power_key" in w.faults and _chance(w, 0.5):
        return "no_rise"
    return "boots" if w.starts() or (w.flat and "power_manager" not in w.faults) else "no_rise"


# How often a device shows a message in place of the charging sign: of moisture, of an accessory that it does not take.
MESSAGES = {
    "port_fouled": 0.3,
    "liquid_damage": 0.3,
    "source_weak": 0.15,
    "port_ic_fault": 0.12,
    "ic_unpaired": 0.3,
    "charging_held": 0.4,
    "moisture_held": 0.7,
    "battery_refused": 0.2,
}


def _sign(w: StandinDevice, variant: str) -> str:
    if w.drops():
        return "comes_and_goes"
    if any(fault in w.faults and _chance(w, chance) for fault, chance in MESSAGES.items()):
        return "message"
    return "absent" if w.amps() < 0.05 or not w.starts() or w.dark() or _chance(w, 0.1) else "steady"


def _heat(w: StandinDevice) -> tuple[str, ...]:
    seen = []
    if "port_ic_fault" in w.faults and w.parts.port_lines_low and _chance(w, 0.45):
        seen.append("port_ic")
    if "charge_ic_leak" in w.faults and _chance(w, 0.8):
        seen.append("charge_ic")
    if ("input_short" in w.faults or ("charge_part" in w.faults and not w.parts.part_open)) and _chance(w, 0.75):
        seen.append("part")
    if ("rail_short" in w.faults and w.parts.rail_ohm < 20 and _chance(w, 0.8)) or (
        "liquid_damage" in w.faults and w.parts.water_hits == "rail" and _chance(w, 0.5)
    ):
        seen.append("elsewhere")
    return tuple(seen)


def _current(w: StandinDevice, variant: str) -> str:
    amps = w.amps(shop=variant != "own")
    if not w.starts() and w.flat is False and 0.05 < amps < 0.3 and _chance(w, 0.4):
        return "cycling"
    if ("cell_cut_off" in w.faults or ("battery_worn" in w.faults and w.parts.cell_dead)) and _chance(w, 0.4):
        return "cycling"
    if w.drops() and _chance(w, 0.25):
        return "cycling"
    expected = 1.35 if w.device.kind == "phone" else 1.7
    if amps < 0.02:
        return "none"
    if amps < 0.15:
        return "trickle"
    return "reduced" if amps < 0.6 * expected else "normal"


def _volts(volts: float) -> str:
    return "present" if volts >= 4.6 else "sagging" if volts >= 2.0 else "absent"


def _line_power(w: StandinDevice, variant: str) -> str:
    return w.power_line("guard", 480) if variant == "board" else w.power_line("plug", 510)


def _line_data(w: StandinDevice, variant: str) -> str:
    if "port_ic_fault" in w.faults and w.parts.port_lines_low:
        return w.line(600, w.parts.port_leak, False)
    if "solder_bridge" in w.faults and not w.parts.bridge_power:
        return "short"
    wet = w.parts.corroded or ("carrier_fault" in w.faults and w.parts.carrier_leaks)
    return w.line(600, RESIDUE_OHM if wet and w.parts.residue else OPEN, bool(w.opened))


def _battery_volts(w: StandinDevice, variant: str) -> str:
    if "cell_cut_off" in w.faults:
        return "cut_off"
    if "battery_flat" in w.faults:
        return "flat" if _chance(w, 0.75) else "cut_off" if _chance(w, 0.4) else "low"
    if "battery_worn" in w.faults:
        return "flat" if w.parts.cell_dead and _chance(w, 0.5) else "low" if _chance(w, 0.45) else "healthy"
    starved = w.amps() < 0.15 and w.percent < 5
    if starved:
        return "low" if _chance(w, 0.6) else "flat" if _chance(w, 0.1) else "healthy"
    return "healthy"


def _idle(w: StandinDevice, variant: str) -> str:
    amps = sum(w.standing().values())
    if amps > HEAVY_A:
        return "heavy"
    return "leaks" if amps > LEAKS_A or _chance(w, 0.03) else "quiet"


def _line_battery(w: StandinDevice, variant: str) -> str:
    if "rail_short" in w.faults:
        return w.line(400, w.parts.rail_ohm, False)
    if "charge_ic_leak" in w.faults and not w.parts.leak_on_input:
        return w.line(400, w.parts.ic_leak, False)
    wet = "liquid_damage" in w.faults and w.parts.water_hits == "rail"
    return w.line(400, WATER_OHM if wet else OPEN, False)


def _ring(w: StandinDevice, variant: str) -> str:
    if "charge_part" in w.faults:
        return "open" if w.parts.part_open else "short"
    if "charge_ic_leak" in w.faults:
        return w.line(420, w.parts.ic_leak, False)
    if "charge_ic_fault" in w.faults and _chance(w, 0.2):
        return "low"
    if "rail_short" in w.faults and w.parts.rail_ohm < 20:
        return "low"
    return "low" if _chance(w, 0.03) else "in_band"


def _power_up(w: StandinDevice, variant: str) -> str:
    return "dead" if not w.starts() or (w.dark() and _chance(w, 0.9)) else "starts"


def _pulldown(w: StandinDevice, variant: str) -> str:
    grade = _line_data(w, "")
    if grade == "in_band":
        return "one" if _chance(w, 0.03) else "both"
    if grade == "open":
        return "none" if w.faults & {"link_loose", "link_damaged"} or _chance(w, 0.2) else "one"
    return "none" if _chance(w, 0.3) else "one" if _chance(w, 0.4) else "both"


def _tabs(w: StandinDevice, variant: str) -> str:
    if "cell_cut_off" in w.faults:
        return "low" if _chance(w, 0.6) else "healthy"
    return "low" if "battery_flat" in w.faults and _chance(w, 0.2) else "flat"


def _temperature(w: StandinDevice, variant: str) -> str:
    if "charging_held" in w.faults and w.parts.held_by == "warm":
        return "warm" if _chance(w, 0.7) else "cold" if _chance(w, 0.6) else "in_range"
    hot = {"rail_short": 0.12, "charge_ic_leak": 0.08}
    return "warm" if any(name in w.faults and _chance(w, chance) for name, chance in hot.items()) else "in_range"


def _data_link(w: StandinDevice, variant: str) -> str:
    blocked = {
        "port_ic_fault": 0.85,
        "ic_unpaired": 0.9,
        "solder_bridge": 0.75,
        "torn_pad": 0.65,
        "spring_contacts": 0.4,
        "port_screws": 0.2,
        "port_fouled": 0.45,
        "port_worn": 0.55,
        "port_joint": 0.45,
        "moisture_held": 0.4,
        "carrier_fault": 0.5,
        "link_loose": 0.5,
        "link_damaged": 0.6,
    }
    silent = any(name in w.faults and _chance(w, chance) for name, chance in blocked.items()) or _chance(w, 0.05)
    return "silent" if silent else "recognised"


def _report(w: StandinDevice, variant: str) -> str:
    odd = (
        ("battery_worn" in w.faults and w.parts.report_odd)
        or "gauge_wrong" in w.faults
        or ("battery_sense" in w.faults and _chance(w, 0.55))
    )
    return "erratic" if odd or _chance(w, 0.03) else "plausible"


def _wireless(w: StandinDevice, variant: str) -> str:
    beyond = {
        "charge_ic_fault",
        "charge_ic_leak",
        "charge_part",
        "battery_flat",
        "battery_worn",
        "battery_sense",
        "aux_absent",
        "rail_short",
        "software_state",
        "charging_held",
        "battery_refused",
        "socket_damaged",
        "cell_cut_off",
        "pad_receiver",
    }
    return "none" if w.faults & beyond and _chance(w, 0.85) else "none" if _chance(w, 0.05) else "charges"


_GRADED: dict[str, Callable[[StandinDevice, str], str]] = {
    "charger_current": _current,
    "plug_flip": lambda w, _: (
        "one_side"
        if w.parts.one_side and "port_worn" in w.faults
        else "one_side"
        if ("port_fouled" in w.faults and _chance(w, 0.15))
        else "same"
    ),
    "plug_wiggle": lambda w, _: "drops" if w.drops() or _chance(w, 0.02) else "steady",
    "wireless_charge": _wireless,
    "off_current": lambda w, _: (
        "higher"
        if ("software_state" in w.faults and _chance(w, 0.6))
        or ("charging_held" in w.faults and w.parts.held_by == "limit" and _chance(w, 0.5))
        or _chance(w, 0.08)
        else "same"
    ),
    "data_link": _data_link,
    "power_up": _power_up,
    "battery_report": _report,
    "liquid_mark": lambda w, _: (
        "wet" if _chance(w, 0.75 if "liquid" in w.history else 0.6 if "liquid_damage" in w.faults else 0.06) else "dry"
    ),
    "charge_wait": lambda w, _: "rises" if w.amps() > 0.3 else "no_rise",
    "battery_volts": _battery_volts,
    "input_volts_port": lambda w, _: _volts(w.feed().volts("port", min(w.amps(), 1.0))),
    "input_volts_board": lambda w, _: _volts(w.feed().volts("guard", min(w.amps(), 1.0))),
    "line_power": _line_power,
    "line_data": _line_data,
    "joint_probe": lambda w, _: (
        "moves"
        if ("port_joint" in w.faults and _chance(w, 0.85))
        or ("port_worn" in w.faults and _chance(w, 0.3))
        or _chance(w, 0.04)
        else "firm"
    ),
    "line_battery": _line_battery,
    "charge_ring": _ring,
    "supply_idle": _idle,
    "sense_lines": lambda w, _: (
        "faulty"
        if ("battery_sense" in w.faults and _chance(w, 0.85))
        or ("aux_absent" in w.faults and _chance(w, 0.3))
        or ("socket_damaged" in w.faults and _chance(w, 0.35))
        or _chance(w, 0.04)
        else "clean"
    ),
    "plug_lines": _plug_lines,
    "plug_fit": _fit,
    "screen_sign": _sign,
    "supply_start": _boot,
    "own_cable_wiggle": lambda w, _: (
        "drops" if w.drops() or ("source_weak" in w.faults and _chance(w, 0.4)) or _chance(w, 0.03) else "steady"
    ),
    "port_screws_look": lambda w, _: (
        "loose" if ("port_screws" in w.faults and _chance(w, 0.92)) or _chance(w, 0.04) else "tight"
    ),
    "part_lift": lambda w, _: (
        "recovers"
        if "input_short" in w.faults
        or ("charge_part" in w.faults and not w.parts.part_open)
        or ("rail_short" in w.faults and _chance(w, 0.4))
        else "still_low"
    ),
    "lift_port_ic": lambda w, _: "recovers" if "port_ic_fault" in w.faults and w.parts.port_lines_low else "still_low",
    "charge_settings": lambda w, _: (
        "limited"
        if ("charging_held" in w.faults and w.parts.held_by == "limit" and _chance(w, 0.9)) or _chance(w, 0.12)
        else "free"
    ),
    "percent_seen": lambda w, _: (
        "at_limit"
        if ("charging_held" in w.faults and w.parts.held_by == "limit" and _chance(w, 0.5)) or _chance(w, 0.12)
        else "elsewhere"
    ),
    "data_volts": lambda w, _: (
        "silent"
        if ("battery_sense" in w.faults and w.parts.sense_open and _chance(w, 0.6))
        or ("socket_damaged" in w.faults and _chance(w, 0.3))
        or ("power_manager" in w.faults and _chance(w, 0.75))
        or _chance(w, 0.05)
        else "present"
    ),
    "cell_temperature": _temperature,
    "runs_dark": lambda w, _: (
        "runs"
        if ("dark_screen" in w.faults and w.starts() and _chance(w, 0.93))
        or ("power_key" in w.faults and w.starts() and _chance(w, 0.1))
        else "silent"
    ),
    "control_pulldown": _pulldown,
    "tabs_volts": _tabs,
    "thermistor_ohms": lambda w, _: (
        "open" if "battery_sense" in w.faults and w.parts.sense_open and _chance(w, 0.6) else "in_band"
    ),
    "pad_coil": lambda w, _: (
        "open"
        if ("pad_receiver" in w.faults and _chance(w, 0.55)) or ("aux_absent" in w.faults and _chance(w, 0.4))
        else "whole"
    ),
    "inner_resistance": lambda w, _: (
        "high" if ("battery_worn" in w.faults and _chance(w, 0.65)) or _chance(w, 0.05) else "sound"
    ),
    "capacity_run": lambda w, _: (
        "short" if ("battery_worn" in w.faults and _chance(w, 0.75)) or _chance(w, 0.08) else "holds"
    ),
    "lift_charge_ic": lambda w, _: "recovers" if "charge_ic_leak" in w.faults else "still_low",
}
