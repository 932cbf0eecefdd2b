"""Present sets of faults: the states that the belief is spread over.

A state is a set R of faults that are present together: nothing, one, two, and three where two cannot explain the
evidence.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from itertools import combinations

import numpy as np

from chargepath.base.arrays import Array, Ints

WIDEST = 3


@dataclass(frozen=True, eq=False)
class States:
    """A list of fault sets that is closed under taking faults away.

    Attributes
    ----------
    n_faults : int
        How many faults there are; fault index `n_faults` means "no fault" in `members`.
    sets : tuple of frozenset of int
        The states, the empty set first.
    members : int array, shape (n_states, 3)
        Fault indices of each state, padded with `n_faults`.
    has : float array, shape (n_states, n_faults)
        1.0 where the fault is in the state.

    """

    n_faults: int
    sets: tuple[frozenset[int], ...]
    members: Ints
    has: Array
    index: Mapping[frozenset[int], int] = field(repr=False)

    def __len__(self) -> int:
        return len(self.sets)

    def marginals(self, mass: Array) -> Array:
        """Chance of each fault being present; shape (n_faults,) from mass of shape (n_states,)."""
        return np.asarray(mass @ self.has)

    def remove(self, mass: Array, removes: Mapping[int, float]) -> Array:
        """Mass after a repair: each fault in `removes` that is present goes with its own chance, independently.

        Parameters
        ----------
        mass : array, shape (..., n_states)
        removes : mapping of fault index to chance of removing it

        Returns
        -------
        array of the same shape

        Examples
        --------
        Half of the first fault's mass goes with a cure of 0.5, alone and out of the pair.

        >>> build_states(2).remove(np.array([0.0, 0.4, 0.2, 0.4]), {0: 0.5}).round(4).tolist()
        [0.2, 0.2, 0.4, 0.2]

        """
        return self.take_away(mass.copy(), removes)

    def take_away(self, mass: Array, removes: Mapping[int, float]) -> Array:
        """The same in place, for a mass that nobody else holds; returns it."""
        return take_away(mass, removes, self.pairs)

    def bring_in(self, mass: Array, brings: Mapping[int, float]) -> Array:
        """Mass after work that may leave faults behind: each comes to a state with its own chance.

        A state that would become too wide stays as it is.

        Parameters
        ----------
        mass : array, shape (n_states,)
        brings : mapping of fault index to chance

        Examples
        --------
        One time in ten the second fault is left behind, on a good device and beside the first fault.

        >>> build_states(2).bring_in(np.array([0.5, 0.5, 0.0, 0.0]), {1: 0.1}).round(4).tolist()
        [0.45, 0.45, 0.05, 0.05]

        """
        out = mass.copy()
        for fault, chance in brings.items():
            holding, freed = self.pairs[fault]
            moved = out[freed] * chance
            out[freed] -= moved
            out[holding] += moved
        return out

    def back_through(self, worth: Array, removes: Mapping[int, float], brings: Mapping[int, float]) -> Array:
        """What mass before a repair is worth, where mass after it is worth so much: `remove`, then `bring_in`, turned
        round.

        Parameters
        ----------
        worth : array, shape (n_states, n)
        removes, brings : mapping of fault index to chance

        Examples
        --------
        >>> states, removes, brings = build_states(2), {0: 0.5}, {1: 0.1}
        >>> mass, worth = np.array([0.1, 0.4, 0.2, 0.3]), np.eye(4)[:, [1, 3]]
        >>> there = states.bring_in(states.remove(mass, removes), brings) @ worth
        >>> bool(np.allclose(there, mass @ states.back_through(worth, removes, brings)))
        True

        """
        out = worth.copy()
        for fault, chance in reversed(list(brings.items())):
            holding, freed = self.pairs[fault]
            out[freed] += chance * (out[holding] - out[freed])
        for fault, chance in reversed(list(removes.items())):
            holding, freed = self.pairs[fault]
            out[holding] += chance * (out[freed] - out[holding])
        return out

    @cached_property
    def pairs(self) -> list[tuple[Ints, Ints]]:
        """For each fault, the states that hold it and the same states without it."""
        out = []
        for fault in range(self.n_faults):
            holding = np.flatnonzero(self.has[:, fault])
            freed = np.array([self.index[self.sets[row] - {fault}] for row in holding], dtype=np.int64)
            out.append((holding, freed))
        return out

    @cached_property
    def pairs_flat(self) -> tuple[Ints, Ints, Ints]:
        """The same one after another: where each fault's begin (n_faults + 1,), holding, freed."""
        starts = np.cumsum([0, *(len(holding) for holding, _ in self.pairs)])
        return starts, np.concatenate([h for h, _ in self.pairs]), np.concatenate([f for _, f in self.pairs])

    def product(self, each: Array) -> Array:
        """Product over each state's members, shape (..., n_states), of one number a fault, shape (..., n_faults)."""
        padded = np.concatenate([each, np.ones((*each.shape[:-1], 1))], axis=-1)
        first, *others = (padded[..., column] for column in self.members.T)
        out = first
        for other in others:
            out = out * other
        return out


