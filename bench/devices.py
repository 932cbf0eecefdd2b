"""Simulated devices that know nothing of the knowledge's likelihoods.

The advice against fixed schools, and calibration.
"""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from multiprocessing import Pool

import numpy as np

from chargepath.case.entries import Case, CheckEvent, Device, Event, Outcome, RepairEvent, TryEvent
from chargepath.decision.advice import advise
from chargepath.decision.plan import route_table, route_terms
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import Belief, assess
from chargepath.diagnosis.graded import blocked
from chargepath.diagnosis.model import Model
from chargepath.hazards.standing import dangers_of, way_out
from chargepath.knowledge import Knowledge
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import PROVE, REFER
from chargepath.learning.estimate import learn
from chargepath.learning.examples import Example
from chargepath.learning.overlay import apply
from chargepath.standin.answers import answer
from chargepath.standin.device import StandinDevice

DEVICES = int(os.environ.get("DEVICES", "2000"))
RATES, VALUES = (0.4, 0.75, 1.4), (60.0, 180.0, 500.0)
# Devices of the evaluation, and the shop's own jobs of before, which it learned from: other seeds.
FIRST, TAUGHT, MOST = 500_000, 700_000, 40
LEARNED_FROM = DEVICES * 3 // 5
# So many first steps are kept: later ones are seldom the same twice.
KEPT = 4
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
    terms = route_terms(belief, route_table(belief, prices, done))
    return "repair", min((term for term in terms if term.id not in done), key=lambda term: term.total).id


def by_advice(belief: Belief, prices: Prices, events: tuple[Event, ...]) -> Step:
    """What the program says."""
    dangers = dangers_of(belief.model.known, Case(belief.model.device, belief.model.history, events))
    found = advise(belief, prices, dangers=dangers).next
    return found.kind, found.id


def checks_then_repair(names: tuple[str, ...]) -> Callable[[Belief, Prices, tuple[Event, ...]], Step]:
    """A fixed list of checks, then repairs by the ratio rule."""

    def choose(belief: Belief, prices: Prices, events: tuple[Event, ...]) -> Step:
        asked = {event.check for event in events if isinstance(event, CheckEvent)}
        grades = belief.last_grades
        for name in names:
            check = belief.model.known.checks[name]
            if name not in asked and belief.model.offers(check) and not blocked(belief.model.known, check, grades):
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


def out_of_danger(belief: Belief, prices: Prices, case: Case) -> Step | None:
    """What every shop has to do first where a danger stands, whatever its habit; None where nothing presses."""
    known = belief.model.known
    way = way_out(known, dangers_of(known, case), lambda *_: True)
    if way is None or way[0] == "check":
        return way
    terms = {term.id: term for term in route_terms(belief, route_table(belief, prices))}
    return ("repair", REFER) if terms[REFER].total < terms[way[1]].total else way


@dataclass
class SimulatedShop:
    """What a simulated shop knows, with its compiled models and what it said before kept."""

    known: Knowledge
    models: dict[object, Model] = field(default_factory=dict)
    said: dict[tuple[object, ...], tuple[Step, Belief]] = field(default_factory=dict)

    def model(self, device: Device, history: tuple[str, ...]) -> Model:
        """The model of a device."""
        if (device, history) not in self.models:
            self.models[device, history] = Model(self.known, device, history)
        return self.models[device, history]


@dataclass
class Played:
    """One device played to its end: its cost, the suspects at the first repair, what was wrong, the job."""

    cost: float
    suspects: list[tuple[str, float]]
    wrong: set[str]
    example: Example | None


@dataclass(frozen=True)
class CarriedOut:
    """What an act on a simulated device cost, its entry in the case, and whether the job is over with it.

    Nothing is entered of a device that is handed on, nor of one that a repair has spoilt.
    """

    cost: float
    event: Event | None
    over: bool = False


def carry_out(whole: StandinDevice, belief: Belief, prices: Prices, what: str, name: str) -> CarriedOut:
    """Do a check, a try or a repair on a simulated device that is opened as far as the belief says."""
    known, rate = belief.model.known, prices.rate_per_minute
    if what == "check":
        check = known.checks[name]
        minutes = check.minutes + prices.opening(known, check.access, belief.access)
        if check.in_one_piece:
            minutes += prices.putting_together(known, belief.access, cover=check.plugs_in)
        grade, signs = answer(whole, name)
        waits = check.wait_minutes * prices.wait_per_minute
        return CarriedOut(minutes * rate + waits, CheckEvent(name, "", grade, signs))
    route = known.routes[name]
    if name == REFER:
        return CarriedOut(route.minutes * rate + (prices.value if whole.faults else 0.0), None, over=True)
    opening = prices.opening(known, route.access_for(whole.device.carrier), belief.access)
    if what == "try":
        return CarriedOut(((route.try_minutes or 0) + opening) * rate, TryEvent(name, whole.works(name)))
    cost = (route.minutes + opening) * rate + route.part + route.days * prices.day
    if name != PROVE and whole.repair(name):
        return CarriedOut(cost + prices.harm + prices.value * 0.4, None, over=True)
    works = whole.charges()
    cost += (prices.proof_minutes if works else prices.attempt_minutes) * rate
    cost += prices.comeback if works and whole.faults else 0.0
    return CarriedOut(cost, RepairEvent(name, works), over=works)


