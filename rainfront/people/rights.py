"""Who may do what: one predicate, and one refusal that every page answers with 403."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import Enum
from functools import wraps
from typing import Any, TypeVar, cast

from django.core.exceptions import PermissionDenied

from chargepath.base.sentences import inside
from rainfront.people.models import User

Act = TypeVar("Act", bound=Callable[..., Any])


class Right(Enum):
    """Something that not everybody may do; the value says it in words."""

    TAKE_IN = "take devices in, correct their details and write notes"
    MEASURE = "measure, enter what is found and do the steps of a repair"
    REPAIR = "choose a repair, prove it and end it"
    PROMISE = "quote, take money, close jobs and hand devices over"
    PARTS = "move parts on the shelf"
    TEACH = "keep readings as the shop's own references"
    LEAD = "change the shop's numbers"
    OVERRULE = "overrule a danger"
    REDACT = "take a text out of a record"
    ERASE = "erase a customer"
    PEOPLE = "add people and say what they may do"
    KEEP = "look after backups and the addresses of meters"


_ROLE = User.Role
_LEADS = frozenset({_ROLE.OWNER, _ROLE.LEAD})
_REPAIRERS = _LEADS | {_ROLE.TECHNICIAN}
# Who may do what: the one table, shown to people on the page "Who may do what".
HOLDERS: Mapping[Right, frozenset[str]] = {
    Right.TAKE_IN: _REPAIRERS | {_ROLE.APPRENTICE, _ROLE.COUNTER},
    Right.MEASURE: _REPAIRERS | {_ROLE.APPRENTICE},
    Right.REPAIR: _REPAIRERS,
    Right.PROMISE: _REPAIRERS | {_ROLE.COUNTER},
    Right.PARTS: _REPAIRERS | {_ROLE.COUNTER},
    Right.TEACH: _REPAIRERS,
    Right.LEAD: _LEADS,
    Right.OVERRULE: _LEADS,
    Right.REDACT: _LEADS,
    Right.ERASE: _LEADS,
    Right.PEOPLE: frozenset({_ROLE.OWNER}),
    Right.KEEP: frozenset({_ROLE.OWNER}),
}


class NotAllowed(PermissionDenied):
    """A person may not do that; says who may."""

    def __init__(self, right: Right) -> None:
        who = [inside(role.label) for role in User.Role if role in HOLDERS[right]]
        holders = f"{', '.join(who[:-1])} or {who[-1]}" if len(who) > 1 else who[0]
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


def needs(right: Right) -> Callable[[Act], Act]:
    """Say of a write what its `user` must be allowed; it is refused before anything is read."""

    def guard(act: Act) -> Act:
        @wraps(act)
        def guarded(*args: Any, user: User, **more: Any) -> Any:
            require(user, right)
            return act(*args, user=user, **more)

        return cast("Act", guarded)

    return guard


def posts(right: Right) -> Callable[[Act], Act]:
    """Say of a view what whoever sends something to it must be allowed; the middleware asks before the view runs."""

    def mark(view: Act) -> Act:
        view.posts_right = right  # type: ignore[attr-defined]
        return view

    return mark


def own(view: Act) -> Act:
    """Say of a view that everybody sends to it what is their own: settings, a password."""
    view.posts_own = True  # type: ignore[attr-defined]
    return view


class Rights:
    """What a person may do, for templates: `can.repair`."""

    def __init__(self, person: User) -> None:
        self._person = person

    def __getitem__(self, name: str) -> bool:
        return may(self._person, Right[name.upper()])
