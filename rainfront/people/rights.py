"""Who may do what: one predicate, and one refusal that every page answers with 403."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum

from django.core.exceptions import PermissionDenied

from rainfront.people.models import User


class Right(Enum):
    """Something that not everybody may do; the value says it in words."""

    WORK = "work on jobs"
    LEAD = "change the shop's numbers"
    OVERRULE = "overrule a danger"
    REDACT = "take a text out of a record"


HOLDERS: Mapping[Right, frozenset[str]] = {
    Right.WORK: frozenset({User.Role.TECHNICIAN, User.Role.LEAD, User.Role.COUNTER}),
    Right.LEAD: frozenset({User.Role.LEAD}),
    Right.OVERRULE: frozenset({User.Role.LEAD}),
    Right.REDACT: frozenset({User.Role.LEAD}),
}


class NotAllowed(PermissionDenied):
    """A person may not do that; says who may."""

    def __init__(self, right: Right) -> None:
        holders = " or ".join(sorted(User.Role(role).label.lower() for role in HOLDERS[right]))
        super().__init__(f"Only {holders} may {right.value}. Nothing was changed.")


def may(person: User, right: Right) -> bool:
    """Whether a person may do something."""
    return person.is_active and person.role in HOLDERS[right]


def require(person: User, right: Right) -> None:
    """Refuse what a person may not do.

    Raises
    ------
    NotAllowed

    """
    if not may(person, right):
        raise NotAllowed(right)
