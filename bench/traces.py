"""Phases of records with known truth, against a general change-point library (ruptures) on the same records."""

from collections.abc import Callable, Iterator
from functools import partial
from statistics import median
from time import perf_counter

import numpy as np
import ruptures

from bench.timing import milliseconds
from chargepath.base.arrays import Array
from chargepath.grading.expect import Conditions
from chargepath.knowledge.loader import shipped
from chargepath.standin.records import METERS, Truth, compose, scenarios
from chargepath.trace.grid import GRID_S, make_grid, measure_quantum
from chargepath.trace.model import Trace
from chargepath.trace.phases import KINDS, cut_phases
from chargepath.trace.verdict import judge_trace
from tests.inverses import sample_kinds

SEEDS = (101, 102)
PENALTIES = (1.0, 4.0, 16.0)
LONGEST = 650


def records() -> list[tuple[str, str, float | None, Trace, list[Truth]]]:
    """Every course of events through every meter, with seeds that were not used while writing."""
    out = []
    for _name, (grade, percent, pieces) in scenarios().items():
        for meter_name, meter in METERS.items():
            for seed in SEEDS:
                out.append((meter_name, grade, percent, *compose(pieces, meter, seed)))
    return out


def true_edges(truth: list[Truth]) -> list[float]:
    """Times at which one phase turns into the next [s]."""
    return [phase.start for phase in truth[1:]]


def score(found: list[float], edges: list[float], tolerance: float) -> tuple[int, int, int, list[float]]:
    """Hits, false ones, missed ones, and the errors of the hits [s]; each edge is used once."""
    left, errors = list(edges), []
    for at in sorted(found):
        near = min(left, key=lambda edge: abs(edge - at), default=None)
        if near is not None and abs(near - at) <= tolerance:
            left.remove(near)
            errors.append(abs(near - at))
    return len(errors), len(found) - len(errors), len(left), errors


def f1(hits: int, false: int, missed: int) -> float:
    """Harmonic mean of precision and recall."""
    return 2 * hits / max(2 * hits + false + missed, 1)


def own_edges(trace: Trace) -> list[float]:
    """Where phases change by our own method."""
    return [phase.start for phase in cut_phases(trace, 2.0)[1:]]


def pelt(grid_amps: Array, noise: float, factor: float) -> list[int]:
    """Change points by the library's exact search (PELT, squared error)."""
    penalty = factor * np.log(grid_amps.size) * max(noise, 0.01) ** 2 * 4
    found: list[int] = ruptures.Pelt(model="l2", min_size=2, jump=1).fit(grid_amps).predict(pen=penalty)[:-1]
    return found


def kernel(grid_amps: Array, noise: float, factor: float) -> list[int]:
    """Change points by the library's compiled search (linear kernel)."""
    penalty = factor * np.log(grid_amps.size) * max(noise, 0.01) ** 2 * 4
    found: list[int] = ruptures.KernelCPD(kernel="linear", min_size=2).fit(grid_amps).predict(pen=penalty)[:-1]
    return found


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    known = shipped()
    shares: dict[str, list[float]] = {name: [] for name in METERS}
    graded, kinds_right = 0, 0
    all_records = records()
    for meter_name, grade, percent, trace, truth in all_records:
        verdict = judge_trace(known, trace, Conditions("phone", percent=percent))
        graded += verdict.current.grade == grade
        want = np.zeros(len(trace), dtype=int)
        for phase in truth:
            want[(trace.seconds >= phase.start) & (trace.seconds < phase.stop)] = KINDS.index(phase.kind)
        share = float(np.mean(sample_kinds(trace, list(verdict.phases)) == want))
        shares[meter_name].append(share)
        kinds_right += share > 0.9
    yield f"records: {len(all_records)} with known truth, seeds not used while writing"
    yield f"  grade of the charger current right     {graded} of {len(all_records)}"
    yield f"  over 90 % of the time in its own phase {kinds_right} of {len(all_records)}"
    for name, values in shares.items():
        yield f"  time in the right phase, {name:14s} {np.mean(values):.4f}   (worst {min(values):.3f})"
    yield from _against_library(all_records)


def _against_library(all_records: list[tuple[str, str, float | None, Trace, list[Truth]]]) -> Iterator[str]:
    rates = ("1 Hz, 0.01 A", "10 Hz, 1 mA")
    for rate in rates:
        rows = [row for row in all_records[:: len(SEEDS)] if row[0] == rate]
        yield from _compare(rate, [row for row in rows if row[3].duration / max(row[3].step, GRID_S) <= LONGEST])


def _compare(rate: str, chosen: list[tuple[str, str, float | None, Trace, list[Truth]]]) -> Iterator[str]:
    methods: dict[str, Callable[[Array, float, float], list[int]]] = {
        "ruptures PELT": pelt,
        "ruptures kernel, compiled": kernel,
    }
    ours = [0, 0, 0]
    errors: list[float] = []
    times: list[float] = []
    totals = {(name, factor): [0, 0, 0] for name in methods for factor in PENALTIES}
    library_errors: dict[tuple[str, float], list[float]] = {key: [] for key in totals}
    spent: dict[str, list[float]] = {name: [] for name in methods}
    for _, _, _, trace, truth in chosen:
        edges = true_edges(truth)
        grid = make_grid(trace.seconds, trace.amps, measure_quantum(trace.amps))
        tolerance = max(0.6, 1.5 * grid.step)
        # Loops are one phase to us and a series of steps to a general method: their inner steps are no error
        # of its own.
        inner = [(phase.start, phase.stop) for phase in truth if phase.kind == "loop"]
        hits = score(own_edges(trace), edges, tolerance)
        ours = [a + b for a, b in zip(ours, hits[:3], strict=True)]
        errors += hits[3]
        times.append(milliseconds(partial(own_edges, trace), 3))
        for name, method in methods.items():
            for factor in PENALTIES:
                begun = perf_counter()
                found = [float(grid.edges[index]) for index in method(grid.amps, grid.noise, factor)]
                spent[name].append((perf_counter() - begun) * 1000)
                found = [at for at in found if not any(start + 0.7 < at < stop - 0.7 for start, stop in inner)]
                result = score(found, edges, tolerance)
                key = (name, factor)
                totals[key] = [a + b for a, b in zip(totals[key], result[:3], strict=True)]
                library_errors[key] += result[3]
    yield f"  changes of phase on {len(times)} of these at {rate}: F1 of found and false; median error; time a record"
    yield f"    ours                       {f1(*ours):.3f}   {median(errors):.2f} s   {median(times):8.1f} ms"
    for name in methods:
        best = max(PENALTIES, key=lambda factor: f1(*totals[name, factor]))
        ratio = median(spent[name]) / median(times)
        error = median(library_errors[name, best])
        yield (
            f"    {name:26s} {f1(*totals[name, best]):.3f}   {error:.2f} s   {median(spent[name]):8.1f} ms"
            f"   ({ratio:.2g} times ours; best of {len(PENALTIES)} penalties)"
        )