def take_away(mass: Array, removes: Mapping[int, float], pairs: Sequence[tuple[Ints, Ints]]) -> Array:
    """Move mass (..., n_states) in place to where faults are gone, each with its chance; returns it.

    Parameters
    ----------
    mass : array, shape (..., n_states)
    removes : mapping of fault index to chance
    pairs : sequence of (holding, freed)
        For each fault, the states that hold it and the same states without it.

    """
    for fault, chance in removes.items():
        holding, freed = pairs[fault]
        held = mass[..., holding]
        gone = held * chance
        mass[..., holding] = held - gone
        mass[..., freed] += gone
    return mass


@lru_cache(maxsize=32)
def build_states(n_faults: int, extra: tuple[frozenset[int], ...] = ()) -> States:
    """All sets of up to two of `n_faults` faults, and the `extra` sets of three."""
    sets = [frozenset(combo) for size in range(3) for combo in combinations(range(n_faults), size)]
    sets += sorted(set(extra) - set(sets), key=sorted)
    members = np.full((len(sets), WIDEST), n_faults, dtype=np.int64)
    has = np.zeros((len(sets), n_faults))
    for row, state in enumerate(sets):
        members[row, : len(state)] = sorted(state)
        has[row, list(state)] = 1.0
    return States(n_faults, tuple(sets), members, has, {state: row for row, state in enumerate(sets)})


def triples(n_faults: int) -> tuple[frozenset[int], ...]:
    """Every set of three faults."""
    return tuple(frozenset(combo) for combo in combinations(range(n_faults), 3))


def set_prior(states: States, weights: Array, nothing: float, pairs: float, three: float) -> Array:
    """Prior over the states, shape (n_states,).

    The empty set gets `nothing`, sets of two together `pairs`, sets of three together `three` (none of it where there
    are none), each in proportion to the product of its members' weights; single faults share the rest by weight.

    Examples
    --------
    Weights 3 to 1: singles share 0.82 by 3 to 1, the one pair gets 0.15.

    >>> set_prior(build_states(2), np.array([3.0, 1.0]), 0.03, 0.15, 0.0).round(4).tolist()
    [0.03, 0.615, 0.205, 0.15]

    """
    product = states.product(weights)
    sizes = states.has.sum(axis=1)
    prior = np.zeros(len(states))
    mass = {0: nothing, 2: pairs, 3: three if np.any(sizes == 3) else 0.0}
    mass[1] = 1.0 - sum(mass.values())
    for size, share in mass.items():
        chosen = sizes == size
        total = product[chosen].sum()
        if total > 0:
            prior[chosen] = share * product[chosen] / total
    return np.asarray(prior / prior.sum())
