"""Do the intervals of what was learned hold the true rates of simulated shops?"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from chargepath.case.entries import Case, CheckEvent, Device, Event, Outcome, RepairEvent
from chargepath.diagnosis.model import Model
from chargepath.knowledge.loader import shipped
from chargepath.learning.estimate import TIMING_SPREAD, learn
from chargepath.learning.examples import CURE_WORTH, MINUTES_WORTH, SHARE_WORTH, SHOW_WORTH, Example, Timing

SHOPS, JOBS = 200, 60
CURES = {
    "port_fouled": "clean_port",
    "battery_worn": "swap_battery",
    "port_joint": "resolder_port",
    "source_weak": "advise_source",
}
PHONE = Device("phone", "usb_c", "sub_board", False, 0.0)


def run() -> Iterator[str]:
    """Yield the lines of the table: shops whose true rates differ from the shipped ones as much as the pseudo-counts
    say.
    """
    known, rng = shipped(), np.random.default_rng(77)
    weights = Model(known, PHONE).weights
    prior, names = weights / weights.sum(), list(known.faults)
    held = {"shares of faults": 0, "cures": 0, "what shows anyway": 0, "minutes": 0}
    asked = dict.fromkeys(held, 0)
    lint = known.checks["port_look"].leak["lint"]
    for _ in range(SHOPS):
        truth = rng.dirichlet(SHARE_WORTH * prior)
        shipped_cures = {fault: known.routes[route].cures_on("sub_board")[fault] for fault, route in CURES.items()}
        cures = {fault: rng.beta(CURE_WORTH * c, CURE_WORTH * (1 - c)) for fault, c in shipped_cures.items()}
        shows = rng.beta(SHOW_WORTH * lint, SHOW_WORTH * (1 - lint))
        pace = math.exp(rng.normal(0, TIMING_SPREAD / math.sqrt(MINUTES_WORTH)))
        jobs = []
        for _ in range(JOBS):
            fault = names[int(rng.choice(len(names), p=truth))]
            events: tuple[Event, ...] = ()
            if "port_look" not in known.faults[fault].signs:
                events = (CheckEvent("port_look", signs=("lint",) if rng.random() < shows else ()),)
            if fault in CURES:
                events = (*events, RepairEvent(CURES[fault], bool(rng.random() < cures[fault])))
            timing = Timing("route:clean_port", 6.0 * pace * math.exp(rng.normal(0, 0.3)))
            jobs.append(Example(Case(PHONE, (), events, Outcome((fault,), (), True)), (timing,)))
        found = learn(known, jobs)
        rows = [("shares of faults", n, t) for n, t in zip(found.shares["all"].values(), truth, strict=True)]
        rows += [("cures", n, cures[fault]) for (_, fault), n in found.cures.items()]
        rows.append(("what shows anyway", found.shows["", "port_look", "lint"], shows))
        rows.append(("minutes", found.minutes["route:clean_port"], 6.0 * pace))
        for kind, number, true in rows:
            held[kind] += number.low <= true <= number.high
            asked[kind] += 1
    whole = sum(held.values()) / sum(asked.values())
    yield f"learned intervals: {SHOPS} simulated shops of {JOBS} jobs (target: hold the true rate in 95 %)"
    yield "  " + ", ".join(f"{kind} {held[kind] / asked[kind]:.1%}" for kind in held) + f", all {whole:.1%}"
