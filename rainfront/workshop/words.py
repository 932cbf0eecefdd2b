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
    said = [known.proof.labels.get(key) or names.get(key, key.replace("_", " ")) for key in keys]
    return ", ".join(said) if stem in ("faults", "checks", "routes") else f"{stem}: {', '.join(said)}"
