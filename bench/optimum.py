"""The advice against the exact optimum of small random problems."""

from __future__ import annotations

from collections.abc import Iterator
from multiprocessing import Pool
from time import perf_counter

import numpy as np

from bench.problems import Optimum, advised, follow, problem

PROBLEMS = 200


def both(seed: int) -> tuple[float, float, float]:
    """Optimum, advice two steps deep, advice one step deep."""
    model, prices = problem(seed)
    return (
        Optimum(model, prices).cost(),
        follow(model, prices, advised(prices)),
        follow(model, prices, advised(prices, 1)),
    )


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    start = perf_counter()
    with Pool(2) as pool:
        rows = np.array(pool.map(both, range(PROBLEMS), chunksize=2))
    means, worst = rows.mean(axis=0), (rows / rows[:, :1]).max(axis=0)
    yield f"exact optimum by dynamic programming: {PROBLEMS} problems of up to 6 faults, 6 checks, 5 routes"
    yield f"  mean cost of the optimum          {means[0]:7.2f}"
    over, tops = means / means[0] - 1, worst - 1
    yield f"  advice, two steps ahead           {means[1]:7.2f}   ({over[1]:+.1%}; target 3 %; worst {tops[1]:+.1%})"
    yield f"  advice, one step ahead            {means[2]:7.2f}   ({over[2]:+.1%}; worst {tops[2]:+.1%})"
    yield f"  (in {perf_counter() - start:.0f} s on two cores)"
