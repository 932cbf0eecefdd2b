"""Habits of shops (schools.toml)."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.knowledge.reader import Reader, Table

SCHOOL_KEYS = ("label", "about", "first_routes", "first_checks", "forbid", "unless", "carriers", "basis")


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


def _one(read: Reader, name: str, table: Table) -> School:
    where = f"schools.toml [{name}]"
    read.only(table, where, SCHOOL_KEYS)
    return School(
        id=name,
        label=read.text(table, "label", where),
        about=read.text(table, "about", where),
        first_routes=read.texts(table, "first_routes", where),
        first_checks=read.texts(table, "first_checks", where),
        forbid=read.texts(table, "forbid", where),
        unless=read.pairs(table, "unless", where),
        carriers=read.texts(table, "carriers", where),
        basis=read.basis(table, where),
    )


def read_schools(read: Reader) -> dict[str, School]:
    """Every habit by its id."""
    return {name: _one(read, name, raw) for name, raw in read.load("schools").items()}
