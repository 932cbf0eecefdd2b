"""Simulated jobs led by the advice, act after act: how often it repeats itself, or does what no technician would.

Each outcome is drawn by device, act and how often the act was done before, so that two versions of the program meet the
same devices with the same luck: `AFTER=file` keeps what each device cost, `BEFORE=file` compares with what was kept.
"""

from __future__ import annotations

import json
import os
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from multiprocessing import Pool
from pathlib import Path
from zlib import crc32

import numpy as np

from bench.devices import SimulatedShop, carry_out, cell
from chargepath.case.entries import Case, Event
from chargepath.decision.advice import advise
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, assess
from chargepath.hazards.standing import dangers_of
from chargepath.knowledge.book import HAND_OVER
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.standin.device import StandinDevice

# Repairs that put a new part in; what others cost for a part is material.
NEW_PART = ("swap_", "replace_")
JOBS = int(os.environ.get("JOBS", "400"))
FIRST, MOST, LONG = 900_000, 40, 20
# What is counted, in words, and the most that is wanted in a hundred jobs.
COUNTED = {
    "again": ("the same check again", 10.0),
    "part_again": ("a part swapped twice", 1.0),
    "together": ("put together for a check on the charger", 10.0),
    "board_out": ("  of these with the board out", None),
    "proof_first": ("a proof with nothing done", 0.0),
    "then_again": ("a question whose second question stays the same", 0.0),
    "into_lint": ("a plug into a port in which something was seen", 0.0),
    "handed_on": ("handed on", None),
    "back": ("proved with something still wrong", None),
    "long": (f"more than {LONG} steps", None),
}


@dataclass
class Conduct:
    """One simulated job as the advice led it: its cost, its acts in order, and how often each of `COUNTED` happened."""

    cost: float = 0.0
    counts: Counter[str] = field(default_factory=Counter)
    acts: list[str] = field(default_factory=list)

    @property
    def steps(self) -> int:
        """How many acts it took."""
        return len(self.acts)


def _draws(whole: StandinDevice, act: str, nth: int) -> None:
    """Give the device the luck of this act."""
    whole.rng = np.random.default_rng([whole.seed, 17, crc32(act.encode()), nth])


def _seen_in_port(belief: Belief) -> bool:
    """Whether lint or an object was seen in the port and nothing that takes it out was done since."""
    return bool(belief.last_signs & {("port_look", "lint"), ("port_look", "object")})


def _count(out: Conduct, belief: Belief, what: str, name: str, nth: int) -> None:
    """Count what a technician would laugh at in an act that is about to be done for the `nth` time, from 0."""
    known = belief.model.known
    if what == "check":
        check = known.checks[name]
        together = check.plugs_in and belief.access != "outside"
        out.counts["again"] += nth > 0
        out.counts["together"] += together
        out.counts["board_out"] += together and belief.access != "opened"
        out.counts["into_lint"] += check.plugs_in and _seen_in_port(belief)
    elif what == "repair":
        out.counts["handed_on"] += name == REFER
        out.counts["proof_first"] += name == PROVE and not belief.timeline.repairs
        out.counts["part_again"] += name.startswith(NEW_PART) and nth > 0


def play(shop: SimulatedShop, seed: int, prices: Prices) -> Conduct:
    """Play one device to its end by the advice."""
    whole, out = StandinDevice.arrive(seed), Conduct()
    model = shop.model(whole.device, whole.history)
    events: tuple[Event, ...] = ()
    times, thens = Counter[str](), list[str]()
    for _ in range(MOST):
        case = Case(whole.device, whole.history, events)
        belief = assess(model, case)
        found = advise(belief, prices, dangers=dangers_of(shop.known, case))
        what, name = found.next.kind, found.next.id
        if what == HAND_OVER:
            break
        act = f"{what}:{name}"
        _draws(whole, act, times[act])
        _count(out, belief, what, name, times[act])
        # What comes by the habit of taking a device in is no question that leads to another.
        thens.append("" if found.rule else found.next.then)
        done = carry_out(whole, belief, prices, what, name)
        out.acts.append(act)
        out.cost += done.cost
        times[act] += 1
        events = events if done.event is None else (*events, done.event)
        if done.over:
            out.counts["back"] = int(done.event is not None and bool(whole.faults))
            break
    else:
        out.cost += prices.value
    out.counts["then_again"] = sum(one != "" and one == other for one, other in pairwise(thens))
    out.counts["long"] = int(out.steps > LONG)
    return out


def played(job: tuple[int, int]) -> list[tuple[int, Conduct]]:
    """Every `step`-th job from `start`."""
    start, step = job
    shop = SimulatedShop(shipped())
    return [(number, play(shop, FIRST + number, cell(number))) for number in range(start, JOBS, step)]


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    with Pool(2) as pool:
        found = dict(row for part in pool.map(played, [(0, 2), (1, 2)]) for row in part)
    jobs = [found[number] for number in range(JOBS)]
    yield f"conduct over {JOBS} simulated jobs, counted for a hundred of them"
    for name, (words, most) in COUNTED.items():
        share = sum(job.counts[name] for job in jobs) * 100 / JOBS
        yield f"  {words:55} {share:6.1f}" + ("" if most is None else f"   (target: at most {most:g})")
    costs = np.array([job.cost for job in jobs])
    yield f"  {'steps of a job':55} {np.mean([job.steps for job in jobs]):6.2f}   (target: under 9.5)"
    yield f"  {'cost of a job':55} {costs.mean():6.1f}   (standard error {costs.std() / len(costs) ** 0.5:.1f})"
    if before := os.environ.get("BEFORE"):
        other = np.array([row["cost"] for row in json.loads(Path(before).read_text(encoding="utf-8"))][:JOBS])
        gain, error = (costs - other).mean(), (costs - other).std() / len(costs) ** 0.5
        part = f"{gain / other.mean():+.1%}"
        yield f"  {'against what was kept, the same devices':55} {gain:+6.1f}   (standard error {error:.1f}, {part})"
    if after := os.environ.get("AFTER"):
        rows = [{"cost": job.cost, "steps": job.steps, "counts": dict(job.counts), "acts": job.acts} for job in jobs]
        Path(after).write_text(json.dumps(rows), encoding="utf-8")
