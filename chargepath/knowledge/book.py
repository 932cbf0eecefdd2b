"""All the knowledge in one value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from chargepath.knowledge.boards import BoardTables
from chargepath.knowledge.cells import CellTables
from chargepath.knowledge.checks import Check
from chargepath.knowledge.connectors import Connector
from chargepath.knowledge.costs import Costs, ModelNumbers
from chargepath.knowledge.faults import Fault
from chargepath.knowledge.hazards import Hazard
from chargepath.knowledge.heat import HeatTables
from chargepath.knowledge.intake import Intake
from chargepath.knowledge.layers import LayerTables
from chargepath.knowledge.mishaps import Mishap
from chargepath.knowledge.path import Hop, Place, Rung, Suspicion
from chargepath.knowledge.pinmaps import PinMap
from chargepath.knowledge.procedures import Procedures
from chargepath.knowledge.proofs import ProofItem, ProofLimits, Slip
from chargepath.knowledge.routes import Route
from chargepath.knowledge.schools import School
from chargepath.knowledge.sources import Routine, Source
from chargepath.knowledge.stations import Access, Station
from chargepath.knowledge.traits import Trait
from chargepath.knowledge.upkeep import Upkeep
from chargepath.knowledge.wording import Aftercare, Caution, CustomerWords, Emergency, Reasons

# What is left to do with a device that is repaired and proved, or was handed back.
HAND_OVER = "hand_over"
# The carrier of a device whose port sits on the main board.
NO_CARRIER = "none"


@dataclass(frozen=True, eq=False)
class Knowledge:
    """Everything the program knows about the trade; validated as a whole by the loader.

    Compared and hashed by identity, so that what is derived from it can be cached on it.
    """

    stations: Mapping[str, Station]
    access: Mapping[str, Access]
    connectors: Mapping[str, Connector]
    cautions: Mapping[str, Caution]
    emergencies: Mapping[str, Emergency]
    history: Mapping[str, str]
    symptoms: frozenset[str]
    since_wet: Mapping[str, tuple[float, float]]
    checks: Mapping[str, Check]
    faults: Mapping[str, Fault]
    routes: Mapping[str, Route]
    hazards: Mapping[str, Hazard]
    mishaps: Mapping[str, Mishap]
    intake: Intake
    costs: Costs
    model: ModelNumbers
    proof: ProofLimits
    proof_items: Mapping[str, ProofItem]
    slips: Mapping[str, Slip]
    sources: Mapping[str, Source]
    grading: Mapping[str, float]
    routines: Mapping[str, Routine]
    words: Mapping[str, float]
    points: Mapping[str, PinMap]
    places: Mapping[str, Place]
    suspicions: Mapping[str, Suspicion]
    rungs: Mapping[str, Rung]
    hops: tuple[Hop, ...]
    reasons: Reasons
    tells: Mapping[str, str]
    aftercare: Mapping[str, Aftercare]
    customer: CustomerWords
    schools: Mapping[str, School]
    supply: Mapping[str, float]
    levels: Mapping[str, float]
    traits: Mapping[str, Trait]
    procedures: Procedures
    heat: HeatTables
    cells: CellTables
    upkeep: Upkeep
    layers: LayerTables
    boards: BoardTables

    kinds: tuple[str, ...] = ("phone", "tablet")
    carriers: tuple[str, ...] = ("sub_board", "flex", NO_CARRIER)

    def __deepcopy__(self, memo: object) -> Knowledge:
        """Return itself: nothing in it changes, and what is kept by its identity would be worked out again."""
        return self

    @cached_property
    def _worded(self) -> Mapping[str, Knowledge]:
        return {carrier: self._called_on(carrier) for carrier in self.carriers}

    def _called_on(self, carrier: str) -> Knowledge:
        return replace(
            self,
            stations={name: row.worded(carrier) for name, row in self.stations.items()},
            faults={name: row.worded(carrier) for name, row in self.faults.items()},
            routes={name: row.worded(carrier) for name, row in self.routes.items()},
        )

    def worded(self, carrier: str) -> Knowledge:
        """The same knowledge in the words for a device with that carrier: its sub-board, or its port flex.

        What is shown of one device is named by it; what is judged stays with the knowledge itself, for which models are
        compiled. A carrier that is not known leaves the words for all of them.
        """
        return self._worded.get(carrier, self)

    def absent_stations(self, carrier: str) -> frozenset[str]:
        """Stations that a device with this carrier does not have: those on the carrier, where it has none."""
        return frozenset(row.id for row in self.stations.values() if row.on_carrier and carrier == NO_CARRIER)

    def places_on(self, carrier: str) -> dict[str, Place]:
        """Places along the path that a device with this carrier has."""
        return {name: row for name, row in self.places.items() if carrier != NO_CARRIER or not row.on_carrier}

    def rungs_on(self, carrier: str) -> dict[str, Rung]:
        """Test points of the ladder that a device with this carrier has."""
        return {name: row for name, row in self.rungs.items() if carrier != NO_CARRIER or not row.on_carrier}

    def faults_at(self, station: str) -> list[Fault]:
        """Faults that sit at one station."""
        return [fault for fault in self.faults.values() if fault.station == station]

    def label_of(self, kind: str, name: str) -> str:
        """Label of something to do: a check, or the route that is tried or done (`kind` is 'check', 'try', 'repair' or
        'hand_over').
        """
        if kind == HAND_OVER:
            return "Hand it over"
        if kind == "try":
            return self.routes[name].try_label or self.routes[name].label
        return self.checks[name].label if kind == "check" else self.routes[name].label
