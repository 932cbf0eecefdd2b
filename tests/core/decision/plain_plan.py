"""The ratio rule written for reading, in numpy over all beliefs at once: what the compiled one is held against."""

import numpy as np


def plain_plan(table, mass, paid, hardly_pays=-1.0, failed=None):
    """Cost, order and stop of each belief, as `chargepath.decision.plan.plan` gives them."""
    n, n_routes = len(mass), len(table.acts)
    rows, left, going = np.arange(n), mass.copy(), np.ones(n, dtype=bool)
    used = np.zeros((n, n_routes), dtype=bool)
    if failed is not None:
        used[rows[failed >= 0], failed[failed >= 0]] = True
    order = np.zeros((n, n_routes), dtype=np.int64)
    spent, floor = np.full((n, n_routes), np.inf), np.zeros((n, n_routes))
    for step in range(n_routes):
        total = left.sum(axis=1)
        floor[:, step] = table.floor(left)
        cost = table.act_cost + np.maximum(table.opening[table.levels] - table.opening[paid][:, None], 0.0)
        ratio = np.where(used, -1.0, (left @ table.cures) / np.maximum(cost, 1e-9))
        chosen = ratio.argmax(axis=1)
        going &= ~used.all(axis=1)
        going &= ratio.max(axis=1) * table.value > hardly_pays * total
        order[going, step] = chosen[going]
        used[rows, chosen] = True
        paid = np.maximum(paid, table.levels[chosen])
        for row in np.flatnonzero(going):
            left[row] = table.states.remove(left[row], table.removes[chosen[row]])
        passed = left * table.works
        wrong = passed[:, 1:].sum(axis=1)
        here = cost[rows, chosen] * total + table.spared * passed.sum(axis=1) + wrong * table.comeback[chosen]
        spent[going, step] = here[going]
        left = np.where(going[:, None], left - passed, left)
    worth, stop = table.floor(left), np.full(n, n_routes)
    for step in range(n_routes - 1, -1, -1):
        stops = floor[:, step] <= spent[:, step] + worth
        worth = np.where(stops, floor[:, step], spent[:, step] + worth)
        stop[stops] = step
    return worth, order, stop
