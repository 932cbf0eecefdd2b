"""Ways that spare the new part of a repair, where it is the last one in the house."""

from __future__ import annotations

from chargepath.knowledge.procedures import Procedures
from chargepath.repair.workplan import Plan


def sparing(work: Procedures, plan: Plan, loss: float) -> dict[str, str]:
    """Picks by which the new part is spared where it is the last one here; empty where the plan does so already.

    Parameters
    ----------
    work : Procedures
    plan : Plan
    loss : float
        What it costs beside the usual if the part is harmed: another part, and the days until it is here [money].

    """
    picks = {}
    for choice in plan.choices:
        if choice.slot not in work.spare or choice.told:
            continue
        rows = [choice.picked, *(row for row in choice.others if not row.option.habit)]
        best = min(rows, key=lambda row: row.cost + row.option.harm * loss)
        if best is not choice.picked:
            picks[choice.slot] = best.option.id
    return picks
