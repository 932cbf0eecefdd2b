"""Habits of shops (schools.toml)."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.knowledge.reader import Reader


@dataclass(frozen=True)
class School:
    """A habit of a shop (see schools.toml); `unless` are (check, grade) that lift its ban."""

    id: str
    label: str
    about: str
    first_routes: tuple[str, ...]
    first_checks: tuple[str, ...]
    forbid: tuple[str, ...]
    unless: tuple[tuple[str, str], ...]
    carriers: tuple[str, ...]
    basis: str


def read_schools(read: Reader) -> dict[str, School]:
    """Every habit by its id."""
    return read.rows(School, "schools")
