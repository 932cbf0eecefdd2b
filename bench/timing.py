"""Timing by repetition."""

from collections.abc import Callable
from statistics import median
from time import perf_counter


def milliseconds(call: Callable[[], object], times: int) -> float:
    """Median wall time of one call [ms]."""
    taken = []
    for _ in range(times):
        start = perf_counter()
        call()
        taken.append((perf_counter() - start) * 1000)
    return median(taken)
