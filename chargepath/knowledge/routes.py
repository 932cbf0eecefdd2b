"""Routes: what can be done about it (routes.toml)."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader

# The two routes that repair nothing: showing that the device charges, and handing it on. Code names them by these.
PROVE, REFER = "prove", "refer"
# The access level of work on a closed device.
OUTSIDE = "outside"
NO_REPAIR = frozenset({PROVE, REFER})
# How often what a route cured is back when a device comes back, where a table says nothing else.
RELAPSES = 0.05
# Left of a route's cures once it failed, where a table says nothing else: the same hands on the same place.
AGAIN = 0.5


@dataclass(frozen=True)
class Route:
    """A repair; `try_minutes` is None where it cannot be tried with a part that is taken back.

    `harm` is the chance of damage that ends the repair, `harm_what` what it would be; `days` how long its part
    takes to come where none is in stock; `requires` the checks without which nobody should begin it; `tells` what
    the customer must be told; `puts` what current the work itself puts into the device (keys of `hazards.PUTS`).
    `minutes` are said for the device of `repair.figures.standard_device`; on others the plan of work says how many
    more or fewer. `harm_on` holds instead on a kind, carrier or trait; `traits` are what the device must have;
    `leaves` gives the chance of each fault that the work may leave behind, `again` what is left of its cures once
    it failed here, `failed_by` readings that say so of it as well, each with its grade; `relapses` is how often
    what it cured is there again when the device comes back; `arrives` is what to look at when its part comes in,
    `told` the history flag that stands for it when somebody else did it; `part_name` is what its part is called on
    a shelf and a bill, `try_label` what a try is called, `try_repeats` are readings that say the same as a try;
    `label_on`, `part_name_on` and `try_label_on` are its names instead, by carrier; `part_on` is the price of its
    part instead, and `unless` names traits that rule it out; one that is `wireless` needs a device with a coil. What
    one that is `done_by_opening` does, unplugging the battery for a repair inside does as well.
    """

    id: str
    label: str
    access: str
    access_on: Mapping[str, str]
    minutes: Annotated[float, InFile(high=600)]
    part: float
    carriers: tuple[str, ...]
    cures: Annotated[Mapping[str, float], InFile(chances=True)]
    plan_cures: Annotated[Mapping[str, Mapping[str, float]], InFile(chances=True)]
    try_minutes: Annotated[float | None, InFile(high=600, absent=None)]
    try_cures: Annotated[Mapping[str, float], InFile(chances=True)]
    basis: str
    harm: Annotated[float, InFile(high=0.9)] = 0.0
    harm_what: str = ""
    days: Annotated[float, InFile(high=90)] = 0.0
    requires: tuple[str, ...] = ()
    tells: tuple[str, ...] = ()
    puts: tuple[str, ...] = ()
    harm_on: Annotated[Mapping[str, float], InFile(chances=True)] = field(default_factory=dict)
    part_on: Mapping[str, float] = field(default_factory=dict)
    part_name: str = ""
    label_on: Mapping[str, str] = field(default_factory=dict)
    part_name_on: Mapping[str, str] = field(default_factory=dict)
    try_label: str = ""
    try_label_on: Mapping[str, str] = field(default_factory=dict)
    try_repeats: tuple[str, ...] = ()
    traits: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()
    leaves: Annotated[Mapping[str, float], InFile(chances=True)] = field(default_factory=dict)
    again: Annotated[float, InFile(high=1)] = AGAIN
    failed_by: tuple[tuple[str, str], ...] = ()
    relapses: Annotated[float, InFile(high=0.5)] = RELAPSES
    told: str = ""
    arrives: str = ""
    wireless: bool = False
    done_by_opening: bool = False

    @property
    def part_called(self) -> str:
        """What the part of this repair is called; the repair's own label where no name of a part is given."""
        return self.part_name or self.label

    @property
    def opens(self) -> bool:
        """Whether it is done inside, with the battery unplugged."""
        return self.access != OUTSIDE

    def worded(self, carrier: str) -> Route:
        """The same route, called as on a device with that carrier."""
        name = self.part_name_on.get(carrier, self.part_name)
        tried = self.try_label_on.get(carrier, self.try_label)
        return replace(self, label=self.label_on.get(carrier, self.label), part_name=name, try_label=tried)

    def fits(self, carrier: str, traits: Collection[str] = (), *, wireless: bool = False) -> bool:
        """Whether the route makes sense on a device with that carrier and those traits, with or without a coil."""
        built = set(self.traits) <= set(traits) and not set(self.unless) & set(traits)
        return (not self.carriers or carrier in self.carriers) and built and (wireless or not self.wireless)

    def access_for(self, carrier: str) -> str:
        """Access level this route needs on a device with that carrier."""
        return self.access_on.get(carrier, self.access)

    def cures_on(self, carrier: str) -> dict[str, float]:
        """Fault id to chance of removing it, on a device with that carrier."""
        return {**self.cures, **self.plan_cures.get(carrier, {})}


def read_routes(read: Reader) -> dict[str, Route]:
    """Every route by its id, the least invasive first."""
    return read.rows(Route, "routes")
