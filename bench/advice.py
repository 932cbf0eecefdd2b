"""Advice for a job against the same posterior by a general-purpose Bayesian-network library (pyAgrum)."""

import tomllib
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from statistics import median

import numpy as np
import pyagrum as gum

from bench.timing import milliseconds
from chargepath.advice import Prices, advise
from chargepath.belief import assess, likelihood, read_events
from chargepath.casefile import Case, Device
from chargepath.knowledge import shipped
from chargepath.model import Model
from chargepath.quickline import parse_line

CASES = Path(__file__).parents[1] / "tests" / "data" / "typical_cases.toml"


def cases() -> list[Case]:
    """The typical cases, each cut after every one of its entries."""
    known, out = shipped(), []
    for row in tomllib.loads(CASES.read_text(encoding="utf-8"))["case"]:
        kind, connector, carrier, *rest = row["device"].split()
        device = Device(kind, connector, carrier, "wireless" in rest, known.costs.default_value[kind])
        events = [parse_line(line, known, device) for line in row["lines"]]
        history = tuple(row.get("history", ()))
        out += [Case(device, history, tuple(events[:size])) for size in range(1, len(events) + 1)]
    return out


def reference(model: Model, case: Case) -> tuple[gum.BayesNet, dict[str, int]]:
    """The posterior's network: the present set, a node a fault, a node an observation."""
    net, evidence = gum.BayesNet(), {}
    net.add(gum.LabelizedVariable("R", "", len(model.states)))
    net.cpt("R").fillWith(model.prior.tolist())
    for index, name in enumerate(model.fault_ids):
        net.add(gum.LabelizedVariable(name, "", 2))
        net.addArc("R", name)
        has = model.states.has[:, index]
        net.cpt(name)[:] = np.stack([1 - has, has], axis=1)
    for index, entry in enumerate(read_events(model, case.events)):
        name = f"o{index}"
        chance = np.minimum(likelihood(model, entry), 1.0)
        net.add(gum.LabelizedVariable(name, "", 2))
        net.addArc("R", name)
        net.cpt(name)[:] = np.stack([1 - chance, chance], axis=1)
        evidence[name] = 1
    return net, evidence


def infer(net: gum.BayesNet, evidence: dict[str, int], names: tuple[str, ...]) -> list[float]:
    """Posterior of each fault."""
    engine = gum.LazyPropagation(net)
    engine.setEvidence(evidence)
    engine.makeInference()
    return [float(engine.posterior(name)[1]) for name in names]


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    known, full, cold, belief_only, library, apart = shipped(), [], [], [], [], 0.0
    chosen = cases()
    for case in chosen:
        model = Model(known, case.device, case.history)
        cold.append(milliseconds(partial(_advise_anew, case), 1))
        full.append(milliseconds(partial(_advise, model, case), 3))
        belief_only.append(milliseconds(partial(assess, model, case), 3))
        belief = assess(model, case)
        if belief.widened:
            continue
        net, evidence = reference(model, case)
        library.append(milliseconds(partial(infer, net, evidence, model.fault_ids), 1))
        ours = belief.model.states.marginals(belief.mass)
        apart = max(apart, float(np.abs(ours - infer(net, evidence, model.fault_ids)).max()))
    ratio = median(library) / median(belief_only)
    yield f"advice: {len(chosen)} cases, one core, median of medians"
    yield f"  belief, all checks valued, routes      {median(full):7.1f} ms   (target 50 ms; slowest case {max(full):.1f} ms)"
    yield f"  the same, model compiled anew          {median(cold):7.1f} ms"
    yield f"  belief alone                           {median(belief_only):7.2f} ms"
    yield f"  same posterior, pyAgrum inference only {median(library):7.2f} ms   ({ratio:.0f} times ours)"
    yield f"  largest difference of a fault's chance {apart:.1e}"


def _advise(model: Model, case: Case) -> object:
    return advise(assess(model, case), Prices.of(model.known, case.device.value))


def _advise_anew(case: Case) -> object:
    return _advise(Model(shipped(), case.device, case.history), case)
