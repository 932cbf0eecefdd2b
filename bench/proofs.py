"""What the proof lets through and what it stops without a reason, on whole simulated devices; slips that it names.

Every fault that a person would feel is left in (`StandinDevice.felt`), on every model of the demo, after every repair
that fits it in turn; beside it the proof of four items that the program asked for before. With and without a known-good
plateau of the model.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from chargepath.case.entries import Device
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.proofs import ProofItem
from chargepath.knowledge.traits import built
from chargepath.proving.asking import Subject, asked_of, phases_of
from chargepath.proving.slips import possible, slips_of
from chargepath.proving.verdict import ProofResult, Readings, judge_proof, take
from chargepath.repair.figures import recipes_of
from chargepath.repair.workplan import make_plan
from chargepath.standin.device import StandinDevice
from chargepath.standin.parts import COMES_IN, SECOND, SHOWS
from chargepath.standin.proving import LEANS, SLIPS, Proved, four_items

RUNS = int(os.environ.get("RUNS", "2000"))
DEMO = Path(__file__).parents[1] / "rainfront" / "demo" / "brinholm_quay.toml"
GOOD_A = {"phone": 1.35, "tablet": 1.7}

INNER = {("supply_idle", "leaks")}


def models() -> dict[str, Device]:
    """The demo's models."""
    found = {}
    for raw in tomllib.loads(DEMO.read_text(encoding="utf-8"))["job"]:
        words = raw["device"].split()
        found[raw["model_name"]] = Device(
            kind=words[0],
            connector=words[1],
            carrier=words[2],
            wireless="wireless" in words,
            value=float(raw["value"]),
            traits=tuple(raw.get("traits", ())),
        )
    return found


def routes_of(device: Device) -> list[str]:
    """Repairs that fit a device."""
    known = shipped()
    has = built(known.traits, device.kind, device.traits)
    return [
        name for name in recipes_of(known) if known.routes[name].fits(device.carrier, has, wireless=device.wireless)
    ]


def read(subject: Subject, phase: str, proved: Proved) -> Iterator[tuple[ProofResult, float]]:
    """One proof, item by item as it is asked: how it stands, and the minutes it took [min]."""
    known, minutes, readings = shipped(), 0.0, Readings()
    asked = [item for item in asked_of(known, subject, phase) if not item.extra]
    for item in asked:
        for _ in range(item.looks):
            minutes += item.minutes
            readings = take(known, subject.device, asked, readings, _given(item, proved))
            if item.id == "flip" and any(proved.whole.drops() for _ in range(LEANS["flip"])):
                readings = take(known, subject.device, asked, readings, Readings(answers={"wiggle": "drops"}))
            result = judge_proof(known, subject.device, asked, readings)
            if all(mark.settled for mark in result.items if mark.item.id == item.id):
                break
        yield result, minutes


def _given(item: ProofItem, proved: Proved) -> Readings:
    numbers, answer = proved.show(item.id, tuple(item.values))
    if item.answers and answer not in item.answers:
        answer = next(iter(item.answers))
    return Readings(numbers, {item.id: answer} if answer else {})


def passes(device: Device, route: str, whole: StandinDevice, history: tuple[str, ...] = ()) -> tuple[bool, float]:
    """Whether a device passes the whole proof after a repair, and the minutes that took [min]."""
    seen = INNER if whole.faults & {"rail_short", "charge_ic_leak"} else set()
    subject = Subject(device, history, seen, make_plan(shipped(), device, route))
    proved, spent = Proved(whole), 0.0
    for phase in phases_of(subject):
        minutes, result = 0.0, None
        for result, minutes in read(subject, phase, proved):
            if result.works is False:
                return False, spent + minutes
        spent += minutes
        if result is None or result.works is not True:
            return False, spent
    return True, spent


@dataclass
class Tally:
    """Runs of one fault, how many passed the proof and the four items, the minutes of those that passed."""

    runs: int = 0
    passed: int = 0
    four: int = 0
    minutes: list[float] = field(default_factory=list)


