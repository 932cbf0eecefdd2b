"""Numbers that belong to no single fault: what being wrong costs, and the belief (costs, scale .toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader, Table


@dataclass(frozen=True)
class Costs:
    """Prices of time and of being wrong (money in the shop's currency)."""

    rate_per_minute: float
    wait_per_minute: float
    proof_minutes: float
    attempt_minutes: float
    reassemble_minutes: float
    comeback_share: Annotated[float, InFile(high=1)]
    comeback_handling: float
    comeback_rate: Annotated[float, InFile(low=0.001, high=0.9)]
    harm_share: Annotated[float, InFile(high=1)]
    day_price: float
    hurry_factor: float
    tie: float
    at_hand_share: Annotated[float, InFile(high=1)]
    plausible_share: Annotated[float, InFile(high=1)]
    plausible_price: Annotated[float, InFile(high=1)]
    again_cure: Annotated[float, InFile(high=1)]
    default_value: Mapping[str, float]
    basis: str


@dataclass(frozen=True)
class ModelNumbers:
    """Numbers of the belief itself (see scale.toml)."""

    slip: Annotated[float, InFile(low=1e-06, high=0.2)]
    sharpness: Annotated[float, InFile(low=0.5, high=3)]
    nothing_wrong: Annotated[float, InFile(low=0.001, high=0.9)]
    pairs: Annotated[float, InFile(low=0.001, high=0.9)]
    triples: Annotated[float, InFile(high=0.5)]
    history_low: Annotated[float, InFile(low=0.01, high=1)]
    history_high: Annotated[float, InFile(low=1, high=1000)]
    explained_below: Annotated[float, InFile(high=0.5)]
    works_when_clean: Annotated[float, InFile(low=0.5, high=1)]
    holds: Annotated[float, InFile(high=0.99)]
    returned_new: Annotated[float, InFile(high=0.99)]
    basis: str


def read_costs(read: Reader) -> Costs:
    """What time and being wrong cost."""
    raw = read.load("costs")
    return read.row(Costs, raw, "costs.toml")


def read_model(read: Reader, scale: Table) -> ModelNumbers:
    """Numbers of the belief, out of scale.toml."""
    where = "scale.toml [model]"
    raw = read.table(scale, "model", "scale.toml")
    return read.row(ModelNumbers, raw, where)
