"""The likelihood of every observation in every state, for one device and its history.

Graded checks combine by noisy-MAX over their ordered grades, signs by noisy-OR, both with a leak for what shows
without any fault that affects the check, and drawn apart a little, since chances that people write down are hedged.
An open place upstream hides what lies behind it: for a check with an `open_grade`, each fault in `cut_by` opens the
line with the chance of that grade; the nearest open place then decides, together with what lies before it.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from functools import cached_property, lru_cache

import numpy as np

from chargepath.base.arrays import Array
from chargepath.case.entries import Device
from chargepath.diagnosis.states import WIDEST, States, build_states, set_prior
from chargepath.knowledge import Check, Fault, Knowledge, Route

# What readings along the path can never rule out: mixed-up sheets, a board that is built otherwise; and the largest
# logarithm that is taken in, which keeps its exponential finite.
PATH_SLIP, MOST_LOG = 0.003, 300.0


def noisy_max(states: States, effects: Array, leak: Array, cuts: Array, stations: Array, open_grade: int) -> Array:
    """Chance of each grade in each state.

    Parameters
    ----------
    states : States
    effects : array, shape (n_faults, n_grades)
        Grade distribution of each fault acting alone; grade 0 is "no effect".
    leak : array, shape (n_grades,)
        Grade distribution of the leak.
    cuts : array, shape (n_faults,)
        1.0 for faults that can open the line (their chance of `open_grade` is the chance that they do).
    stations : array, shape (n_faults,)
        Position of each fault on the charge line; ties are decided by fault index.
    open_grade : int
        Index of the grade an open line shows; ignored where `cuts` is all zero.

    Returns
    -------
    array, shape (n_states, n_grades)

    Examples
    --------
    One fault that shows the worse of two grades six times of ten, a leak of one in ten: 1 - 0.4 · 0.9.

    >>> states, effects = build_states(1), np.array([[0.4, 0.6]])
    >>> noisy_max(states, effects, np.array([0.9, 0.1]), np.zeros(1), np.zeros(1), 0).round(4).tolist()
    [[0.9, 0.1], [0.36, 0.64]]

    """
    n_grades = leak.size
    mask = np.append(cuts * effects[:, open_grade], 0.0)
    rest = np.vstack([effects, np.eye(1, n_grades)])
    cutting = mask > 0
    rest[cutting, open_grade] = 0.0
    left = rest[cutting].sum(axis=1, keepdims=True)
    rest[cutting] = np.where(left > 0, rest[cutting] / np.where(left > 0, left, 1.0), np.eye(1, n_grades))
    cumulative = rest.cumsum(axis=1)

    position = np.append(stations, np.inf)
    order = np.argsort(position[states.members], axis=1, kind="stable")
    members = np.take_along_axis(states.members, order, axis=1)
    m, place, cdf = mask[members], position[members], cumulative[members]
    opened = (np.arange(n_grades) >= open_grade).astype(float)

    total = (1 - m).prod(axis=1)[:, None] * cdf.prod(axis=1)
    closed_before = np.ones(len(states))
    for j in range(WIDEST):
        weight = m[:, j] * closed_before
        if weight.any():
            visible = (place <= place[:, j : j + 1])[:, :, None] & (np.arange(WIDEST) != j)[None, :, None]
            total += weight[:, None] * opened * np.where(visible, cdf, 1.0).prod(axis=1)
        closed_before = closed_before * (1 - m[:, j])
    total *= leak.cumsum()
    return np.asarray(np.diff(total, axis=1, prepend=0.0))


def noisy_or(states: States, effects: Array, leak: Array) -> Array:
    """Chance of each sign in each state, shape (n_states, n_signs), from effects of shape (n_faults, n_signs).

    Examples
    --------
    Two faults of 0.5 each and a leak of 0.1: 1 - 0.9 · 0.5 · 0.5 where both are there.

    >>> noisy_or(build_states(2), np.array([[0.5], [0.5]]), np.array([0.1])).round(4)[:, 0].tolist()
    [0.1, 0.55, 0.55, 0.775]

    """
    absent = np.vstack([1 - effects, np.ones((1, leak.size))])
    return np.asarray(1 - (1 - leak) * absent[states.members].prod(axis=1))


def sharpened(chance: Array, sharpness: float, *, each: bool = False) -> Array:
    """Chances drawn apart: each to a power above 1, and added up to 1 again.

    Chances that people write down are hedged; a reading tells more than they say (`sharpness` in scale.toml).

    Parameters
    ----------
    chance : array, shape (n_states, n_outcomes)
        Rows that add up to 1, or, where `each` outcome stands for itself, chances of yes against no.
    sharpness : float
    each : bool

    Examples
    --------
    0.8² : 0.2² is 0.64 : 0.04.

    >>> sharpened(np.array([[0.8, 0.2]]), 2.0).round(4).tolist()
    [[0.9412, 0.0588]]

    """
    powered = np.clip(chance, 0.0, 1.0) ** sharpness
    if each:
        return np.asarray(powered / (powered + np.clip(1 - chance, 0.0, 1.0) ** sharpness))
    return np.asarray(powered / powered.sum(axis=1, keepdims=True))


def history_weight(known: Knowledge, fault: Fault, device: Device, history: tuple[str, ...]) -> float:
    """Prior weight of a fault on this device; the history's product is kept within the knowledge's limits.

    Parameters
    ----------
    known : Knowledge
    fault : Fault
    device : Device
    history : tuple of str
        Flags that were told.

    """
    told = 1.0
    for flag in history:
        told *= fault.factors["history"].get(flag, 1.0)
    told = min(max(told, known.model.history_low), known.model.history_high)
    built = (
        fault.factors["carrier"].get(device.carrier, 1.0)
        * fault.factors["connector"].get(device.connector, 1.0)
        * fault.factors["kind"].get(device.kind, 1.0)
        * fault.factors["wireless"].get("yes" if device.wireless else "no", 1.0)
    )
    return fault.weight * told * built


@lru_cache(maxsize=1024)
def effects_of(known: Knowledge, name: str, variant: str) -> Array:
    """What each fault does alone to a check, shape (n_faults, n_outcomes); for grades each row adds up to 1."""
    check = known.checks[name]
    outcomes, key = check.signs or check.grades, check.key(variant)
    rows = np.zeros((len(known.faults), len(outcomes)))
    for row, fault in enumerate(known.faults.values()):
        source: Mapping[str, Mapping[str, float]] = fault.signs if check.is_look else fault.grades
        found = source.get(key)
        if found is None and variant not in check.own_effects:
            found = source.get(check.id)
        for outcome, chance in (found or {}).items():
            rows[row, outcomes.index(outcome)] = chance
        if check.grades:
            rows[row, 0] += 1 - rows[row].sum()
    rows.flags.writeable = False
    return rows


@lru_cache(maxsize=64)
def _affecting(known: Knowledge) -> dict[str, frozenset[str]]:
    """Ids of the faults that each check's answer depends on, by evidence key."""
    out = {}
    for check in known.checks.values():
        ways = {fault.id for fault in known.faults.values() if check.id in fault.modes}
        for variant in check.variants or ("",):
            touched = effects_of(known, check.id, variant)[:, 0 if check.is_look else 1 :].sum(axis=1).tolist()
            found = {name for name, hit in zip(known.faults, touched, strict=True) if hit}
            out[check.key(variant)] = frozenset(found | ways)
    return out


