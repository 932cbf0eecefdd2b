"""What is said to people: cautions, what to do in an emergency, what customers tell and are told.

Read from cautions, emergencies, history, tells, aftercare and customer .toml.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from chargepath.knowledge.reader import Reader, Table


@dataclass(frozen=True)
class Caution:
    """A usual safety caution."""

    id: str
    label: str
    text: str


@dataclass(frozen=True)
class Aftercare:
    """A fault in the customer's words: what was wrong, and what to avoid."""

    plain: str
    avoid: str


@dataclass(frozen=True)
class CustomerWords:
    """What a customer reads in place of the trade's words (see the head of customer.toml).

    `stations` names the places of the charging path, `offered` says what a route would do, `done` what it has
    done; `signs` gives, by check, or by check and variant, a sentence for each grade or sign that a customer is
    told of.
    """

    stations: Mapping[str, str]
    offered: Mapping[str, str]
    done: Mapping[str, str]
    signs: Mapping[str, Mapping[str, str]]

    def found(self, check: str, variant: str, shown: Iterable[str]) -> list[str]:
        """Sentences for the grades or signs that a check showed; none where they say nothing to a customer."""
        words = self.signs.get(f"{check}@{variant}" if variant else check, self.signs.get(check, {}))
        return [words[one] for one in shown if one in words]


@dataclass(frozen=True, kw_only=True)
class Emergency:
    """What to do when somebody is in danger.

    Attributes
    ----------
    id, label : str
    sign : str
        How it is recognised.
    do : tuple of str
        In the order in which it is done.
    never : tuple of str
        What makes it worse.
    large : bool
        It stands at the top of the card, in the largest letters.
    basis : str

    """

    id: str
    label: str
    sign: str
    do: tuple[str, ...]
    never: tuple[str, ...]
    large: bool
    basis: str


def read_emergencies(read: Reader) -> dict[str, Emergency]:
    """What to do in an emergency, by its id; each says what to do and what never to do."""
    out = {}
    for name, raw in read.load("emergencies").items():
        where = f"emergencies.toml [{name}]"
        out[name] = read.row(Emergency, raw, where, id=name)
        for key in ("do", "never"):
            if not raw.get(key):
                read.say(f"{where}.{key}", "must name at least one thing")
    return out


def read_cautions(read: Reader) -> dict[str, Caution]:
    """Every caution by its id."""
    return read.rows(Caution, "cautions")


def read_history(read: Reader) -> dict[str, str]:
    """What a customer may tell, by its id."""
    return {name: read.text(raw, "label", f"history.toml [{name}]") for name, raw in read.load("history").items()}


def read_symptoms(read: Reader) -> frozenset[str]:
    """Which of the history is what is wrong now, not what happened before."""
    found = set()
    for name, raw in read.load("history").items():
        read.only(raw, f"history.toml [{name}]", ("label", "symptom", "from_hours", "below_hours"))
        if raw.get("symptom") is True:
            found.add(name)
    return frozenset(found)


def read_since_wet(read: Reader) -> dict[str, tuple[float, float]]:
    """What is told by how long ago the device got wet: from how many hours on, and under how many."""
    found = {}
    for name, raw in read.load("history").items():
        where = f"history.toml [{name}]"
        told = {key: read.number(raw, key, where, high=1e6) for key in ("from_hours", "below_hours") if key in raw}
        if told:
            found[name] = (told.get("from_hours", 0.0), told.get("below_hours", math.inf))
    return found


@dataclass(frozen=True)
class Reasons:
    """Texts for a technician who asks why: why each setting has its value, and why each fault comes about."""

    settings: Mapping[str, str]
    faults: Mapping[str, str]


def read_reasons(read: Reader) -> Reasons:
    """What stands behind settings and faults."""
    raw = read.load("reasons")
    read.only(raw, "reasons.toml", ("basis", "setting", "fault"))
    read.basis(raw, "reasons.toml")
    settings, faults = (read.table(raw, key, "reasons.toml") for key in ("setting", "fault"))
    return Reasons(
        {name: read.text(settings, name, "reasons.toml [setting]") for name in settings},
        {name: read.text(faults, name, "reasons.toml [fault]") for name in faults},
    )


def read_tells(read: Reader) -> dict[str, str]:
    """What a customer must be told, by its id."""
    return {name: read.text(raw, "text", f"tells.toml [{name}]") for name, raw in read.load("tells").items()}


def read_aftercare(read: Reader) -> dict[str, Aftercare]:
    """What a customer is told after a repair, by fault."""
    rows = read.load("aftercare").items()
    return {name: read.row(Aftercare, raw, f"aftercare.toml [{name}]") for name, raw in rows}


def read_customer(read: Reader) -> CustomerWords:
    """What a customer reads of stations, routes and checks."""
    raw, where = read.load("customer"), "customer.toml"
    read.only(raw, where, ("stations", "offered", "done", "signs"))

    def texts(table: Table, at: str) -> dict[str, str]:
        return {name: read.text(table, name, at) for name in table}

    signs = read.table(raw, "signs", where)
    return CustomerWords(
        stations=texts(read.table(raw, "stations", where), f"{where} [stations]"),
        offered=texts(read.table(raw, "offered", where), f"{where} [offered]"),
        done=texts(read.table(raw, "done", where), f"{where} [done]"),
        signs={key: texts(read.table(signs, key, where), f"{where} [signs.{key}]") for key in signs},
    )
