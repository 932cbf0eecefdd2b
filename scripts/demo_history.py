"""Write the demo's history: jobs of the last year, simulated devices repaired by the advice with the numbers that
ship.
"""

from __future__ import annotations

import json
from pathlib import Path

from bench.devices import Shop, cell, play
from chargepath.case.file import dump
from chargepath.knowledge.loader import shipped
from chargepath.standin.whole import Whole

OUT = Path("rainfront/demo/history.json")
JOBS, FIRST, DAYS = 90, 40_000, 360
# The workshop's models by kind, connector, carrier and coil, with what one is worth.
MODELS = {
    ("phone", "usb_c", "sub_board", False): ("Orvane D2 deck handheld", 160.0),
    ("phone", "micro_b", "none", False): ("Orvane D1 deck handheld", 90.0),
    ("phone", "eight_pad", "flex", True): ("Quillan P3", 240.0),
    ("phone", "usb_c", "none", False): ("Quillan P1", 130.0),
    ("tablet", "usb_c", "sub_board", False): ("Hestral Tab 10", 180.0),
    ("tablet", "micro_b", "none", False): ("Hestral Tab 8", 110.0),
}


def main() -> None:
    """Play devices until enough of them are closed."""
    known, shop, rows, seed = shipped(), Shop(shipped()), [], FIRST
    while len(rows) < JOBS:
        seed += 1
        device = Whole.arrive(seed).device
        found = MODELS.get((device.kind, device.connector, device.carrier, device.wireless))
        if found is None:
            continue
        lesson = play(shop, seed, "advice", cell(8)).lesson
        if lesson is None or lesson.came_back:
            continue
        model, value = found
        case = dump(lesson.case, known)
        case["device"]["value"] = value
        rows.append({"model": model, "days_ago": DAYS - len(rows) * DAYS // JOBS, "case": case})
    OUT.write_text(
        json.dumps(rows, separators=(",", ":"), ensure_ascii=False).replace('},{"model', '},\n{"model') + "\n"
    )


if __name__ == "__main__":
    main()
