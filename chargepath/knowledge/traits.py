"""How devices are built (traits.toml)."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Annotated

from chargepath.knowledge.reader import InFile, Reader


@dataclass(frozen=True)
class Trait:
    """One way in which a device is built; of one `group` at most one holds, `usual` names the kinds that it is taken
    for granted on, `implies` the traits that a device with this one has as well.
    """

    id: str
    label: str
    group: Annotated[str, InFile(absent="")]
    usual: tuple[str, ...]
    basis: str
    implies: tuple[str, ...] = ()


def read_traits(read: Reader) -> dict[str, Trait]:
    """Every trait by its id."""
    return read.rows(Trait, "traits")


def with_implied(traits: Mapping[str, Trait], told: Collection[str]) -> list[str]:
    """The traits that were told, and those that they imply, each once.

    Examples
    --------
    >>> from chargepath.knowledge.loader import shipped
    >>> with_implied(shipped().traits, ["chip_between"])
    ['chip_between', 'stacked_board']

    """
    implied = [name for trait in told if trait in traits for name in traits[trait].implies]
    return list(dict.fromkeys([*told, *implied]))


def built(traits: Mapping[str, Trait], kind: str, told: Collection[str]) -> tuple[str, ...]:
    """How a device is built: what was told, and what is usual for its kind where nothing of a group was told.

    Examples
    --------
    >>> from chargepath.knowledge.loader import shipped
    >>> [name for name in built(shipped().traits, "phone", ["clip_back"]) if shipped().traits[name].group == "Opens by"]
    ['clip_back']

    """
    groups = {traits[name].group for name in told if name in traits and traits[name].group}
    return tuple(
        name for name, trait in traits.items() if name in told or (kind in trait.usual and trait.group not in groups)
    )
