"""What comes of a setting: the joint heated by it, the ways that do it, what low-melt wire makes of the solder."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from chargepath.knowledge import Knowledge
from chargepath.knowledge.heat import Alloy, Opening, Target
from chargepath.repair.heat import AirStation, Run, Setting, run
from chargepath.repair.opening import Soak, soak
from chargepath.repair.solder import Mixture, Strength, grams_of, mix, strength_of, to_add_g, wire_mm
from chargepath.repair.station import Fit, Melt, predict
from chargepath.repair.ways import HIGHEST_C, LOW_MELT, MeltWay, mixed, ways
from rainfront.heat.adapters import melt_of
from rainfront.heat.models import Melted

# Diameter of low-melt wire [mm], and the temperature by which a joint melts easily with it [°C] (common practice).
WIRE_MM, EASY_C = 0.5, 180.0


@dataclass(frozen=True)
class LowMeltMix:
    """What low-melt wire makes of the solder of a joint.

    Attributes
    ----------
    wire_mm, grams : float
        Wire that was worked in, or, without any, what it takes to melt by `EASY_C`; 0 where nothing is needed
        [mm], [g].
    made : Mixture or None
        What it became; None where nothing was worked in.
    strength, plain : Strength or None
        What the joint bears then, and what it bore before.

    """

    wire_mm: float
    grams: float
    made: Mixture | None = None
    strength: Strength | None = None
    plain: Strength | None = None


@dataclass(frozen=True, kw_only=True)
class Heated:
    """One setting of the desk, reckoned.

    Attributes
    ----------
    setting : Setting
    target : Target
    joint : Alloy
        Its solder, with the low-melt that is worked in.
    low_share : float
        Share of that in the mass.
    run : Run
    ways : tuple of MeltWay
        The four ways to melt it, each by its lowest setting.
    low_melt : LowMeltMix
    fit : Fit or None
        Of the station that is chosen.
    spread : tuple of float or None
        When it melts on that station: the middle, the earliest, the latest in 19 of 20 [s].

    """

    setting: Setting
    target: Target
    joint: Alloy
    low_share: float
    run: Run
    ways: tuple[MeltWay, ...]
    low_melt: LowMeltMix
    fit: Fit | None
    spread: tuple[float, float, float] | None


def heat_up(
    setting: Setting, target: Target, alloy: Alloy, low_share: float, fit: Fit | None, known: Knowledge
) -> Heated:
    """Heat a joint by a setting.

    Raises
    ------
    ReadingError
        A figure is not possible.

    """
    tables = known.heat
    joint = mixed(alloy, tables.alloys[LOW_MELT], low_share, target, tables)
    station = fit.station if fit else AirStation()
    found = run(target, setting, joint, tables, station)
    melts = fit is not None and found.melted_s is not None and not low_share
    return Heated(
        setting=setting,
        target=target,
        joint=joint,
        low_share=low_share,
        run=found,
        ways=_ways(target, replace(setting, set_c=float(HIGHEST_C)), alloy.id, low_share, station, known),
        low_melt=_low_melt(target, alloy, low_share, known),
        fit=fit,
        spread=predict(fit, Melt(target, alloy.id, setting, 1.0), tables) if fit and melts else None,
    )


@lru_cache(maxsize=128)
def _ways(
    target: Target, setting: Setting, alloy_id: str, low_share: float, station: AirStation, known: Knowledge
) -> tuple[MeltWay, ...]:
    """The ways, which do not depend on what is set: kept while somebody turns the knob."""
    tables = known.heat
    return ways(target, setting, tables.alloys[alloy_id], tables, station, low_share)


def _low_melt(target: Target, alloy: Alloy, share: float, known: Knowledge) -> LowMeltMix:
    tables, low = known.heat, known.heat.alloys[LOW_MELT]
    grams = grams_of(target.joint_mm3, alloy)
    if share <= 0:
        wanted = to_add_g({alloy.id: grams}, low.id, EASY_C, tables) or 0.0
        return LowMeltMix(wire_mm(wanted, low, WIRE_MM) if wanted else 0.0, wanted)
    added = grams * share / (1 - share)
    made = mix({alloy.id: grams, low.id: added}, tables)
    strength, plain = strength_of(made.of, tables), strength_of(alloy.of, tables)
    return LowMeltMix(wire_mm(added, low, WIRE_MM), added, made, strength, plain)


def lay_on(opening: str, plate_c: float, minutes: float, known: Knowledge) -> tuple[Opening, Soak]:
    """A device on the plate for some minutes, with how it opens.

    Raises
    ------
    ReadingError
        A figure is not possible.

    """
    row = known.heat.openings[opening]
    return row, soak(row, plate_c, minutes, known.heat)


def told_by(fit: Fit | None, rows: Sequence[Melted], known: Knowledge) -> dict[int, tuple[float, float, float]]:
    """What a station's fit makes of each of its melts, by key: the middle, the earliest, the latest in 19 of 20 [s]."""
    if fit is None:
        return {}
    melts = {row.pk: melt_of(row, known) for row in rows}
    return {key: predict(fit, melt, known.heat) for key, melt in melts.items() if melt is not None}
