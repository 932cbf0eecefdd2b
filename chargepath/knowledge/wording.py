"""What is said to people: cautions, what to do in an emergency, what customers tell and are told.

Read from cautions, emergencies, history, tells and aftercare .toml.
"""

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
        read.only(raw, where, ("label", "sign", "do", "never", "large", "basis"))
        out[name] = Emergency(
            id=name,
            label=read.text(raw, "label", where),
            sign=read.text(raw, "sign", where),
            do=read.texts(raw, "do", where),
            never=read.texts(raw, "never", where),
            large=read.flag(raw, "large", where),
            basis=read.basis(raw, where),
        )
        for key in ("do", "never"):
            if not raw.get(key):
                read.say(f"{where}.{key}", "must name at least one thing")
    return out


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
