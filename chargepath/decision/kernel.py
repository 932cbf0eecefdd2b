"""The ratio rule for many beliefs at once, compiled: the one place where the advice spends its time.

Loading this takes half a second, for the compiler's sake: who needs it loads it then. The same rule written for
reading, in numpy, is the reference that the tests hold this against.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit

from chargepath.base.arrays import Array, Ints


@njit(cache=True)
def _take_out(
    left: Array,
    route: int,
    remove_from: Ints,
    remove_fault: Ints,
    remove_chance: Array,
    pair_from: Ints,
    holding: Ints,
    freed: Ints,
) -> None:
    """Move the mass (n_states,) in place to where the faults that a route takes away are gone."""
    for at in range(remove_from[route], remove_from[route + 1]):
        fault, chance = remove_fault[at], remove_chance[at]
        for pair in range(pair_from[fault], pair_from[fault + 1]):
            gone = left[holding[pair]] * chance
            left[holding[pair]] -= gone
            left[freed[pair]] += gone


def _ratio_rule(
    mass: Array,
    paid: Ints,
    failed: Ints,
    cure_state: Ints,
    cure_route: Ints,
    cure_chance: Array,
    act_cost: Array,
    levels: Ints,
    opening: Array,
    works: Array,
    comeback: Array,
    remove_from: Ints,
    remove_fault: Ints,
    remove_chance: Array,
    pair_from: Ints,
    holding: Ints,
    freed: Ints,
    value: float,
    refer_cost: float,
    spared: float,
    hardly_pays: float,
) -> tuple[Array, Ints, Ints]:
    """Follow the ratio rule for each belief until no route left pays for itself by `hardly_pays`.

    Parameters
    ----------
    mass : array, shape (n, n_states)
        Beliefs, the empty set first; the costs are weighted by their sums.
    paid : int array, shape (n,)
        Access level already paid for.
    failed : int array, shape (n,)
        The route that has just failed, which is not done again; -1 for none.
    cure_state, cure_route, cure_chance : arrays
        Which states are cured by which routes, and with which chance; the empty set is by each and left out.
    act_cost, levels, comeback : arrays, shape (n_routes,)
        Money without opening; access level; money where it passes with something left.
    opening : array, shape (n_levels,)
        Summed price of opening that far.
    works : array, shape (n_states,)
        Chance that a proof passes.
    remove_from, remove_fault, remove_chance : arrays
        Which faults a route takes away and with which chance, from `remove_from[r]` to `remove_from[r + 1]`.
    pair_from, holding, freed : int arrays
        States that hold a fault and the same states without it, from `pair_from[f]` to `pair_from[f + 1]`.
    value, refer_cost, spared : float
        What handing on loses and costs; what a repair spares of its proof that visibly fails.
    hardly_pays : float
        Under 0 to go on to the end.

    Returns
    -------
    cost : array, shape (n,)
    order : int array, shape (n, n_routes)
        Route indices as far as the rule went.
    stop : int array, shape (n,)
        First step at which handing on is no dearer than going on.

    """
    n, n_states = mass.shape
    n_routes = act_cost.size
    cost, stop = np.empty(n), np.empty(n, dtype=np.int64)
    order = np.zeros((n, n_routes), dtype=np.int64)
    spent, floor = np.empty(n_routes), np.empty(n_routes)
    left, score = np.empty(n_states), np.empty(n_routes)
    used = np.empty(n_routes, dtype=np.bool_)
    for row in range(n):
        left[:] = mass[row]
        used[:] = False
        if failed[row] >= 0:
            used[failed[row]] = True
        level, steps = paid[row], 0
        total = left.sum()
        while steps < n_routes:
            score[:] = left[0]
            for at in range(cure_state.size):
                score[cure_route[at]] += left[cure_state[at]] * cure_chance[at]
            best, chosen, price = -1.0, -1, 0.0
            for route in range(n_routes):
                if not used[route]:
                    here = act_cost[route] + max(opening[levels[route]] - opening[level], 0.0)
                    ratio = score[route] / max(here, 1e-9)
                    if ratio > best:
                        best, chosen, price = ratio, route, here
            if chosen < 0 or best * value <= hardly_pays * total:
                break
            floor[steps] = value * (total - left[0]) + refer_cost * total
            order[row, steps] = chosen
            used[chosen] = True
            level = max(level, levels[chosen])
            _take_out(left, chosen, remove_from, remove_fault, remove_chance, pair_from, holding, freed)
            passed = left[0] * works[0]
            wrong = 0.0
            rest = left[0] - passed
            left[0] = rest
            for state in range(1, n_states):
                through = left[state] * works[state]
                wrong += through
                left[state] -= through
                rest += left[state]
            spent[steps] = price * total + spared * (wrong + passed) + wrong * comeback[chosen]
            total = rest
            steps += 1
        worth, stops = value * (total - left[0]) + refer_cost * total, steps
        for step in range(steps - 1, -1, -1):
            worth += spent[step]
            if floor[step] <= worth:
                worth, stops = floor[step], step
        cost[row], stop[row] = worth, stops
    return cost, order, stop


# Sums may be taken in any order: what they are held against agrees to 1e-12.
ratio_rule: Callable[..., tuple[Array, Ints, Ints]] = njit(cache=True, fastmath={"reassoc", "nsz", "contract"})(
    _ratio_rule
)


def _removed_by_each(
    mass: Array,
    remove_from: Ints,
    remove_fault: Ints,
    remove_chance: Array,
    pair_from: Ints,
    holding: Ints,
    freed: Ints,
) -> Array:
    """The mass (n_states,) after each route by itself, shape (n_routes, n_states); parameters as of `_ratio_rule`."""
    n_routes = remove_from.size - 1
    out = np.empty((n_routes, mass.size))
    for route in range(n_routes):
        left = out[route]
        left[:] = mass
        _take_out(left, route, remove_from, remove_fault, remove_chance, pair_from, holding, freed)
    return out


removed_by_each: Callable[..., Array] = njit(cache=True)(_removed_by_each)


def get_ready() -> None:
    """Compile the rule, or read it from where it was kept, before somebody waits for it."""
    none, no = np.zeros(1), np.zeros(1, dtype=np.int64)
    starts = np.zeros(2, dtype=np.int64)
    ratio_rule(
        none[None, :], no, no, no[:0], no[:0], none[:0], none, no, none, none, none,
        starts, no[:0], none[:0], starts, no[:0], no[:0], 0.0, 0.0, 0.0, -1.0,
    )  # fmt: skip
    removed_by_each(none, starts, no[:0], none[:0], starts, no[:0], no[:0])
