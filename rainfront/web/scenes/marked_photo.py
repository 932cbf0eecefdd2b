"""A photo with numbered marks laid over it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rainfront.web.scenes.charge_line import number as formatted

# Radius of a mark, size of its number and how far that hangs down, as shares of the photo's longer side.
RADIUS, FONT, DROP = 1 / 40, 1.2 / 40, 0.42 / 40


@dataclass(frozen=True)
class PhotoMark:
    """A numbered mark on a photo [pixels], with its words; `hot` for a hot spot."""

    number: int
    x: str
    y: str
    text: str
    hot: bool


@dataclass(frozen=True, kw_only=True)
class MarkedPhoto:
    """A photo with its marks; lengths in pixels of the photo. `says` reads the marks aloud."""

    url: str
    width: int
    height: int
    spots: Sequence[PhotoMark]
    radius: str
    font: str
    drop: str
    says: str


def draw(url: str, width: int, height: int, marks: Iterable[tuple[int, float, float, str, bool]]) -> MarkedPhoto:
    """Lay marks over a photo: number, place as shares of width and height, words, and whether it is a hot spot."""
    size = max(width, height)
    spots = [PhotoMark(n, formatted(x * width), formatted(y * height), text, hot) for n, x, y, text, hot in marks]
    return MarkedPhoto(
        url=url,
        width=width,
        height=height,
        spots=spots,
        radius=formatted(size * RADIUS),
        font=formatted(size * FONT),
        drop=formatted(size * DROP),
        says="; ".join(f"{spot.number}: {spot.text}" for spot in spots),
    )