def run_fault(job: tuple[str, bool, int]) -> tuple[str, bool, Tally]:
    """One fault left in ('' for none), on every model after every repair in turn."""
    fault, known_good, runs = job
    found, tally = models(), Tally()
    names = list(found)
    first = (1 + list(COMES_IN).index(fault)) * 1_000_000 if fault else 0
    for number in range(runs):
        device = found[names[number % len(names)]]
        routes = routes_of(device)
        route = routes[number // len(names) % len(routes)]
        whole = _with(device, fault, first + number)
        if whole is None:
            continue
        good = GOOD_A[device.kind] if known_good else None
        passed, minutes = passes(replace(device, known_good_a=good), route, whole)
        tally.runs += 1
        tally.passed += passed
        tally.four += four_items(whole)
        tally.minutes += [minutes] if passed else []
    return fault, known_good, tally


@dataclass
class Kind:
    """One kind of repair: proofs of devices on which another fault was left, and of whole ones."""

    route: str
    runs: int = 0
    passed: int = 0
    whole: int = 0
    stopped: int = 0
    minutes: list[float] = field(default_factory=list)


def run_kind(job: tuple[str, int]) -> Kind:
    """A kind of repair on the models that it fits: whole devices, and devices that keep a second fault.

    The second fault is drawn as faults come in, without those that the repair cures, and what is told of it as the
    stand-in tells it: a device with one fault is repaired, and one in `SECOND` has two.
    """
    route, runs = job
    fitting = [device for device in models().values() if route in routes_of(device)]
    out, rng = Kind(route), np.random.default_rng([17, sum(map(ord, route))])
    left = {name: weight for name, weight in COMES_IN.items() if name not in shipped().routes[route].cures}
    chances = np.array(list(left.values())) / sum(left.values())
    for number in range(runs if fitting else 0):
        device = fitting[number % len(fitting)]
        whole = _with(device, "", number)
        if whole is not None:
            passed, minutes = passes(device, route, whole)
            out.whole += 1
            out.stopped += not passed
            out.minutes += [minutes] if passed else []
        fault = str(rng.choice(list(left), p=chances))
        kept = _with(device, fault, 5_000_000 + number)
        if kept is not None:
            told = tuple(flag for flag, (else_, shows) in SHOWS.items() if rng.random() < shows.get(fault, 0.0) + else_)
            out.runs += 1
            out.passed += passes(device, route, kept, told)[0]
    return out


def _with(device: Device, fault: str, seed: int, percent: float = -1.0) -> StandinDevice | None:
    """A device with a fault in it that a person would feel; None where the device has no such place."""
    inner = ("carrier_fault", "link_loose", "link_damaged", "spring_contacts")
    if (device.carrier == "none" and fault in inner) or (not device.wireless and fault in ("pad_receiver", "pad_coil")):
        return None
    whole = StandinDevice.felt_with(device, {fault} - {""}, seed, percent=percent)
    return whole if not fault or whole.felt(fault) else None


def run_slip(slip: str) -> tuple[str, int, float, float]:
    """How often a slip is the first guess and among the first two, over every model and repair that can have it."""
    known, places = shipped(), []
    for seed, device in enumerate(models().values()):
        for number, route in enumerate(routes_of(device)):
            guesses = _guesses(device, route, slip, 1000 * seed + number)
            if guesses:
                places.append(guesses.index(slip) if slip in guesses else 99)
    assert known.slips[slip]
    found = np.array(places)
    return slip, len(places), float(np.mean(found == 0)), float(np.mean(found < 2))


def _guesses(device: Device, route: str, slip: str, seed: int) -> list[str]:
    known = shipped()
    subject = Subject(device, (), INNER, make_plan(known, device, route))
    whole = _with(device, "", seed, 40.0)
    if whole is None:
        return []
    for phase in phases_of(subject):
        if not possible(known, known.slips[slip], subject, phase):
            answered = tuple(item.id for item in asked_of(known, subject, phase))
            subject = replace(subject, answered=answered)
            continue
        steps = [result for result, _ in read(subject, phase, Proved(whole, slip))]
        if steps and steps[-1].failed:
            return [guess.slip.id for guess in slips_of(known, subject, phase, steps[-1])]
    return []


def names_of(route: str) -> str:
    """What a repair is called."""
    return shipped().routes[route].label


def run() -> Iterator[str]:
    """Yield the lines of the tables."""
    names = shipped().faults
    with ProcessPoolExecutor() as pool:
        faults = list(pool.map(run_fault, [(fault, good, RUNS) for good in (False, True) for fault in ("", *COMES_IN)]))
        slips = list(pool.map(run_slip, SLIPS))
        kinds = list(pool.map(run_kind, [(route, max(RUNS // 5, 60)) for route in recipes_of(shipped())]))
    yield f"proof: {RUNS} runs of every fault left in that a person would feel (limits: 0.5 % pass, 1 % stopped whole)"
    for good in (False, True):
        tallies = {fault: tally for fault, is_good, tally in faults if is_good == good}
        left, whole = [tally for fault, tally in tallies.items() if fault], tallies[""]
        runs = sum(tally.runs for tally in left)
        passed, four = (sum(getattr(tally, name) for tally in left) / runs for name in ("passed", "four"))
        held = "the model's known-good plateau" if good else "common practice"
        yield f"  held against {held:31} passed {passed:6.2%}, the four items of before {four:6.1%}"
        yield f"    whole ones stopped {1 - whole.passed / whole.runs:6.1%}, minutes {np.mean(whole.minutes):5.1f}"
    plain = {fault: tally for fault, good, tally in faults if fault and not good and tally.runs}
    for fault in sorted(plain, key=lambda name: -plain[name].passed / plain[name].runs)[:6]:
        tally = plain[fault]
        passed, four = tally.passed / tally.runs, tally.four / tally.runs
        yield f"    {names[fault].label:40} passed {passed:6.1%}, four items {four:6.1%}"
    found = [kind for kind in kinds if kind.runs and kind.minutes]
    yield f"kinds of repair; {SECOND:.0%} have a second fault (limits: 0.5 % of all leave with it, 2 % of a kind)"
    for kind in sorted(found, key=lambda kind: -kind.passed / kind.runs):
        leaves = SECOND * kind.passed / kind.runs
        yield (
            f"  {names_of(kind.route):46} leaves {leaves:6.2%}, whole ones stopped {kind.stopped / kind.whole:6.1%}, "
            f"minutes {np.mean(kind.minutes):5.1f}"
        )
    everything = SECOND * sum(kind.passed for kind in found) / sum(kind.runs for kind in found)
    yield f"  all of them {everything:.2%}"
    yield "slips of the hand that a proof names (target: each among the first two)"
    for slip, runs, one, two in slips:
        yield f"  {shipped().slips[slip].label:46} {runs:4d} runs, first {one:5.0%}, first two {two:5.0%}"
