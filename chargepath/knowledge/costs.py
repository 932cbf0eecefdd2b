"""Numbers that belong to no single fault: what being wrong costs, and the belief (costs, scale .toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from chargepath.knowledge.reader import Reader, Table

# What a number that stands alone may be, where 0 or a million would make no sense.
LIMITS = {
    "slip": (1e-6, 0.2),
    "sharpness": (0.5, 3.0),
    "nothing_wrong": (0.001, 0.9),
    "pairs": (0.001, 0.9),
    "triples": (0.0, 0.5),
    "history_low": (0.01, 1.0),
    "history_high": (1.0, 1000.0),
    "explained_below": (0.0, 0.5),
    "works_when_clean": (0.5, 1.0),
    "comeback_share": (0.0, 1.0),
    "comeback_rate": (0.001, 0.9),
    "harm_share": (0.0, 1.0),
    "at_hand_share": (0.0, 1.0),
    "plausible_share": (0.0, 1.0),
    "plausible_price": (0.0, 1.0),
    "again_cure": (0.0, 1.0),
}


@dataclass(frozen=True)
class Costs:
    """Prices of time and of being wrong (money in the shop's currency)."""

    rate_per_minute: float
    wait_per_minute: float
    proof_minutes: float
    attempt_minutes: float
    reassemble_minutes: float
    comeback_share: float
    comeback_handling: float
    comeback_rate: float
    harm_share: float
    day_price: float
    hurry_factor: float
    tie: float
    at_hand_share: float
    plausible_share: float
    plausible_price: float
    again_cure: float
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


def _scalars(read: Reader, raw: Table, kind: type, where: str, skip: tuple[str, ...] = ()) -> dict[str, float]:
    """Every number of a table that is a field of `kind`, within its limits."""
    names = [name for name in kind.__dataclass_fields__ if name not in ("basis", *skip)]  # type: ignore[attr-defined]
    read.only(raw, where, (*names, "basis", *skip))
    return {name: read.number(raw, name, where, *LIMITS.get(name, (0.0, 1e6))) for name in names}


def read_costs(read: Reader) -> Costs:
    """What time and being wrong cost."""
    raw = read.load("costs")
    values = read.numbers(read.table(raw, "default_value", "costs.toml"), "costs.toml [default_value]")
    numbers = _scalars(read, raw, Costs, "costs.toml", ("default_value",))
    return Costs(**numbers, default_value=values, basis=read.basis(raw, "costs.toml"))


def read_model(read: Reader, scale: Table) -> ModelNumbers:
    """Numbers of the belief, out of scale.toml."""
    where = "scale.toml [model]"
    raw = read.table(scale, "model", "scale.toml")
    return ModelNumbers(**_scalars(read, raw, ModelNumbers, where), basis=read.basis(raw, where))
