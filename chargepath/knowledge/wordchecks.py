"""Whether everything that a person is told of, a customer or who asks why, has its words, and nothing else has."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from chargepath.knowledge.book import Knowledge
from chargepath.knowledge.reader import Reader
from chargepath.knowledge.routes import NO_REPAIR


def check_words(read: Reader, known: Knowledge) -> None:
    """Faults, stations, routes, grades and signs that the customer's words name."""
    words = known.customer
    _all_worded(read, known.aftercare, known.faults, "aftercare.toml")
    _all_worded(read, known.reasons.faults, known.faults, "reasons.toml [fault]")
    _all_worded(read, known.reasons.settings, known.procedures.settings, "reasons.toml [setting]")
    _all_worded(read, words.stations, known.stations, "customer.toml [stations]")
    _all_worded(read, words.offered, known.routes, "customer.toml [offered]")
    _all_worded(read, words.done, [name for name in known.routes if name not in NO_REPAIR], "customer.toml [done]")
    for key, said in words.signs.items():
        name, _, variant = key.partition("@")
        where = f"customer.toml [signs.{key}]"
        read.known([name], known.checks, where)
        if name in known.checks:
            check = known.checks[name]
            read.known(said, check.grades or check.signs, where)
            read.known([variant] if variant else [], check.variants, where)


def _all_worded(read: Reader, words: Collection[str], names: Iterable[str], where: str) -> None:
    read.known(words, names, where)
    for name in names:
        if name not in words:
            read.say(where, f"'{name}' has no words here")
