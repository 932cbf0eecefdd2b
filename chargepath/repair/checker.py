"""What is wrong with an order of work: a precondition that is not met, or an act that nobody does while a fact is true.

And work that is undone, and what is left undone at the end.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from chargepath.knowledge.procedures import Procedures, WorkStep
from chargepath.repair.workplan import after


@dataclass(frozen=True)
class Flaw:
    """One thing wrong: at which step ('' for the end), by which rule, in words.

    `rule` is the id of a rule that forbids an act, 'needs', 'undoes' or 'goal' with the fact, or 'back' where a check
    that fails leads nowhere.
    """

    step: str
    rule: str
    says: str


def flaws(work: Procedures, start: Iterable[str], steps: Sequence[WorkStep]) -> list[Flaw]:
    """Go through the steps and name everything that is wrong with them.

    Parameters
    ----------
    work : Procedures
        The rules.
    start : iterable of str
        Facts that are so before the first step.
    steps : sequence of WorkStep
        In the order of the work, to the end.

    Returns
    -------
    list of Flaw
        In the order of the work; empty for an order that is right.

    """
    facts, found, met = set(start), [], set()
    for step in steps:
        met.add(step.id)
        if step.back and met.isdisjoint(step.back):
            found.append(Flaw(step.id, "back", "where its check fails it leads to a step that this plan does not have"))
        for fact, so in step.needs:
            if (fact in facts) != so:
                found.append(Flaw(step.id, f"needs {fact}", f"before it {work.facts[fact][0 if so else 1]}"))
        for rule in work.nevers_of(step.acts):
            if (rule.fact in facts) == rule.holds and facts.isdisjoint(rule.but):
                found.append(Flaw(step.id, rule.id, rule.says))
        then = after(facts, step)
        undone = {fact for act in step.acts for fact in work.undoes.get(act, ())}
        if undone:
            then -= undone - {fact for fact, so in step.makes if so}
        for fact in work.lasting:
            if fact in facts and fact not in then:
                found.append(Flaw(step.id, f"undoes {fact}", f"it undoes that {work.facts[fact][0]}"))
        facts = then
    for fact, so in work.goals:
        if (fact in facts) != so:
            found.append(Flaw("", f"goal {fact}", f"at the end {work.facts[fact][1 if so else 0]}"))
    return found
