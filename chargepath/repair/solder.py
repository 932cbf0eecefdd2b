"""What a joint is made of: alloys mixed, where the mixture begins and ends to melt, what it bears.

Liquidus: each metal beside tin lowers tin's melting point by what its own diagram says at its share of the two, and the
drops are added, which meets the published tin-silver-copper and tin-lead-silver points within 3 K and is rough where a
third metal passes a tenth. Solidus: where tin holds all that is mixed in, between the two by a straight line; else
where the last liquid freezes in practice, since a joint cools too fast to become even.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from chargepath.base.errors import ReadingError
from chargepath.knowledge.heat import Alloy, HeatTables, Points

TIN_C = 232.0
ROUGH_FROM = 10.0


@dataclass(frozen=True)
class Mixture:
    """The solder of a joint: what it holds, and where it melts.

    Attributes
    ----------
    of : mapping
        Each metal beside tin [% by weight].
    solidus_c, liquidus_c : float
    grams, j_g, g_cm3 : float
    rough : bool
        More than one metal passes a tenth: the liquidus is a guess within some 15 K.
    last_c : float
        Where the last film freezes, at most the solidus [°C].

    """

    of: Mapping[str, float]
    solidus_c: float
    liquidus_c: float
    grams: float
    j_g: float
    g_cm3: float
    rough: bool
    last_c: float


@dataclass(frozen=True)
class Strength:
    """What a joint bears: shear [MPa] near room temperature and at 85 °C, and the share of drops it survives."""

    shear_mpa: float
    warm_mpa: float
    drops: float


def along(points: Points, at: float, column: int = 1) -> float:
    """A table's value at a place, straight between its rows, the ends beyond them."""
    if at <= points[0][0]:
        return points[0][column]
    for low, high in pairwise(points):
        if at <= high[0]:
            return low[column] + (high[column] - low[column]) * (at - low[0]) / (high[0] - low[0])
    return points[-1][column]


def grams_of(mm3: float, alloy: Alloy) -> float:
    """What a joint's solder weighs [g]."""
    return mm3 / 1000 * alloy.g_cm3


def mix(parts: Mapping[str, float], tables: HeatTables) -> Mixture:
    """Mix alloys.

    Parameters
    ----------
    parts : mapping
        Grams of each alloy, none under 0.
    tables : HeatTables

    Raises
    ------
    ReadingError
        Nothing is there to mix, or something weighs less than nothing.

    """
    whole = sum(parts.values())
    if whole <= 0 or any(grams < 0 for grams in parts.values()):
        raise ReadingError("there is no solder to mix", "solder", "some of it, in grams or cubic millimetres")
    used = {name: grams for name, grams in parts.items() if grams > 0}
    of: dict[str, float] = {}
    for name, grams in used.items():
        for metal, share in tables.alloys[name].of.items():
            of[metal] = of.get(metal, 0.0) + share * grams / whole
    j_g = sum(tables.alloys[name].j_g * grams for name, grams in used.items()) / whole
    volume = sum(grams / tables.alloys[name].g_cm3 for name, grams in used.items())
    if len(used) == 1:
        only = tables.alloys[next(iter(used))]
        return Mixture(
            of=of,
            solidus_c=only.solidus_c,
            liquidus_c=only.liquidus_c,
            grams=whole,
            j_g=j_g,
            g_cm3=whole / volume,
            rough=False,
            last_c=only.solidus_c,
        )
    liquidus = liquidus_c(of, tables)
    solidus = min(_solidus_c(of, tables), liquidus)
    rough = sum(share >= ROUGH_FROM for share in of.values()) > 1
    return Mixture(
        of=of,
        solidus_c=solidus,
        liquidus_c=liquidus,
        grams=whole,
        j_g=j_g,
        g_cm3=whole / volume,
        rough=rough,
        last_c=min(_last_c(of, tables), solidus),
    )


def liquidus_c(of: Mapping[str, float], tables: HeatTables) -> float:
    """Liquidus of tin with these metals [°C]."""
    tin = 100 - sum(of.values())
    drop = 0.0
    for metal, share in of.items():
        drop += TIN_C - along(tables.binary[metal], 100 * share / (share + tin) if share + tin > 0 else 0.0)
    return max(TIN_C - drop, _last_c(of, tables))


def _solidus_c(of: Mapping[str, float], tables: HeatTables) -> float:
    """Solidus of the alloy once it is homogeneous [°C]."""
    found = TIN_C
    if of.get("ag", 0) > 0.1 or of.get("cu", 0) > 0.1:
        found = 217.0
    for metal, holds, ends in (
        ("bi", tables.mix["tin_holds_bi"], tables.mix["tin_bi_c"]),
        ("pb", tables.mix["tin_holds_pb"], tables.mix["tin_pb_c"]),
    ):
        share = of.get(metal, 0.0)
        found -= (found - ends) * min(share / holds, 1.0)
    return found


def _last_c(of: Mapping[str, float], tables: HeatTables) -> float:
    """Where the last liquid of a cooling joint freezes [°C]; more than a twentieth of a metal leaves some."""
    lead, bismuth = of.get("pb", 0.0) > 5, of.get("bi", 0.0) > 5
    if lead and bismuth:
        return tables.mix["tin_lead_bi_c"]
    return tables.mix["tin_bi_c"] - 1 if bismuth else tables.mix["tin_pb_c"] if lead else 0.0 + 217.0


def to_add_g(joint: Mapping[str, float], low: str, wanted_c: float, tables: HeatTables) -> float | None:
    """Low-melt alloy to add until the joint is all liquid at a temperature [g]; None where no amount does it."""
    if mix(joint, tables).liquidus_c <= wanted_c:
        return 0.0
    whole = sum(joint.values())
    steps = [whole * share / (1 - share) for share in (k / 200 for k in range(1, 196))]
    return next(
        (added for added in steps if mix({**joint, low: joint.get(low, 0.0) + added}, tables).liquidus_c <= wanted_c),
        None,
    )


def wire_mm(grams: float, alloy: Alloy, diameter_mm: float) -> float:
    """Length of a wire of solder with that weight [mm].

    Raises
    ------
    ReadingError
        The wire is thinner than 0.1 or thicker than 5 mm.

    """
    if not 0.1 <= diameter_mm <= 5:
        raise ReadingError(f"{diameter_mm:g} mm is no solder wire", "wire", "0.1 to 5 mm")
    return grams / alloy.g_cm3 * 1000 / (math.pi * diameter_mm**2 / 4)


def strength_of(of: Mapping[str, float], tables: HeatTables) -> Strength:
    """What a joint with this much bismuth bears."""
    return Strength(*(along(tables.strength, of.get("bi", 0.0), column) for column in (1, 2, 3)))
