"""A short guide to each page (guides.toml): what it is for, one example, what its marks mean."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

FILE = Path(__file__).with_name("guides.toml")
# Marks that are drawn; any other is a sign as it is printed.
DRAWN = frozenset({"good", "off", "short", "open", "none"})


@dataclass(frozen=True)
class GuideSign:
    """A mark that a page shows, and what it means."""

    sign: str
    means: str

    @property
    def drawn(self) -> bool:
        """Whether it is one of the state marks, which are drawn."""
        return self.sign in DRAWN


@dataclass(frozen=True, kw_only=True)
class Guide:
    """What somebody reads of a page on the first day.

    Attributes
    ----------
    pages : tuple of str
        Names of the addresses that show the page.
    title : str
    about : str
        What the page is for.
    example : str
        One thing to do there.
    signs : sequence of GuideSign

    """

    pages: tuple[str, ...]
    title: str
    about: str
    example: str
    signs: Sequence[GuideSign] = ()


@cache
def guides() -> tuple[Guide, ...]:
    """Every guide, in the order in which a day meets the pages."""
    raw = tomllib.loads(FILE.read_text(encoding="utf-8"))["guide"]
    return tuple(
        Guide(
            pages=tuple(row["pages"]),
            title=row["title"],
            about=row["about"],
            example=row["example"],
            signs=[GuideSign(sign, means) for sign, means in row["signs"]],
        )
        for row in raw
    )


@cache
def guide_to(view: str) -> Guide | None:
    """The guide to the page that an address shows, by the address's name; None where there is none."""
    return next((guide for guide in guides() if view in guide.pages), None)
