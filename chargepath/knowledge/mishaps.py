"""What the bench's own work can do to a device (mishaps.toml)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader


@dataclass(frozen=True)
class Mishap:
    """Something that goes wrong under one's own hands.

    Attributes
    ----------
    id, word, label : str
        `word` stands for it in the quick line.
    look : str
        What to look at and to read on both sides before the work goes on.
    plain : str
        What the customer reads.
    leaves : mapping of fault id to chance
        What the device may have from then on.
    hazard : str
        The danger that it raises; '' for none.

    """

    id: str
    word: str
    label: str
    look: str
    plain: str
    basis: str
    leaves: Annotated[Mapping[str, float], InFile(chances=True)] = field(default_factory=dict)
    hazard: str = ""


def read_mishaps(read: Reader) -> dict[str, Mishap]:
    """Every mishap by its id."""
    return read.rows(Mishap, "mishaps")
