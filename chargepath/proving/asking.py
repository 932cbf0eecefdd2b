"""What a device has to show: the items of its proof, by how it is built, what was told and seen, and the work on it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from chargepath.case.entries import Device
from chargepath.knowledge import Knowledge
from chargepath.knowledge.procedures import suits
from chargepath.knowledge.proofs import CLOSED, OPEN, ProofItem
from chargepath.repair.workplan import Plan, words_of


@dataclass(frozen=True)
class Subject:
    """What a proof is made for.

    Attributes
    ----------
    device : Device
    history : tuple of str
        What was told.
    seen : collection of (check, grade)
        What was found before the repair.
    plan : Plan or None
        The work that was done, None where nothing was.
    answered : collection of str
        Items that the proof before closing has shown already.
    late : bool
        The shop proves only once the device is closed: before, it takes a short look.

    """

    device: Device
    history: tuple[str, ...] = ()
    seen: Collection[tuple[str, str]] = ()
    plan: Plan | None = None
    answered: Collection[str] = ()
    late: bool = False

    @property
    def opened(self) -> bool:
        """Whether the work opens the device, so that it is closed afterwards."""
        return self.plan is not None and any(name == "closed" for row in self.plan.steps for name, _ in row.step.makes)

    @property
    def is_small(self) -> bool:
        """Whether the work opens nothing and can have hurt nothing: its proof is asked in proportion."""
        return self.plan is not None and not self.opened and not self.touched

    @property
    def touched(self) -> frozenset[str]:
        """Functions that a step of the plan may have hurt."""
        return frozenset(name for row in self.plan.steps for name in row.step.touches) if self.plan else frozenset()


def phases_of(subject: Subject) -> tuple[str, ...]:
    """When a device is proved: before closing and after, or only as it stands where nothing is closed after it."""
    return (OPEN, CLOSED) if subject.opened else (CLOSED,)


def asked_of(known: Knowledge, subject: Subject, phase: str) -> tuple[ProofItem, ...]:
    """The items of a proof, in the order of the work.

    What is asked by risk and does not follow from the repair, from what was told or from what was seen is offered.

    Parameters
    ----------
    known : Knowledge
    subject : Subject
    phase : str
        `OPEN` or `CLOSED`.

    Examples
    --------
    >>> from chargepath.knowledge.loader import shipped
    >>> found = asked_of(shipped(), Subject(Device("phone", "micro_b", "none")), CLOSED)
    >>> "flip" in [item.id for item in found], found[-1].id
    (False, 'rise')

    """
    words = words_of(known, subject.device)
    touched = subject.touched
    found = (
        item
        for item in known.proof_items.values()
        if _comes(item, subject, phase) and _belongs(known, item, subject, words, touched)
    )
    return tuple(item if _asked(item, subject) else replace(item, extra=True, essential=False) for item in found)


def _asked(item: ProofItem, subject: Subject) -> bool:
    """Whether an item is asked, and not only offered: by risk after a small repair, and where the item says so."""
    if subject.plan is None:
        return True
    by_risk = not item.small if subject.is_small else item.by_risk
    return not by_risk or _calls_for(item, subject)


def _calls_for(item: ProofItem, subject: Subject) -> bool:
    """Whether the repair, what was told or what was seen calls for an item."""
    route = subject.plan.route if subject.plan else ""
    return (
        route in item.risk_routes
        or bool(set(item.risk_told) & set(subject.history))
        or bool(set(item.risk_seen) & set(subject.seen))
    )


def _comes(item: ProofItem, subject: Subject, phase: str) -> bool:
    """Whether it is asked now: a shop that proves late takes a short look first, and asks everything afterwards."""
    if phase == OPEN and item.open_routes and (subject.plan is None or subject.plan.route not in item.open_routes):
        return False
    if not subject.late or not subject.opened:
        return phase in item.at
    return item.look if phase == OPEN else not _needs_the_inside(item)


def _needs_the_inside(item: ProofItem) -> bool:
    """Whether it can only be read on an open device: numbers taken at the board or the cell."""
    return CLOSED not in item.at and bool(item.values)


def _belongs(
    known: Knowledge, item: ProofItem, subject: Subject, words: frozenset[str], touched: frozenset[str]
) -> bool:
    route = subject.plan.route if subject.plan else ""
    gated = bool(item.seen or item.routes)
    wanted = bool(set(item.seen) & set(subject.seen)) or route in item.routes
    return (
        suits(item.when, item.unless, words)
        and (not item.reversible or known.connectors[subject.device.connector].reversible)
        and (not item.told or bool(set(item.told) & set(subject.history)))
        and (not gated or wanted)
        and (not item.touched or item.id in touched)
        and not (item.once and item.id in subject.answered)
    )


def proof_minutes(asked: Sequence[ProofItem]) -> tuple[float, float]:
    """Hands-on and waiting minutes of the items that are asked [min]; items that are only offered do not count."""
    needed = [item for item in asked if not item.extra]
    return sum(item.minutes for item in needed), sum(item.wait for item in needed)