def play(shop: SimulatedShop, seed: int, school: str, prices: Prices) -> Played:
    """Play one device under a school."""
    whole = StandinDevice.arrive(seed)
    wrong, cost = set(whole.faults), 0.0
    events: tuple[Event, ...] = ()
    suspects: list[tuple[str, float]] = []
    device, history = whole.device, whole.history
    model = shop.model(device, history)

    def job(came_back: bool = False) -> Example:
        outcome = Outcome(tuple(sorted(wrong - whole.faults)), (), True)
        return Example(Case(device, history, events, outcome), came_back=came_back, counts=not came_back)

    for _ in range(MOST):
        key = (school, device, history, prices.rate_per_minute, prices.value, *map(repr, events))
        if key in shop.said:
            (what, name), belief = shop.said[key]
        else:
            case = Case(device, history, events)
            belief = assess(model, case)
            what, name = out_of_danger(belief, prices, case) or SCHOOLS[school](belief, prices, events)
            if len(events) < KEPT:
                shop.said[key] = ((what, name), belief)
        if what == "repair":
            suspects = suspects or belief.faults
        done = carry_out(whole, belief, prices, what, name)
        cost += done.cost
        events = events if done.event is None else (*events, done.event)
        if done.over:
            if isinstance(done.event, RepairEvent):
                return Played(cost, suspects, wrong, job(bool(whole.faults)))
            handed_on = Example(Case(device, history, events, Outcome((), (), False))) if name == REFER else None
            return Played(cost, suspects, wrong, handed_on)
    return Played(cost + prices.value, suspects, wrong, None)


def cell(number: int) -> Prices:
    """Prices of one device: its cell of the grid."""
    return Prices.of(shipped(), VALUES[number // 6 % 3], RATES[number // 2 % 3])


def taught(job: tuple[int, int]) -> list[Example]:
    """Closed jobs of a shop that follows the advice with the numbers that ship: every `step`-th device from `start`."""
    start, step = job
    shop = SimulatedShop(shipped())
    played = [play(shop, TAUGHT + n, "advice", cell(n)) for n in range(start, LEARNED_FROM, step)]
    return [made.example for made in played if made.example]


Costs = dict[tuple[str, float, float], list[float]]


def evaluated(job: tuple[int, int, Knowledge]) -> tuple[Costs, list[tuple[float, bool]]]:
    """Every `step`-th device from `start`, each in one cell of the grid, under every school."""
    start, step, known = job
    costs: Costs = defaultdict(list)
    said: list[tuple[float, bool]] = []
    shop = SimulatedShop(known)
    for number in range(start, DEVICES, step):
        prices = cell(number)
        for school in SCHOOLS:
            made = play(shop, FIRST + number, school, prices)
            costs[school, prices.rate_per_minute, prices.value].append(made.cost)
            if school == "advice":
                said += [(chance, name in made.wrong) for name, chance in made.suspects]
    return costs, said


def run() -> Iterator[str]:
    """Yield the lines of the tables: with the numbers that ship, and with those that the shop has learned."""
    yield f"simulated devices: {DEVICES}, none of the knowledge's likelihoods in them; mean cost of a job"
    with Pool(2) as pool:
        yield from table("with the numbers that ship", pool.map(evaluated, [(0, 2, shipped()), (1, 2, shipped())]))
        examples = [example for found in pool.map(taught, [(0, 2), (1, 2)]) for example in found]
        known = apply(shipped(), learn(shipped(), examples))
        title = f"with what the shop learned from {len(examples)} closed jobs of {LEARNED_FROM} other devices"
        yield from table(title, pool.map(evaluated, [(0, 2, known), (1, 2, known)]))


def table(title: str, parts: Sequence[tuple[Costs, list[tuple[float, bool]]]]) -> Iterator[str]:
    """Costs by cell and school, and how true what was said came."""
    costs: Costs = defaultdict(list)
    for found, _ in parts:
        for key, rows in found.items():
            costs[key] += rows
    said = [row for _, chances in parts for row in chances]
    yield f"{title}:"
    names = list(SCHOOLS)
    yield f"  {'rate/min':>8} {'value':>6} " + " ".join(f"{name:>14}" for name in names) + "   advice against the best"
    ratios, against = [], []
    for rate in RATES:
        for value in VALUES:
            each = np.array([costs[name, rate, value] for name in names])
            means = [float(mean) for mean in each.mean(axis=1)]
            best = 1 + int(np.argmin(means[1:]))
            ratios.append(means[0] / means[best])
            # The same devices under both: what a device is drawn with falls out of the difference.
            error = float(np.std(each[0] - each[best])) / np.sqrt(each.shape[1]) / means[best]
            against.append(means[0] / float(np.mean(means[1:])))
            row = " ".join(f"{mean:14.1f}" for mean in means)
            yield f"  {rate:8.2f} {value:6.0f} {row}   {ratios[-1] - 1:+.0%} (standard error {error:.0%})"
    gain, mean = np.mean(ratios) - 1, np.mean(against) - 1
    yield f"  on average {gain:+.0%} against the best of them, {mean:+.0%} against their mean"
    yield f"  worst cell {max(ratios) - 1:+.0%} (targets: never dearer, 20 % cheaper on average)"
    odds, hits = np.array([chance for chance, _ in said]), np.array([hit for _, hit in said], dtype=float)
    yield f"  calibration at the first repair: {len(said)} suspects, Brier score {np.mean((odds - hits) ** 2):.4f}"
    for low in np.arange(0.0, 1.0, 0.1):
        inside = (odds >= low) & (odds < low + 0.1 + 1e-9)
        if inside.sum() > 50:
            n, share = int(inside.sum()), float(hits[inside].mean())
            error = np.sqrt(share * (1 - share) / n)
            yield f"    says {odds[inside].mean():5.1%}: is so {share:5.1%} (standard error {error:.1%})  of {n}"
