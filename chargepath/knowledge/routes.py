"""Routes: what can be done about it (routes.toml)."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from chargepath.knowledge.reader import Reader, Table

ROUTE_KEYS = (
    "label",
    "access",
    "access_on",
    "minutes",
    "part",
    "carriers",
    "cures",
    "plan_cures",
    "try_minutes",
    "try_cures",
    "basis",
    "harm",
    "harm_what",
    "days",
    "requires",
    "tells",
    "puts",
    "harm_on",
    "part_on",
    "unless",
    "traits",
    "leaves",
    "again",
    "told",
)
# The two routes that repair nothing: showing that the device charges, and handing it on. Code names them by these.
PROVE, REFER = "prove", "refer"
NO_REPAIR = frozenset({PROVE, REFER})
# Left of a route's cures once it failed, where a table says nothing else: the same hands on the same place.
AGAIN = 0.5


@dataclass(frozen=True)
class Route:
    """A repair; `try_minutes` is None where it cannot be tried with a part that is taken back.

    `harm` is the chance of damage that ends the repair, `harm_what` what it would be; `days` how long its part takes
    to come where none is in stock; `requires` the checks without which nobody should begin it; `tells` what the
    customer must be told; `puts` what current the work itself puts into the device (keys of `hazards.PUTS`).
    `minutes` are said for the device of `repair.figures.standard_device`; on others the plan of work says how
    many more or fewer. `harm_on` holds instead on a kind, carrier or trait; `traits` are what the device must have;
    `leaves` gives the chance of each fault that the work may leave behind,
    `again` what is left of its cures once it failed, `told` the history flag that stands for it when somebody else
    did it.
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
    basis: str
    harm: float = 0.0
    harm_what: str = ""
    days: float = 0.0
    requires: tuple[str, ...] = ()
    tells: tuple[str, ...] = ()
    puts: tuple[str, ...] = ()
    harm_on: Mapping[str, float] = field(default_factory=dict)
    part_on: Mapping[str, float] = field(default_factory=dict)
    traits: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()
    leaves: Mapping[str, float] = field(default_factory=dict)
    again: float = AGAIN
    told: str = ""

    def fits(self, carrier: str, traits: Collection[str] = ()) -> bool:
        """Whether the route makes sense on a device with that carrier and those traits."""
        built = set(self.traits) <= set(traits) and not set(self.unless) & set(traits)
        return (not self.carriers or carrier in self.carriers) and built

    def access_for(self, carrier: str) -> str:
        """Access level this route needs on a device with that carrier."""
        return self.access_on.get(carrier, self.access)

    def cures_on(self, carrier: str) -> dict[str, float]:
        """Fault id to chance of removing it, on a device with that carrier."""
        return {**self.cures, **self.plan_cures.get(carrier, {})}


def _one(read: Reader, name: str, table: Table) -> Route:
    where = f"routes.toml [{name}]"
    read.only(table, where, ROUTE_KEYS)
    plans = read.table(table, "plan_cures", where)
    tried = "try_minutes" in table
    return Route(
        id=name,
        label=read.text(table, "label", where),
        access=read.text(table, "access", where),
        access_on={key: str(level) for key, level in read.table(table, "access_on", where).items()},
        minutes=read.number(table, "minutes", where, high=600),
        part=read.number(table, "part", where),
        carriers=read.texts(table, "carriers", where),
        cures=read.chances(read.table(table, "cures", where), f"{where}.cures"),
        plan_cures={key: read.chances(raw, f"{where}.plan_cures.{key}") for key, raw in plans.items()},
        try_minutes=read.number(table, "try_minutes", where, high=600) if tried else None,
        try_cures=read.chances(read.table(table, "try_cures", where), f"{where}.try_cures"),
        basis=read.basis(table, where),
        harm=read.number(table, "harm", where, high=0.9, default=0.0),
        harm_what=read.text(table, "harm_what", where, ""),
        days=read.number(table, "days", where, high=90, default=0.0),
        requires=read.texts(table, "requires", where),
        tells=read.texts(table, "tells", where),
        puts=read.texts(table, "puts", where),
        harm_on=read.chances(read.table(table, "harm_on", where), f"{where}.harm_on"),
        part_on=read.numbers(read.table(table, "part_on", where), f"{where}.part_on"),
        traits=read.texts(table, "traits", where),
        unless=read.texts(table, "unless", where),
        leaves=read.chances(read.table(table, "leaves", where), f"{where}.leaves"),
        again=read.number(table, "again", where, high=1, default=AGAIN),
        told=read.text(table, "told", where, ""),
    )


def read_routes(read: Reader) -> dict[str, Route]:
    """Every route by its id, the least invasive first."""
    return {name: _one(read, name, raw) for name, raw in read.load("routes").items()}
