"""What a step of the work heats, by what and how long: its setting as the heat desk takes it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.heat import Alloy, Target
from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.heat import IRON_S, Run, Setting, run
from chargepath.repair.ways import LOW_MELT, mixed

OWN = "own"
# Which setting of a step says by which tool it heats; where none of these is set, a plate heats alone.
TOOL_OF = {"iron_c": "iron", "below_c": "below", "air_c": "above"}
# A setting of a step, and the figure of the desk that it is.
FIGURES = {
    "flow_l": "flow_l_min",
    "nozzle_mm": "nozzle_mm",
    "distance_mm": "distance_mm",
    "tip_mm": "tip_mm",
    "plate_c": "plate_c",
    "soak_s": "soak_s",
    "past_melt_s": "past_melt_s",
}


@dataclass(frozen=True, kw_only=True)
class StepHeat:
    """A step's heat.

    Attributes
    ----------
    target : Target
    setting : Setting
    alloy : Alloy
        Of the joint, before low-melt is mixed in.
    low_share : float
        Share of low-melt, 0 to 1.
    melts : bool
        Whether it has to melt the joint; else it only warms.

    """

    target: Target
    setting: Setting
    alloy: Alloy
    low_share: float
    melts: bool

    def run(self, known: Knowledge) -> Run:
        """What the desk makes of it."""
        low = known.heat.alloys[LOW_MELT]
        return run(
            self.target, self.setting, mixed(self.alloy, low, self.low_share, self.target, known.heat), known.heat
        )


def target_of(known: Knowledge, route: str, device: Device) -> Target:
    """What a route heats on a device: by the route, else by a trait, else by the carrier of the port."""
    targets = list(known.heat.targets.values())
    found = next((row for row in targets if route and route in row.route), None)
    found = found or next((row for row in targets if row.trait and row.trait in device.traits), None)
    return found or next((row for row in targets if device.carrier in row.carrier), targets[0])


def heat_of(known: Knowledge, step: WorkStep, target: Target, *, in_frame: bool = False) -> StepHeat | None:
    """Return what a step heats and by which setting; None for a step that heats no solder joint.

    Parameters
    ----------
    target : Target
        What the step's route heats on the device.
    in_frame : bool
        Whether the board stays in its frame.

    """
    if not step.heats:
        return None
    tables, given = known.heat, step.settings
    touch = tables.touches.get(step.heats)
    tool = next((tool for name, tool in TOOL_OF.items() if name in given), "plate")
    seconds = given.get("time_s", given.get("time_min", 0.0) * 60 if tool == "plate" else 0.0)
    usual = Setting()
    figures: dict[str, Any] = {name: given[key] for key, name in FIGURES.items() if key in given}
    set_c = next((given[name] for name in TOOL_OF if name in given), usual.set_c)
    most = seconds or (IRON_S if tool == "iron" else usual.most_s)
    setting = replace(Setting(tool=tool, set_c=set_c, touch=touch, in_frame=in_frame, most_s=most), **figures)
    solder = tables.solders.get(step.solder)
    heated = target if step.heats == OWN or touch else tables.targets[step.heats]
    return StepHeat(
        target=heated,
        setting=setting,
        alloy=tables.alloys[solder.alloy if solder else heated.alloy],
        low_share=solder.low_share if solder else 0.0,
        melts=solder is not None,
    )
