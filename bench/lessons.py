"""Do the intervals of what was learned hold the true rates of simulated shops?"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from chargepath.casefile import Case, Device, Outcome, RepairEvent
from chargepath.knowledge import shipped
from chargepath.learning import CURE_WORTH, MINUTES_WORTH, SHARE_WORTH, TIMING_SPREAD, Lesson, Timing, learn
from chargepath.model import Model

SHOPS, JOBS = 200, 60
PHONE = Device("phone", "usb_c", "sub_board", False, 0.0)


def run() -> Iterator[str]:
    """Yield the lines of the table: shops whose true rates differ from the shipped ones as much as the pseudo-counts say."""
    known, rng = shipped(), np.random.default_rng(77)
    weights = Model(known, PHONE).weights
    prior, names = weights / weights.sum(), list(known.faults)
    held = {"shares of faults": 0, "cures": 0, "minutes": 0}
    asked = dict.fromkeys(held, 0)
    for _ in range(SHOPS):
        truth, cure = rng.dirichlet(SHARE_WORTH * prior), rng.beta(CURE_WORTH * 0.88, CURE_WORTH * 0.12)
        pace = math.exp(rng.normal(0, TIMING_SPREAD / math.sqrt(MINUTES_WORTH)))
        jobs = []
        for _ in range(JOBS):
            fault = names[int(rng.choice(len(names), p=truth))]
            events = (RepairEvent("clean_port", bool(rng.random() < cure)),) if fault == "port_fouled" else ()
            timing = Timing("route:clean_port", 6.0 * pace * math.exp(rng.normal(0, 0.3)))
            jobs.append(Lesson(Case(PHONE, (), events, Outcome((fault,), (), True)), (timing,)))
        found = learn(known, jobs)
        rows = [("shares of faults", n, t) for n, t in zip(found.shares["all"].values(), truth, strict=True)]
        if ("clean_port", "port_fouled") in found.cures:
            rows.append(("cures", found.cures["clean_port", "port_fouled"], cure))
        rows.append(("minutes", found.minutes["route:clean_port"], 6.0 * pace))
        for kind, number, true in rows:
            held[kind] += number.low <= true <= number.high
            asked[kind] += 1
    whole = sum(held.values()) / sum(asked.values())
    yield f"learned intervals: {SHOPS} simulated shops of {JOBS} jobs (target: hold the true rate in 95 %)"
    yield "  " + ", ".join(f"{kind} {held[kind] / asked[kind]:.1%}" for kind in held) + f", all {whole:.1%}"
