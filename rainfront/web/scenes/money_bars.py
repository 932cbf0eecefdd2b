"""Routes side by side: what each is expected to cost, its terms as stacked lengths on one money scale."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number

WIDTH, HEIGHT = 1000.0, 26.0
TERMS = {
    "labour": "labour",
    "part": "part",
    "harm": "risk of harm",
    "waiting": "waiting for the part",
    "comeback": "come-backs",
    "later": "what follows a failed proof",
}


@dataclass(frozen=True)
class Piece:
    """One term of one bar."""

    term: str
    x: str
    width: str


@dataclass(frozen=True)
class Bar:
    """One route: its pieces, each term in words, and its total."""

    pieces: tuple[Piece, ...]
    words: tuple[tuple[str, str, str], ...]
    title: str


def draw(rows: Sequence[Mapping[str, float]], shown: Callable[[float], str]) -> list[Bar]:
    """Draw money by term for each row on one scale that starts at nothing.

    `shown` writes an amount of money.
    """
    totals = [sum(terms.values()) for terms in rows]
    top = max([*totals, 1.0])
    bars = []
    for terms, total in zip(rows, totals, strict=True):
        at, pieces, words = 0.0, [], []
        for term, label in TERMS.items():
            money = terms.get(term, 0.0)
            width = money / top * WIDTH
            if width >= 0.5:
                pieces.append(Piece(term, number(at), number(width)))
            if money >= 0.5:
                words.append((term, label, shown(money)))
            at += width
        said = ", ".join(f"{label} {money}" for _, label, money in words)
        bars.append(Bar(tuple(pieces), tuple(words), f"{shown(total)}: {said}"))
    return bars
