"""Keys and paths of numbers, in words."""

from __future__ import annotations

from chargepath.knowledge import Knowledge


def key_label(known: Knowledge, key: str) -> str:
    """A key of minutes in words."""
    kind, _, name = key.partition(":")
    if kind == "check" and name in known.checks:
        return f"check: {known.checks[name].label}"
    if kind == "open" and name in known.access:
        return f"open: {known.access[name].label}"
    if name in known.routes:
        return f"{'try' if kind == 'try' else 'repair'}: {known.routes[name].label}"
    return key


# Numbers of the proof, in words.
PROOF_NUMBERS = {
    "rise_minutes": "percent rises: minutes it is watched",
    "rise_percent": "percent rises: by how much at least (%)",
    "full_percent": "percent rises: counts as full from (%)",
    "direction_share": "turned over: weaker way over the stronger",
    "own_share": "customer's own charger over the shop's",
    "replug_times": "plugged in again: how often",
    "lean_times": "shaken: how often in each direction",
    "gain_most": "percent against charge: at most, times the smallest cell",
    "gain_least": "percent against charge: at least, times the largest cell",
    "gain_share": "share of the meter's charge that arrives in the cell",
    "gain_from_mah": "percent against charge: from this charge on (mAh)",
    "path_drop_v": "volts that may be lost on the way (V)",
    "fast_from_v": "charges fast: from these volts on (V)",
    "seal_depth_kpa": "seal test: depth below ambient (kPa)",
    "seal_seconds": "seal test: time (s)",
    "seal_worse": "seal test: times what was lost before that is allowed",
    "seal_quiet_kpa": "seal test: a loss that counts as none (kPa)",
}


def path_label(known: Knowledge, path: str) -> str:
    """A number's path in words."""
    stem, *keys = path.split(".")
    names = {
        **{name: item.label for name, item in known.proof_items.items()},
        **{name: fault.label for name, fault in known.faults.items()},
        **{name: check.label for name, check in known.checks.items()},
        **{name: route.label for name, route in known.routes.items()},
    }
    keys = [key for key in keys if (stem, key) != ("proof", "item")]
    said = [PROOF_NUMBERS.get(key) or names.get(key, key.replace("_", " ")) for key in keys]
    return ", ".join(said) if stem in ("faults", "checks", "routes") else f"{stem}: {', '.join(said)}"
