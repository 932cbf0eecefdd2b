"""What hostile and careless people type, paste and hand in; everything from a seed, so that a find comes back."""

from __future__ import annotations

import random
import tomllib
from pathlib import Path

HOSTILE = tomllib.loads((Path(__file__).parents[1] / "data" / "hostile.toml").read_text(encoding="utf-8"))
NUMBERS, QUICK, HEADS = HOSTILE["numbers"], HOSTILE["trade"], HOSTILE["heads"]
TEXTS = [*HOSTILE["texts"], *(text * times for text, times in HOSTILE["repeated"])]


class Source:
    """Draws from a seed."""

    def __init__(self, seed: int) -> None:
        self.draw = random.Random(seed)

    def word(self) -> str:
        """One word: a number, a nasty text, or something of the trade."""
        return self.draw.choice(self.draw.choice((NUMBERS, TEXTS, QUICK)))

    def line(self) -> str:
        """A few words, sometimes with a character gone wrong."""
        many = range(self.draw.randint(1, 6))
        words = [self.draw.choice(QUICK) if self.draw.random() < 0.7 else self.word() for _ in many]
        return self.bent(self.draw.choice((" ", " ", "  ", ",", "")).join(words))

    def bent(self, text: str) -> str:
        """The text with some of it cut, doubled, swapped or replaced."""
        for _ in range(self.draw.randint(0, 2)):
            if not text:
                return self.word()
            start = self.draw.randrange(len(text))
            stop = min(len(text), start + self.draw.randint(0, 12))
            piece = text[start:stop]
            new = self.draw.choice(("", piece * 2, self.word(), piece[::-1], chr(self.draw.randrange(0xD800))))
            text = text[:start] + new + text[stop:]
        return text

    def table(self) -> str:
        """Something like a record of a meter, or no longer."""
        mark = self.draw.choice((",", ";", "\t", "|", " "))
        heads = self.draw.sample(HEADS, self.draw.randint(1, 6))
        rows = [mark.join(heads)]
        for index in range(self.draw.choice((0, 1, 5, 30, 60))):
            usual = [f"{index * 0.5}" if self.draw.random() < 0.5 else f"{self.draw.random() * 3:.2f}" for _ in heads]
            if self.draw.random() < 0.15:
                usual[self.draw.randrange(len(usual))] = self.word()
            rows.append(mark.join(usual))
        if self.draw.random() < 0.05:
            rows.append(mark.join("1" for _ in range(self.draw.choice((50, 3000)))))
        return self.bent(self.draw.choice(("\n", "\r\n", "\r")).join(rows))

    def json_of(self, sample: object) -> object:
        """A JSON value with some of its leaves exchanged, dropped or doubled."""
        if isinstance(sample, dict):
            made = {key: self.json_of(value) for key, value in sample.items() if self.draw.random() > 0.02}
            if self.draw.random() < 0.05:
                made[self.word()] = self.leaf()
            return made
        if isinstance(sample, list):
            made_list = [self.json_of(value) for value in sample if self.draw.random() > 0.02]
            return made_list * self.draw.choice((1, 1, 1, 1, 3)) if made_list else made_list
        return self.leaf() if self.draw.random() < 0.05 else sample

    def leaf(self) -> object:
        """Any plain value of JSON."""
        plain = (
            None,
            True,
            -1,
            0,
            2**63,
            10**400,
            1e308,
            1e-300,
            "\ud800",
            [],
            {},
            [[]],
            self.word(),
            self.draw.random(),
        )
        return self.draw.choice(plain)
