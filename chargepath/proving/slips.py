"""Which slip of the hand explains what a proof shows, and where in the plan it is mended."""

from __future__ import annotations

import math
from dataclasses import dataclass

from chargepath.knowledge import Knowledge
from chargepath.knowledge.procedures import suits
from chargepath.knowledge.proofs import CLOSED, Slip
from chargepath.proving.asking import Subject
from chargepath.proving.verdict import ProofResult
from chargepath.repair.workplan import Plan, words_of

# How often an item shows something bad that neither a slip nor a fault explains (common practice).
STRAY = 0.01
# What is left of a slip that closing cannot make, where the proof before closing had shown good what is bad now.
BEFORE = 0.3


@dataclass(frozen=True)
class Guess:
    """A slip with its share of all slips that could be it, and the step to go back to ('' where the plan has none)."""

    slip: Slip
    share: float
    back: str


def slips_of(known: Knowledge, subject: Subject, phase: str, result: ProofResult) -> tuple[Guess, ...]:
    """Slips that explain a failed proof, the likeliest first; empty where nothing failed.

    Naive Bayes over the settled items: a slip shows each as it says, and what it does not name is good but for a stray
    reading. One that explains none of what failed is no guess.

    Parameters
    ----------
    known : Knowledge
    subject : Subject
    phase : str
    result : ProofResult

    """
    if not result.failed:
        return ()
    scores = {}
    for slip in known.slips.values():
        if possible(known, slip, subject, phase) and any(
            mark.shown in slip.shows.get(mark.item.id, {}) for mark in result.failed
        ):
            was_good = slip.at != (CLOSED,) and any(mark.item.id in subject.answered for mark in result.failed)
            scores[slip.id] = math.log(slip.share * (BEFORE if was_good else 1.0)) + _log_chance(slip, result)
    if not scores:
        return ()
    top = max(scores.values())
    total = sum(math.exp(score - top) for score in scores.values())
    ranked = sorted(scores, key=lambda name: -scores[name])
    return tuple(
        Guess(known.slips[name], math.exp(scores[name] - top) / total, back_to(known.slips[name], subject.plan))
        for name in ranked
    )


def possible(known: Knowledge, slip: Slip, subject: Subject, phase: str) -> bool:
    """Whether a slip can have happened in this work, on this device, and be found now."""
    if subject.plan is None or phase not in slip.at:
        return False
    steps = {row.step.id for row in subject.plan.steps}
    wanted = slip.steps or slip.back
    happened = not wanted or bool(set(wanted) & steps)
    gated = bool(slip.told or slip.seen)
    known_of = bool(set(slip.told) & set(subject.history)) or bool(set(slip.seen) & set(subject.seen))
    return happened and (known_of or not gated) and suits(slip.when, slip.unless, words_of(known, subject.device))


def _log_chance(slip: Slip, result: ProofResult) -> float:
    total = 0.0
    for mark in result.items:
        if not mark.shown:
            continue
        shows = slip.shows.get(mark.item.id, {})
        bad = len(mark.item.shows) - 1
        good = 1 - sum(shows.values())
        chance = good if mark.met else shows.get(mark.shown, 0.0)
        total += math.log((1 - STRAY) * chance + STRAY * (0.5 if mark.met else 0.5 / bad))
    return total


def back_to(slip: Slip, plan: Plan | None) -> str:
    """The step of a plan that mends a slip."""
    steps = [row.step.id for row in plan.steps] if plan else []
    return next((step for step in slip.back if step in steps), "")
