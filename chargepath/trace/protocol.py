"""Lines that a USB power meter on the bench speaks (see docs/instrument-protocols.md)."""

from __future__ import annotations

import json
import math


def parse_sample(line: str) -> tuple[float, float, float] | None:
    """Seconds, volts and amps of a sample's line, None for any other line or a broken one."""
    try:
        data = json.loads(line)
        values = (float(data["t"]), float(data["v"]), float(data["a"]))
    except (ValueError, TypeError, KeyError, OverflowError, RecursionError):
        return None
    return values if all(map(math.isfinite, values)) and abs(values[1]) < 60 and -1 <= values[2] <= 20 else None
