"""Suspects: what may be wrong, how likely, and what pushed it."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.diagnosis.belief import Push
from rainfront.jobs.presenters.basis import Basis
from rainfront.jobs.presenters.words import event_words
from rainfront.web.scenes.charge_line import percent

SHOWN, SHOWN_PUSHES = 6, 4
# What moves the odds by less than this either way is left out on the bench.
STRONG = 1.2


@dataclass(frozen=True)
class PushRow:
    """What an entry did to a suspect: its words, the factor on the odds, whether it raised them."""

    words: str
    factor: str
    up: bool


@dataclass(frozen=True)
class Suspect:
    """One fault with what pushed it; `width` is its chance in hundredths, for the bar."""

    id: str
    label: str
    about: str
    percent: str
    width: str
    pushes: list[PushRow]


def reach_of(push: Push) -> float:
    """How far an entry moved a fault, whichever way: 1 for not at all."""
    return max(push.factor, 1 / max(push.factor, 1e-9))


def push_row(basis: Basis, push: Push, digits: int = 1) -> PushRow:
    """An entry's push in words."""
    up, size = push.factor >= 1, reach_of(push)
    shown = ">99" if size > 99 else f"{size:.{digits}f}"
    words = event_words(basis.belief.entries[push.index], basis.known)
    return PushRow(words, f"{'×' if up else '÷'}{shown}", up)


def suspects_of(basis: Basis) -> list[Suspect]:
    """The likeliest faults, those at the chosen station where one is chosen."""
    faults = basis.known.faults
    here = [(name, chance) for name, chance in basis.belief.faults if basis.station in ("", faults[name].station)]
    return [_suspect(basis, name, chance) for name, chance in here[:SHOWN]]


def _suspect(basis: Basis, name: str, chance: float) -> Suspect:
    fault = basis.known.faults[name]
    strong = [push for push in basis.core.pushes if push.fault == name and reach_of(push) > STRONG]
    strong.sort(key=reach_of, reverse=True)
    rows = [push_row(basis, push) for push in strong[:SHOWN_PUSHES]]
    return Suspect(
        id=name,
        label=fault.label,
        about=fault.about,
        percent=percent(chance),
        width=f"{max(chance, 0.0) * 100:.1f}",
        pushes=rows,
    )
