"""Frozen dataclasses that the knowledge files are read into.

Likelihoods are probabilities in [0, 1]; minutes are minutes of a technician's time; money is in the shop's
currency. `basis` says where the numbers of a table come from: ``practice`` (common practice, no source),
``memory``, or ``standard: <name>``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.connectors import PinMap


@dataclass(frozen=True)
class Station:
    """One place on the charge line; `position` counts from the charger."""

    id: str
    label: str
    about: str
    position: int


@dataclass(frozen=True)
class Access:
    """How far a device is opened; `open_minutes` come on top of the levels before."""

    id: str
    label: str
    about: str
    open_minutes: float
    cautions: tuple[str, ...]
    level: int
    basis: str


@dataclass(frozen=True)
class Connector:
    """A kind of receptacle with its pin map."""

    id: str
    label: str
    reversible: bool
    pins: int
    source_volts: float
    map: PinMap
    basis: str


@dataclass(frozen=True)
class Place:
    """Where along the path a net is probed; `station` lies between the place before and this one."""

    id: str
    label: str
    station: str


@dataclass(frozen=True)
class Suspicion:
    """One way in which readings along the path go wrong (see locate.toml).

    `groups` and `nets` are the nets it can touch; `touch` the chances (each as likely) with which it touches each of them, a lone
    0 where it touches exactly one; `per` is 'net', or 'pin' where a single contact of a net can be hit.
    """

    id: str
    label: str
    station: str
    weight: float
    groups: tuple[str, ...]
    nets: tuple[str, ...]
    touch: tuple[float, ...]
    per: str
    shows: Mapping[str, Mapping[str, float]]
    basis: str


@dataclass(frozen=True)
class Hop:
    """One stretch of the ladder: what it may drop.

    `ohms` and `contacts_ohms` are what good parts have [ohm]; `fixed_mv` a drop that does not depend on the current [mV];
    `converter` marks the hop where a converter changes the voltage, which no drop can be read from.
    """

    start: str
    stop: str
    station: str
    ohms: float
    fixed_mv: float
    converter: bool
    basis: str
    note: str


@dataclass(frozen=True)
class Rung:
    """One place where volts are measured along the path."""

    id: str
    label: str
    place: str
    min: float
    max: float


@dataclass(frozen=True)
class Caution:
    """A usual safety caution."""

    id: str
    label: str
    text: str


@dataclass(frozen=True)
class Value:
    """A number that a check takes, with the limits of what is physically possible.

    `worked_out` marks one that the program fills in; nobody is asked for it.
    """

    name: str
    unit: str
    min: float
    max: float
    required: bool
    overrange: bool
    worked_out: bool = False


@dataclass(frozen=True)
class Check:
    """Something to look at or to measure.

    `word` stands for it in the quick line. A graded check has `grades` from healthy to worst, a look has `signs`; never
    both. `leak` maps grade or sign to its probability on a device with no fault that affects the check, `leak_history`
    overrides it under a history flag.
    """

    id: str
    word: str
    station: str
    station_on: Mapping[str, str]
    marks: Mapping[str, str]
    access: str
    label: str
    place: str
    minutes: float
    wait_minutes: float
    grades: tuple[str, ...]
    signs: tuple[str, ...]
    labels: Mapping[str, str]
    leak: Mapping[str, float]
    leak_history: Mapping[str, Mapping[str, float]]
    variant_field: str
    variants: tuple[str, ...]
    own_effects: tuple[str, ...]
    open_grade: str
    cut_by: tuple[str, ...]
    connectors: tuple[str, ...]
    needs_wireless: bool
    void_when: tuple[tuple[str, str], ...]
    needs_before: tuple[tuple[str, str], ...]
    cautions: tuple[str, ...]
    values: Mapping[str, Value]
    reading: Mapping[str, float]
    basis: str

    @property
    def is_look(self) -> bool:
        """Whether the check reports signs rather than one grade."""
        return bool(self.signs)

    @property
    def keys(self) -> tuple[str, ...]:
        """Evidence keys: the id, or ``id@variant`` for each further variant."""
        return (self.id, *(f"{self.id}@{variant}" for variant in self.variants[1:]))

    def fits(self, connector: str, wireless: bool) -> bool:
        """Whether the check makes sense on a device with that connector, with or without a coil."""
        return (not self.connectors or connector in self.connectors) and (wireless or not self.needs_wireless)

    def key(self, variant: str = "") -> str:
        """Evidence key of one variant; the first variant is the plain id."""
        return self.id if not variant or variant == self.variants[0] else f"{self.id}@{variant}"

    def mark(self, grade: str) -> str:
        """State mark of a grade: good, off, open or short."""
        return "good" if grade == self.grades[0] else self.marks.get(grade, "off")

    def name(self, outcome: str) -> str:
        """Label of a grade, sign or variant."""
        return self.labels.get(outcome, outcome)


@dataclass(frozen=True)
class Fault:
    """A cause, and what it does to each check (see the head of faults.toml)."""

    id: str
    station: str
    label: str
    about: str
    weight: float
    factors: Mapping[str, Mapping[str, float]]
    passes: float
    grades: Mapping[str, Mapping[str, float]]
    signs: Mapping[str, Mapping[str, float]]
    basis: str


@dataclass(frozen=True)
class Step:
    """One short step of a route, with the caution that belongs to it ('' for none)."""

    text: str
    caution: str


@dataclass(frozen=True)
class Route:
    """A repair; `try_minutes` is None where it cannot be tried with a part that is taken back.

    `harm` is the chance of damage that ends the repair, `harm_what` what it would be; `days` how long its part takes to come
    where none is in stock; `requires` the checks without which nobody should begin it; `tells` what the customer must be told.
    """

    id: str
    label: str
    access: str
    access_on: Mapping[str, str]
    minutes: float
    part: float
    carriers: tuple[str, ...]
    cures: Mapping[str, float]
    plan_cures: Mapping[str, Mapping[str, float]]
    try_minutes: float | None
    try_cures: Mapping[str, float]
    steps: tuple[Step, ...]
    basis: str
    harm: float = 0.0
    harm_what: str = ""
    days: float = 0.0
    requires: tuple[str, ...] = ()
    tells: tuple[str, ...] = ()

    def fits(self, carrier: str) -> bool:
        """Whether the route makes sense on a device with that carrier."""
        return not self.carriers or carrier in self.carriers

    def access_for(self, carrier: str) -> str:
        """Access level this route needs on a device with that carrier."""
        return self.access_on.get(carrier, self.access)

    def cures_on(self, carrier: str) -> dict[str, float]:
        """Fault id to chance of removing it, on a device with that carrier."""
        return {**self.cures, **self.plan_cures.get(carrier, {})}


@dataclass(frozen=True)
class School:
    """A habit of a shop (see schools.toml); `unless` are (check, grade) that lift its ban."""

    id: str
    label: str
    about: str
    first_routes: tuple[str, ...]
    first_checks: tuple[str, ...]
    forbid: tuple[str, ...]
    unless: tuple[tuple[str, str], ...]
    carriers: tuple[str, ...]
    basis: str


@dataclass(frozen=True)
class Costs:
    """Prices of time and of being wrong (money in the shop's currency)."""

    rate_per_minute: float
    wait_per_minute: float
    proof_minutes: float
    comeback_share: float
    comeback_handling: float
    comeback_rate: float
    harm_share: float
    day_price: float
    hurry_factor: float
    tie: float
    at_hand_share: float
    plausible_share: float
    default_value: Mapping[str, float]
    basis: str


@dataclass(frozen=True)
class ModelNumbers:
    """Numbers of the belief itself (see scale.toml)."""

    slip: float
    sharpness: float
    nothing_wrong: float
    pairs: float
    triples: float
    history_low: float
    history_high: float
    explained_below: float
    works_when_clean: float
    basis: str


@dataclass(frozen=True)
class Source:
    """A kind of charger: the most it has to give [A], nominal and allowed volts at its port [V]."""

    id: str
    label: str
    amps: float
    volts: float
    low_volts: float
    high_volts: float
    basis: str


@dataclass(frozen=True)
class RoutineStep:
    """One stretch of a guided routine: its mark, how long [s], and what the person does."""

    mark: str
    seconds: float
    text: str


@dataclass(frozen=True)
class Routine:
    """A guided routine and the check that comes of it."""

    id: str
    label: str
    check: str
    steps: tuple[RoutineStep, ...]
    basis: str

    @property
    def seconds(self) -> float:
        """How long it takes [s]."""
        return sum(step.seconds for step in self.steps)


@dataclass(frozen=True)
class ProofLimits:
    """What a repaired device has to show (see proof.toml)."""

    current_share: float
    rise_minutes: float
    rise_percent: float
    full_percent: float
    direction_share: float
    basis: str


@dataclass(frozen=True, eq=False)
class Knowledge:
    """Everything the program knows about the trade; validated as a whole by the loader.

    Compared and hashed by identity, so that what is derived from it can be cached on it.
    """

    stations: Mapping[str, Station]
    access: Mapping[str, Access]
    connectors: Mapping[str, Connector]
    cautions: Mapping[str, Caution]
    history: Mapping[str, str]
    checks: Mapping[str, Check]
    faults: Mapping[str, Fault]
    routes: Mapping[str, Route]
    costs: Costs
    model: ModelNumbers
    proof: ProofLimits
    sources: Mapping[str, Source]
    grading: Mapping[str, float]
    routines: Mapping[str, Routine]
    words: Mapping[str, float]
    points: Mapping[str, PinMap]
    places: Mapping[str, Place]
    suspicions: Mapping[str, Suspicion]
    rungs: Mapping[str, Rung]
    hops: tuple[Hop, ...]
    tells: Mapping[str, str]
    schools: Mapping[str, School]
    supply: Mapping[str, float]
    levels: Mapping[str, float]

    kinds: tuple[str, ...] = ("phone", "tablet")
    carriers: tuple[str, ...] = ("sub_board", "flex", "none")

    def faults_at(self, station: str) -> list[Fault]:
        """Faults that sit at one station."""
        return [fault for fault in self.faults.values() if fault.station == station]