class Model:
    """Knowledge compiled for one device and its history; tables are made when first asked for.

    Parameters
    ----------
    known : Knowledge
    device : Device
    history : tuple of str
    states : States, optional
        The sets to spread the belief over; all sets of up to two faults by default.

    """

    def __init__(
        self, known: Knowledge, device: Device, history: tuple[str, ...] = (), states: States | None = None
    ) -> None:
        self.known = known
        self.device = device
        self.history = history
        self.fault_ids = tuple(known.faults)
        self.states = states or build_states(len(self.fault_ids))
        self._fault_index = {name: index for index, name in enumerate(self.fault_ids)}
        self._tables: dict[str, Array] = {}
        self._looks: dict[str, list[tuple[float, Array]]] = {}

    def with_states(self, states: States) -> Model:
        """Return the same model over other states."""
        return Model(self.known, self.device, self.history, states)

    @cached_property
    def weights(self) -> Array:
        """Prior weight of each fault, shape (n_faults,)."""
        faults = self.known.faults.values()
        return np.array([history_weight(self.known, fault, self.device, self.history) for fault in faults])

    @cached_property
    def prior(self) -> Array:
        """Prior over the states, shape (n_states,)."""
        numbers = self.known.model
        return set_prior(self.states, self.weights, numbers.nothing_wrong, numbers.pairs, numbers.triples)

    def leak(self, check: Check) -> Array:
        """Leak of each grade or sign after this history, shape (n_outcomes,)."""
        leak = dict(check.leak)
        for flag in self.history:
            for outcome, chance in check.leak_history.get(flag, {}).items():
                leak[outcome] = max(leak[outcome], chance) if check.is_look else chance
        return np.array([leak[outcome] for outcome in check.signs or check.grades])

    def effects(self, check: Check, variant: str = "") -> Array:
        """What each fault does alone, shape (n_faults, n_outcomes); for grades each row adds up to 1.

        Not to be written to.
        """
        return effects_of(self.known, check.id, variant)

    def affecting(self, key: str) -> frozenset[str]:
        """Ids of the faults that a check's answer depends on, by its evidence key."""
        return _affecting(self.known)[key]

    def showing(self, look: str, sign: str) -> frozenset[str]:
        """Ids of the faults that show a sign to a look."""
        return frozenset(
            fault.id
            for fault in self.known.faults.values()
            if fault.signs.get(look, {}).get(sign) or any(mode.signs.get(sign) for mode in fault.modes.get(look, ()))
        )

    def first_of(self, check: Check) -> tuple[Check, str]:
        """The reading of the same path whose answer a check partly repeats: its check and variant."""
        assert check.given is not None
        name, _, variant = check.given.key.partition("@")
        return self.known.checks[name], variant

    def _repeated(self, check: Check, grade: str) -> Array:
        """What each fault does alone to a check once the other reading of its path showed `grade`.

        Where that was one of the shared grades, each fault that shows it there shows it here; where it was not, no
        fault shows here what it would have shown there.
        """
        assert check.given is not None
        first, variant = self.first_of(check)
        own, other = self.effects(check).copy(), self.effects(first, variant)
        here = [check.grades.index(name) for name in check.given.shared]
        there = [first.grades.index(name) for name in check.given.shared]
        if grade in check.given.shared:
            column, shown = check.grades.index(grade), other[:, first.grades.index(grade)] > 0
            own[shown] *= 1 - check.given.follows
            own[shown, column] += check.given.follows
        else:
            both = np.minimum(own[:, here], other[:, there])
            own[:, here] -= both
            own[:, 0] += both.sum(axis=1)
        return own

    def table_given(self, check: Check, weights: Array) -> Array:
        """Chance of each grade in each state once the other reading of its path is known.

        P(here | there, R) summed over what it showed there, each grade as likely as the reading and the state make it.

        Parameters
        ----------
        check : Check
            One with `given`.
        weights : array, shape (n_grades,)
            Likelihood of the other reading under each of its grades.

        """
        first, variant = self.first_of(check)
        shown = self.table(first, variant) * weights
        shown = shown / np.maximum(shown.sum(axis=1, keepdims=True), 1e-300)
        out = np.zeros((len(self.states), len(check.grades)))
        for column, grade in enumerate(first.grades):
            if weights[column] > 0:
                out += shown[:, column : column + 1] * self.table(check, given=grade)
        return out

    def table(self, check: Check, variant: str = "", given: str = "") -> Array:
        """Chance of each grade (or sign) in each state, the slip included; shape (n_states, n_outcomes).

        `given` is what the other reading of its path showed, '' for nothing.
        """
        if check.is_look:
            looks = self.looks(check)
            return looks[0][1] if len(looks) == 1 else np.asarray(sum(share * table for share, table in looks))
        key = check.key(variant) + (f"|{given}" if given else "")
        if key not in self._tables:
            effects = self._repeated(check, given) if given else self.effects(check, variant)
            leak = self.leak(check)
            slip, sharpness = self.known.model.slip, self.known.model.sharpness
            ids = self.fault_ids
            cutting = check.cut_by if variant not in check.own_effects else ()
            cuts = np.array([float(name in cutting) for name in ids])
            stations = np.array(
                [float(self.known.stations[fault.station].position) for fault in self.known.faults.values()]
            )
            place = check.grades.index(check.open_grade) if check.open_grade else 0
            chance = sharpened(noisy_max(self.states, effects, leak, cuts, stations, place), sharpness)
            self._tables[key] = (1 - slip) * chance + slip / len(check.grades)
        return self._tables[key]

    def looks(self, check: Check) -> list[tuple[float, Array]]:
        """Chance of each sign of a look in each state, shape (n_states, n_signs), with the share of each way.

        One table, or as many as there are ways, excluding each other, in which a fault shows itself to this look.
        """
        if check.id not in self._looks:
            slip, sharpness, leak = self.known.model.slip, self.known.model.sharpness, self.leak(check)
            out = []
            for share, effects in self._ways(check):
                chance = sharpened(noisy_or(self.states, effects, leak), sharpness, each=True)
                out.append((share, (1 - slip) * chance + slip / 2))
            self._looks[check.id] = out
        return self._looks[check.id]

    def _ways(self, check: Check) -> list[tuple[float, Array]]:
        """What each fault does alone to a look, with the share of each of its ways."""
        effects = self.effects(check)
        for row, fault in enumerate(self.known.faults.values()):
            if check.id in fault.modes:
                out = []
                for mode in fault.modes[check.id]:
                    one = effects.copy()
                    one[row] = [mode.signs.get(sign, 0.0) for sign in check.signs]
                    out.append((mode.share, one))
                return out
        return [(1.0, effects)]

    def seen(self, check: Check, signs: Collection[str]) -> Array:
        """Chance that a look shows just these signs in each state, shape (n_states,)."""
        shown = np.array([sign in signs for sign in check.signs])
        parts = [share * np.where(shown, table, 1 - table).prod(axis=1) for share, table in self.looks(check)]
        return np.asarray(sum(parts))

    def along_path(self, scores: Mapping[str, float]) -> Array:
        """How likely readings along the path are in each state, the likeliest 1; shape (n_states,).

        A fault shows itself on the lines in one of its ways (`faults` of locate.toml), or not at all. Where two are
        present, each may show itself or not; readings that both explain are explained once.

        Parameters
        ----------
        scores : mapping of suspicion to float
            Logarithm of the likelihood against good lines.

        """
        ways: dict[str, list[tuple[float, float]]] = {name: [] for name in self.fault_ids}
        for row in self.known.suspicions.values():
            for fault, share in row.faults.items():
                ways[fault].append((share, math.exp(min(scores.get(row.id, 0.0), MOST_LOG))))
        shown = np.array([sum(share for share, _ in ways[name]) for name in self.fault_ids])
        gain = np.array([sum(share * ratio for share, ratio in ways[name]) for name in self.fault_ids])
        ratio = np.append(np.where(shown > 0, gain / np.maximum(shown, 1e-12), 1.0), 1.0)
        shown = np.append(shown, 0.0)
        out = np.zeros(len(self.states))
        members = self.states.members
        for mask in range(2**WIDEST):
            showing = np.array([bool(mask >> place & 1) for place in range(WIDEST)])
            chance = np.where(showing, shown[members], 1 - shown[members]).prod(axis=1)
            explained = np.where(showing, ratio[members], 0.0).max(axis=1) if mask else np.ones(len(self.states))
            out += chance * explained
        out = out / out.max()
        return np.asarray((1 - PATH_SLIP) * out + PATH_SLIP)

    @cached_property
    def passes(self) -> Array:
        """Chance that a proof is passed with each fault still there, shape (n_faults,)."""
        return np.array([fault.passes for fault in self.known.faults.values()])

    @cached_property
    def works(self) -> Array:
        """Chance that the device passes a proof in each state, shape (n_states,)."""
        return self._slipped(self.passes)

    def works_trying(self, route: Route) -> Array:
        """The same while a known-good part stands in for what the route replaces."""
        out = self.removes(route, trying=True)
        stays = np.array([1 - out.get(index, 0.0) for index in range(len(self.fault_ids))])
        return self._slipped(1 - stays + stays * self.passes)

    def _slipped(self, passes: Array) -> Array:
        slip = self.known.model.slip
        return (1 - slip) * self.known.model.works_when_clean * self.states.product(passes) + slip / 2

    def removes(self, route: Route, trying: bool = False, failed: int = 0) -> dict[int, float]:
        """Fault index to the chance that the route (or, when trying, the part standing in) takes it away.

        The same work that failed here already (`failed` times) is no fresh chance: what is left of it is `again`.
        """
        cures = route.cures_on(self.device.carrier)
        if trying:
            cures = {**cures, **route.try_cures}
        return {self._fault_index[name]: chance * route.again**failed for name, chance in cures.items()}

    def brought_by(self, leaves: Mapping[str, float]) -> dict[int, float]:
        """Fault index to the chance that the work, or a mishap, leaves this fault behind."""
        return {self._fault_index[name]: chance for name, chance in leaves.items()}

    def relapses(self, route: Route) -> dict[int, float]:
        """Fault index to the chance that what the route cured is there again when the device comes back."""
        if not route.relapses:
            return {}
        return {self._fault_index[name]: route.relapses for name in route.cures_on(self.device.carrier)}

    @property
    def comes_back(self) -> Array:
        """How likely it is in each state that a device is brought back as not charging, shape (n_states,)."""
        slip = self.known.model.slip
        return np.where(np.arange(len(self.states)) == 0, slip / 2, 1 - slip / 2)

    def cured(self, route: Route) -> Array:
        """Chance that the route removes everything in each state, shape (n_states,)."""
        cures = self.removes(route)
        return self.states.product(np.array([cures.get(index, 0.0) for index in range(len(self.fault_ids))]))

    def offers(self, check: Check) -> bool:
        """Whether the check makes sense on this device."""
        return check.fits(self.device.connector, self.device.wireless)

    def offers_route(self, route: Route) -> bool:
        """Whether the route makes sense on this device."""
        return route.fits(self.device.carrier, self.device.traits, wireless=self.device.wireless)


@lru_cache(maxsize=256)
def compiled(known: Knowledge, device: Device, history: tuple[str, ...] = ()) -> Model:
    """The model of a device and its history, kept: its tables are what takes time."""
    return Model(known, device, history)
