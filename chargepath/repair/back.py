"""Going back to a step of a plan when a proof has shown that it went wrong: what has to be done again."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from chargepath.base.errors import ReadingError
from chargepath.knowledge.procedures import Literal, Procedures, WorkStep
from chargepath.repair.checker import Flaw, flaws
from chargepath.repair.workplan import Plan, after

# What a step was done in, the first time: it is brought about again before the step is.
SURROUNDINGS = (
    "closed", "powered", "cell_on", "screws_out", "plates_off", "flexes_off", "board_out", "carrier_out", "shield_off",
)  # fmt: skip
ROUNDS = 60


def way_back(work: Procedures, plan: Plan, done: Collection[str], back: str) -> tuple[str, ...]:
    """Steps to do again so that `back` can be done: what opens the device again, and everything from `back` on.

    A device that was just proved is on. The surroundings that `back` was done in the first time are made so again by a
    step before it that made them; then the rules of the work say what else is missing, until they find nothing wrong.
    Everything else stays done.

    Parameters
    ----------
    work : Procedures
    plan : Plan
    done : collection of str
        Steps that were done, in whatever order.
    back : str
        Step to go back to.

    Returns
    -------
    tuple of str
        In the order of the plan.

    Raises
    ------
    ReadingError
        The plan has no such step.

    """
    steps = [row.step for row in plan.steps]
    ids = [step.id for step in steps]
    if back not in ids:
        raise ReadingError("that is no step of this plan", "step", "choose one from the list")
    at = ids.index(back)
    now = _facts(plan.start, (step for step in steps if step.id in done)) | {"powered"}
    then = _facts(plan.start, steps[:at])
    again = set(ids[at:])
    for fact in SURROUNDINGS:
        if (fact in now) != (fact in then):
            again |= _maker(steps[:at], (fact, fact in then), then, again)
    for _ in range(ROUNDS):
        if "closed" in now and any(("closed", False) in step.makes for step in steps if step.id in again):
            again |= {row.step.id for row in plan.steps if row.slot == "opening"}
        order = [step for step in steps if step.id in again]
        wrong = [flaw for flaw in flaws(work, now, order) if flaw.rule != "back" and not flaw.rule.startswith("undoes")]
        more: set[str] = set()
        for flaw in wrong:
            until = ids.index(flaw.step) if flaw.step else len(ids)
            more = _maker(steps[:until], _wanted(work, flaw), _facts(plan.start, steps[:until]), again)
            if more:
                break
        if not more:
            break
        again |= more
    return tuple(step for step in ids if step in again)


def _facts(start: Iterable[str], steps: Iterable[WorkStep]) -> set[str]:
    facts = set(start)
    for step in steps:
        facts = after(facts, step)
    return facts


def _maker(steps: Iterable[WorkStep], wanted: Literal, then: Collection[str], there: Collection[str]) -> set[str]:
    """The step that makes something so and upsets the least of what was so `then`, of several the last.

    Empty where there is none, or where it is done again already.
    """
    found = [step for step in steps if wanted in step.makes]
    if not found:
        return set()
    best = min(reversed(found), key=lambda step: sum((fact in then) != so for fact, so in step.makes))
    return {best.id} - set(there)


def _wanted(work: Procedures, flaw: Flaw) -> Literal:
    """Facts that have to be true for a step, and are not."""
    word, _, fact = flaw.rule.partition(" ")
    if word == "goal":
        return fact, dict(work.goals)[fact]
    if word == "needs":
        step = next(step for step in work.steps() if step.id == flaw.step)
        return fact, dict(step.needs)[fact]
    rule = next(rule for rule in work.nevers if rule.id == flaw.rule)
    return rule.fact, not rule.holds
