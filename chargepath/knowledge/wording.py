"""What is said to people: cautions, what customers tell and are told (cautions, history, tells, aftercare .toml)."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.knowledge.reader import Reader


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


def read_cautions(read: Reader) -> dict[str, Caution]:
    """Every caution by its id."""
    out = {}
    for name, raw in read.load("cautions").items():
        where = f"cautions.toml [{name}]"
        out[name] = Caution(name, read.text(raw, "label", where), read.text(raw, "text", where))
    return out


def read_history(read: Reader) -> dict[str, str]:
    """What a customer may tell, by its id."""
    return {name: read.text(raw, "label", f"history.toml [{name}]") for name, raw in read.load("history").items()}


def read_symptoms(read: Reader) -> frozenset[str]:
    """Which of the history is what is wrong now, not what happened before."""
    found = set()
    for name, raw in read.load("history").items():
        read.only(raw, f"history.toml [{name}]", ("label", "symptom"))
        if raw.get("symptom") is True:
            found.add(name)
    return frozenset(found)


def read_tells(read: Reader) -> dict[str, str]:
    """What a customer must be told, by its id."""
    return {name: read.text(raw, "text", f"tells.toml [{name}]") for name, raw in read.load("tells").items()}


def read_aftercare(read: Reader) -> dict[str, Aftercare]:
    """What a customer is told after a repair, by fault."""
    out = {}
    for name, raw in read.load("aftercare").items():
        where = f"aftercare.toml [{name}]"
        read.only(raw, where, ("plain", "avoid"))
        out[name] = Aftercare(read.text(raw, "plain", where), read.text(raw, "avoid", where))
    return out
