"""The advice against the exact optimum of small random problems."""

from __future__ import annotations

import signal
from collections.abc import Iterator
from multiprocessing import Pool
from time import perf_counter

import numpy as np

from bench.problems import Optimum, advised, follow, problem

PROBLEMS = 200
# Larger problems, six faults each, as (checks, routes): as many as are solved within the limit [s].
LARGE, LIMIT_S = ((4, 4), (4, 5), (5, 3), (5, 4), (6, 3), (6, 5)) * 4, 60


def both(seed: int) -> tuple[float, float, float]:
    """Optimum, advice two steps deep, advice one step deep."""
    model, prices = problem(seed)
    return (
        Optimum(model, prices).cost(),
        follow(model, prices, advised(prices)),
        follow(model, prices, advised(prices, 1)),
    )


def large(job: tuple[int, tuple[int, int]]) -> tuple[float, float] | None:
    """Optimum and advice of a larger problem, None where the optimum takes too long."""
    seed, (checks, routes) = job
    model, prices = problem(seed, 6, checks, routes)

    def stop(*_: object) -> None:
        raise TimeoutError

    signal.signal(signal.SIGALRM, stop)
    signal.alarm(LIMIT_S)
    try:
        return Optimum(model, prices).cost(), follow(model, prices, advised(prices))
    except TimeoutError:
        return None
    finally:
        signal.alarm(0)


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    start = perf_counter()
    with Pool(2) as pool:
        rows = np.array(pool.map(both, range(PROBLEMS), chunksize=2))
        tried = pool.map(large, [(2000 + number, size) for number, size in enumerate(LARGE)], chunksize=1)
    means, worst = rows.mean(axis=0), (rows / rows[:, :1]).max(axis=0)
    yield f"exact optimum by dynamic programming: {PROBLEMS} problems of up to 6 faults, 6 checks, 5 routes"
    yield f"  mean cost of the optimum          {means[0]:7.2f}"
    over, tops = means / means[0] - 1, worst - 1
    yield f"  advice, two steps ahead           {means[1]:7.2f}   ({over[1]:+.1%}; target 3 %; worst {tops[1]:+.1%})"
    yield f"  advice, one step ahead            {means[2]:7.2f}   ({over[2]:+.1%}; worst {tops[2]:+.1%})"
    solved = np.array([row for row in tried if row is not None])
    more, far = solved.mean(axis=0), float((solved[:, 1] / solved[:, 0]).max() - 1)
    yield "  larger ones, 6 faults, 4 to 6 checks, 3 to 5 routes:"
    yield f"    {len(solved)} of {len(LARGE)} solved in {LIMIT_S} s each"
    yield f"    advice, two steps ahead         {more[1]:7.2f}   ({more[1] / more[0] - 1:+.1%}; worst {far:+.1%})"
    yield f"  (in {perf_counter() - start:.0f} s on two cores)"
