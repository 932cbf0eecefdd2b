"""Ways to melt a joint: by air as it is, with the plate, with low-melt in it, by iron; each at its lowest setting."""

from __future__ import annotations

from dataclasses import dataclass, replace

from chargepath.base.sentences import inside
from chargepath.knowledge.heat import Alloy, HeatTables, Target
from chargepath.repair.heat import IRON_S, AirStation, Run, Setting, run, time_to_melt
from chargepath.repair.solder import grams_of, mix

LOWEST_C, HIGHEST_C, SET_STEP_C = 150, 480, 5
LOW_MELT, LOW_SHARE, PLATE_C = "sn42bi58", 0.5, 150.0


@dataclass(frozen=True)
class MeltWay:
    """One way to melt a joint: 'as_is', with a 'plate', with 'low_melt' alloy in it, by 'iron'.

    `setting` has the lowest temperature that melts it in the time, the hottest there is where none does; `melts` says
    which.
    """

    id: str
    setting: Setting
    alloy: Alloy
    run: Run
    melts: bool

    @property
    def does(self) -> bool:
        """Whether it melts in the time and nothing gets more than it bears."""
        return self.melts and self.run.holds


def ways(
    target: Target,
    setting: Setting,
    alloy: Alloy,
    tables: HeatTables,
    station: AirStation | None = None,
    low_share: float = 0.0,
) -> tuple[MeltWay, ...]:
    """The four ways, each at its lowest setting; an iron rests on a joint for `IRON_S` at most.

    `alloy` is the joint's own solder, `low_share` what of it is low-melt by now: 0 to 1.
    """
    air, rests = setting, min(setting.most_s, IRON_S)
    if setting.tool in ("iron", "plate"):  # The seconds of an iron are none for air.
        air = replace(setting, tool="above", most_s=max(setting.most_s, Setting().most_s))
    low = tables.alloys[LOW_MELT]
    joint = mixed(alloy, low, low_share, target, tables)
    lower = mixed(alloy, low, max(LOW_SHARE, low_share), target, tables)
    asked = (
        ("as_is", replace(air, plate_c=0.0), joint),
        ("plate", replace(air, plate_c=setting.plate_c or PLATE_C), joint),
        ("low_melt", replace(air, plate_c=0.0), lower),
        ("iron", replace(setting, tool="iron", plate_c=0.0, most_s=rests), joint),
    )
    found = []
    for name, how, of in asked:
        lowest = lowest_set(target, how, of, station)
        best = replace(how, set_c=float(HIGHEST_C) if lowest is None else lowest)
        found.append(MeltWay(name, best, of, run(target, best, of, tables, station), lowest is not None))
    return tuple(found)


def mixed(alloy: Alloy, other: Alloy, share: float, target: Target, tables: HeatTables) -> Alloy:
    """A joint's solder with a share of another one in it, 0 to 1; the solder itself for none."""
    if share <= 0 or alloy.id == other.id:
        return alloy
    grams = grams_of(target.joint_mm3, alloy)
    parts = {alloy.id: grams, other.id: 0.0}
    parts[other.id] += grams * share / (1 - share)
    made = mix(parts, tables)
    label = f"{alloy.label}, {share:.0%} of it {inside(other.label)}"
    return Alloy(
        id="mixed",
        label=label,
        of=made.of,
        solidus_c=made.solidus_c,
        liquidus_c=made.liquidus_c,
        j_g=made.j_g,
        g_cm3=made.g_cm3,
        basis=alloy.basis,
    )


def lowest_set(target: Target, setting: Setting, alloy: Alloy, station: AirStation | None = None) -> float | None:
    """Lowest setting that melts the joint within `setting.most_s`, in steps of 5 °C; None where none up to 480 does."""

    def melts(step: int) -> bool:
        tried = replace(setting, set_c=float(step * SET_STEP_C))
        return time_to_melt(target, tried, alloy, station or AirStation())[0] is not None

    low, high = LOWEST_C // SET_STEP_C, HIGHEST_C // SET_STEP_C
    if not melts(high):
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if melts(middle) else (middle + 1, high)
    return float(high * SET_STEP_C)
