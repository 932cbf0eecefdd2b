"""How often another suspect leads where the numbers that people wrote down are a little otherwise."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from math import exp, log

import numpy as np

from bench.advice import cases
from chargepath.case.entries import Case
from chargepath.diagnosis.belief import assess
from chargepath.diagnosis.model import Model
from chargepath.knowledge import Knowledge
from chargepath.knowledge.loader import shipped

# Each chance of what a fault shows is moved in its log-odds by a normal of this spread, so often.
SPREAD, DRAWS = 0.5, 20
# A suspect that leads by so much is no toss of a coin.
CLEAR = 0.1


def moved(chance: float, by: float) -> float:
    """A chance whose odds are exp(by) times what they were; none and all stay."""
    return chance if chance in (0.0, 1.0) else 1 / (1 + exp(-log(chance / (1 - chance)) - by))


def shaken(known: Knowledge, rng: np.random.Generator) -> Knowledge:
    """The knowledge with every chance of what a fault shows moved, each for itself."""

    def table(rows: Mapping[str, Mapping[str, float]], *, whole: bool) -> dict[str, dict[str, float]]:
        out = {}
        for key, chances in rows.items():
            new = {name: moved(chance, rng.normal(0, SPREAD)) for name, chance in chances.items()}
            total = sum(new.values())
            out[key] = {name: chance / total for name, chance in new.items()} if whole and total > 1 else new
        return out

    faults = {
        name: replace(fault, grades=table(fault.grades, whole=True), signs=table(fault.signs, whole=False))
        for name, fault in known.faults.items()
    }
    return replace(known, faults=faults)


def leading(known: Knowledge, found: list[Case]) -> list[tuple[str, float]]:
    """The first suspect of each case, and by how much it leads."""
    models: dict[object, Model] = {}
    out = []
    for case in found:
        device, history = case.compiled_for
        if (device, history) not in models:
            models[device, history] = Model(known, device, history)
        first, second, *_ = assess(models[device, history], case).faults
        out.append((first[0], first[1] - second[1]))
    return out


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    known, found, rng = shipped(), cases(), np.random.default_rng(11)
    names, leads = zip(*leading(known, found), strict=True)
    clear = np.array(leads) >= CLEAR
    same = np.array(
        [
            [one == name for name, (one, _) in zip(names, leading(shaken(known, rng), found), strict=True)]
            for _ in range(DRAWS)
        ]
    )
    share, error = float(same.mean()), float(same.mean(axis=1).std()) / DRAWS**0.5
    yield f"chances of what faults show moved by exp(N(0, {SPREAD:g})) in their odds, {DRAWS} times:"
    yield f"  the first suspect stays in {share:.1%} of {len(found)} states (standard error {error:.1%}; target 93 %)"
    yield f"  in {same[:, clear].mean():.1%} of the {clear.sum()} where it leads by {CLEAR:.0%} or more"
