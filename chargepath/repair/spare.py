"""Choose gentler ways for a repair that takes the last part on the shelf."""

from __future__ import annotations

from chargepath.knowledge.procedures import Procedures
from chargepath.repair.workplan import Plan


def sparing(work: Procedures, plan: Plan, loss: float) -> dict[str, str]:
    """Return the ways to pick instead of the cheapest ones, because harm to the last part on the shelf costs more.

    A choice that a person has made is left as it is. Empty where no other way is cheaper with that loss.

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
