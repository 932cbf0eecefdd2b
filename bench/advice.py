"""Advice for a job against the same posterior by a general-purpose Bayesian-network library (pyAgrum)."""

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from statistics import median

import numpy as np
import pyagrum as gum

from bench.timing import milliseconds
from chargepath.case.entries import Case, RepairEvent
from chargepath.decision import refcases
from chargepath.decision.advice import advise
from chargepath.decision.prices import Prices
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.forward import likelihood
from chargepath.diagnosis.graded import read_events
from chargepath.diagnosis.model import Model
from chargepath.diagnosis.states import build_states, triples
from chargepath.knowledge.loader import shipped


def cases() -> list[Case]:
    """The reference cases, each cut after every one of its entries."""
    return [
        replace(case, events=case.events[:size])
        for _, _, case in refcases.cases(shipped())
        for size in range(1, len(case.events) + 1)
    ]


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
    known, full, cold, belief_only, library, apart, triple = shipped(), [], [], [], [], 0.0, 0.0
    chosen = cases()
    for case in chosen:
        model = Model(known, case.device, case.history)
        cold.append(milliseconds(partial(_advise_anew, case), 1))
        full.append(milliseconds(partial(_advise, model, case), 3))
        belief_only.append(milliseconds(partial(assess, model, case), 3))
        triple = max(triple, _three_faults_apart(model, case))
        belief = assess(model, case)
        if belief.widened or any(isinstance(event, RepairEvent) for event in case.events):
            continue
        net, evidence = reference(model, case)
        library.append(milliseconds(partial(infer, net, evidence, model.fault_ids), 1))
        ours = belief.model.states.marginals(belief.mass)
        apart = max(apart, float(np.abs(ours - infer(net, evidence, model.fault_ids)).max()))
    ratio = median(library) / median(belief_only)
    yield f"advice: {len(chosen)} cases, one core, median of medians"
    slowest = f"target 10 ms; slowest case {max(full):.1f} ms"
    yield f"  belief, all two steps ahead, routes    {median(full):7.1f} ms   ({slowest})"
    yield f"  the same, model compiled anew          {median(cold):7.1f} ms"
    yield f"  belief alone                           {median(belief_only):7.2f} ms"
    yield f"  same posterior, pyAgrum inference only {median(library):7.2f} ms   ({ratio:.0f} times ours)"
    yield f"  largest difference of a fault's chance {apart:.1e}, with every set of three faults {triple:.1e}"


def _three_faults_apart(model: Model, case: Case) -> float:
    """Largest difference of a fault's chance over all sets of up to three faults, against the network's inference."""
    n_faults = len(model.fault_ids)
    wide = model.with_states(build_states(n_faults, triples(n_faults)))
    net, evidence = reference(wide, case)
    mass = wide.prior.copy()
    for entry in read_events(wide, case.events):
        mass = mass * likelihood(wide, entry)
    ours = wide.states.marginals(mass / mass.sum())
    return float(np.abs(ours - infer(net, evidence, wide.fault_ids)).max())


def _advise(model: Model, case: Case) -> object:
    return advise(assess(model, case), Prices.of(model.known, case.device.value))


def _advise_anew(case: Case) -> object:
    return _advise(Model(shipped(), case.device, case.history), case)
