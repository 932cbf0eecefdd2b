"""Simulated devices that know nothing of the knowledge's likelihoods: the advice against fixed schools, and calibration."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Callable, Iterator
from multiprocessing import Pool

import numpy as np

from chargepath.advice import PROVE, REFER, advise
from chargepath.belief import Belief, assess, blocked
from chargepath.casefile import Case, CheckEvent, Event, RepairEvent, TryEvent
from chargepath.knowledge import shipped
from chargepath.model import Model
from chargepath.plan import route_table, route_terms
from chargepath.prices import Prices
from chargepath.standin.answers import answer
from chargepath.standin.whole import Whole

DEVICES = int(os.environ.get("DEVICES", "2000"))
RATES, VALUES = (0.4, 0.75, 1.4), (60.0, 180.0, 500.0)
FIRST, MOST = 500_000, 26
KNOWN = shipped()
Step = tuple[str, str]
MEASURES = (
    "charger_current",
    "port_look",
    "power_up",
    "inside_look",
    "battery_volts",
    "input_volts_port",
    "line_power",
    "line_data",
)
LISTED = ("port_look", "charger_current", "plug_flip", "plug_wiggle", "power_up", "data_link", "liquid_mark")


def ratio_rule(belief: Belief, prices: Prices, done: frozenset[str]) -> Step:
    """The best repair now, each once."""
    terms = route_terms(belief, route_table(belief, prices, done), prices)
    return "repair", min((term for term in terms if term.id not in done), key=lambda term: term.total).id


def by_advice(belief: Belief, prices: Prices, events: tuple[Event, ...]) -> Step:
    """What the program says."""
    found = advise(belief, prices).next
    return found.kind, found.id


def checks_then_repair(names: tuple[str, ...]) -> Callable[[Belief, Prices, tuple[Event, ...]], Step]:
    """A fixed list of checks, then repairs by the ratio rule."""

    def choose(belief: Belief, prices: Prices, events: tuple[Event, ...]) -> Step:
        asked = {event.check for event in events if isinstance(event, CheckEvent)}
        grades = belief.last_grades()
        for name in names:
            check = KNOWN.checks[name]
            if name not in asked and belief.model.offers(check) and not blocked(check, grades):
                return "check", name
        done = frozenset(event.route for event in events if isinstance(event, RepairEvent))
        return ratio_rule(belief, prices, done)

    return choose


def swap_first(belief: Belief, prices: Prices, events: tuple[Event, ...]) -> Step:
    """Look, clean, swap what is swappable, one after the other; then by the ratio rule."""
    if not events:
        return "check", "port_look"
    done = {event.route for event in events if isinstance(event, RepairEvent)}
    carrier = belief.model.device.carrier
    for route in ("clean_port", "swap_carrier" if carrier != "none" else "replace_port", "swap_battery"):
        if route not in done:
            return "repair", route
    return ratio_rule(belief, prices, frozenset(done))


SCHOOLS: dict[str, Callable[[Belief, Prices, tuple[Event, ...]], Step]] = {
    "advice": by_advice,
    "swap first": swap_first,
    "measure first": checks_then_repair(MEASURES),
    "check list": checks_then_repair(LISTED),
}
Remembered = dict[tuple[object, ...], tuple[Step, list[tuple[str, float]], str]]


def run_one(
    seed: int, school: str, prices: Prices, models: dict[object, Model], known: Remembered
) -> tuple[float, list[tuple[str, float]], set[str]]:
    """Play one device under a school: its cost, the suspects as they stood at the first repair, and what was wrong."""
    whole = Whole.arrive(seed)
    wrong, cost = set(whole.faults), 0.0
    events: tuple[Event, ...] = ()
    trail: tuple[str, ...] = ()
    at_repair: list[tuple[str, float]] = []
    kind = (whole.device, whole.history)
    if kind not in models:
        models[kind] = Model(KNOWN, whole.device, whole.history)
    model = models[kind]
    for _ in range(MOST):
        key = (school, *kind, prices.rate_per_minute, prices.value, trail)
        if key not in known:
            belief = assess(model, Case(whole.device, whole.history, events))
            known[key] = (SCHOOLS[school](belief, prices, events), belief.faults, belief.access)
        (what, name), suspects, access = known[key]
        if what == "check":
            check = KNOWN.checks[name]
            minutes = check.minutes + prices.opening(KNOWN, check.access, access)
            cost += minutes * prices.rate_per_minute + check.wait_minutes * prices.wait_per_minute
            grade, signs = answer(whole, name)
            events, trail = (*events, CheckEvent(name, "", grade, signs)), (*trail, f"{name} {grade} {signs}")
            continue
        route = KNOWN.routes[name]
        if name == REFER:
            return (
                cost + route.minutes * prices.rate_per_minute + (prices.value if whole.faults else 0.0),
                at_repair or suspects,
                wrong,
            )
        opening = prices.opening(KNOWN, route.access_for(whole.device.carrier), access)
        if what == "try":
            cost += ((route.try_minutes or 0) + opening) * prices.rate_per_minute
            works = whole.works(name)
            events, trail = (*events, TryEvent(name, works)), (*trail, f"try {name} {works}")
            continue
        at_repair = at_repair or suspects
        cost += (
            (route.minutes + prices.proof_minutes + opening) * prices.rate_per_minute
            + route.part
            + route.days * prices.day
        )
        if name != PROVE and whole.repair(name):
            return cost + prices.harm + prices.value * 0.4, at_repair, wrong
        if whole.charges():
            return cost + (prices.comeback if whole.faults else 0.0), at_repair, wrong
        events, trail = (*events, RepairEvent(name, False)), (*trail, f"did {name}")
    return cost + prices.value, at_repair, wrong


def part(job: tuple[int, int]) -> tuple[dict[tuple[str, float, float], list[float]], list[tuple[float, bool]]]:
    """Every `step`-th device from `start`, each in one cell of the grid, under every school."""
    start, step = job
    costs: dict[tuple[str, float, float], list[float]] = defaultdict(list)
    said: list[tuple[float, bool]] = []
    models: dict[object, Model] = {}
    known: Remembered = {}
    for number in range(start, DEVICES, step):
        rate, value = RATES[number // 2 % 3], VALUES[number // 6 % 3]
        prices = Prices.of(KNOWN, value, rate)
        for school in SCHOOLS:
            cost, suspects, wrong = run_one(FIRST + number, school, prices, models, known)
            costs[school, rate, value].append(cost)
            if school == "advice":
                said += [(chance, name in wrong) for name, chance in suspects]
    return costs, said


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    costs: dict[tuple[str, float, float], list[float]] = defaultdict(list)
    said: list[tuple[float, bool]] = []
    with Pool(2) as pool:
        for found, chances in pool.map(part, [(0, 2), (1, 2)]):
            said += chances
            for key, rows in found.items():
                costs[key] += rows
    yield f"simulated devices: {DEVICES}, none of the knowledge's likelihoods in them; mean cost of a job"
    names = list(SCHOOLS)
    yield f"  {'rate/min':>8} {'value':>6} " + " ".join(f"{name:>14}" for name in names) + "   advice against the best"
    ratios, against = [], []
    for rate in RATES:
        for value in VALUES:
            means = [float(np.mean(costs[name, rate, value])) for name in names]
            ratios.append(means[0] / min(means[1:]))
            against.append(means[0] / float(np.mean(means[1:])))
            row = " ".join(f"{mean:14.1f}" for mean in means)
            yield f"  {rate:8.2f} {value:6.0f} {row}   {ratios[-1] - 1:+.0%}"
    yield f"  on average {np.mean(ratios) - 1:+.0%} against the best of them, {np.mean(against) - 1:+.0%} against their mean"
    yield f"  worst cell {max(ratios) - 1:+.0%} (targets: never dearer, 20 % cheaper on average)"
    odds, hits = np.array([chance for chance, _ in said]), np.array([hit for _, hit in said], dtype=float)
    yield f"calibration at the first repair: {len(said)} suspects, Brier score {np.mean((odds - hits) ** 2):.4f}"
    for low in np.arange(0.0, 1.0, 0.1):
        inside = (odds >= low) & (odds < low + 0.1 + 1e-9)
        if inside.sum() > 50:
            yield f"  says {odds[inside].mean():5.1%}: is so {hits[inside].mean():5.1%}  of {int(inside.sum())}"
