"""Searches that a person keeps."""

from __future__ import annotations

from datetime import datetime
from urllib.parse import parse_qsl, urlencode

from chargepath.base.errors import ReadingError
from rainfront.logbook.models import SavedSearch
from rainfront.people.models import User
from rainfront.web.secrets import refuse_unlock_code

MOST_SAVED = 50
# What is no part of a search: which page of it is shown, and the form's own fields.
NOT_KEPT = frozenset({"before", "csrfmiddlewaretoken", "once_key", "name"})


def save_search(name: str, query: str, *, user: User, now: datetime) -> SavedSearch:
    """Keep a search under a name; one of that name is replaced.

    Raises
    ------
    ReadingError
        Without a name, or nothing is asked, or too many are kept.

    """
    refuse_unlock_code(name, "name")
    asked = [(key, value) for key, value in parse_qsl(query) if key not in NOT_KEPT and value]
    if not name.strip():
        raise ReadingError("give it a name", "name", "as in: came back, micro-B")
    if not asked:
        raise ReadingError("this search asks nothing yet", "search", "a word, a fault, a reading")
    kept = SavedSearch.objects.of(user)
    if kept.count() >= MOST_SAVED and not kept.filter(name=name.strip()[:60]).exists():
        raise ReadingError(f"{MOST_SAVED} searches are kept", "search", "remove one first")
    made, _ = SavedSearch.objects.update_or_create(
        person=user, name=name.strip()[:60], defaults={"query": urlencode(asked)[:1000], "at": now}
    )
    return made


def remove_search(pk: int, *, user: User, now: datetime) -> None:
    """Forget a search of one's own."""
    SavedSearch.objects.of(user).filter(pk=pk).delete()
