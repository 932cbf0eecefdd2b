"""The bench supply and the levels of low-voltage lines (bench.toml)."""

from __future__ import annotations

from chargepath.knowledge.reader import Reader, Table

SUPPLY = (
    "dead_below_a",
    "stuck_below_a",
    "over_from_a",
    "find_by_hand_w",
    "find_by_picture_w",
    "aim_w",
    "lead_ohms",
    "good_factor",
)
LEVELS = ("rail_volts", "low_share", "high_share", "rest_share", "over_share", "ntc_ohms", "ntc_beta")


def _needed(read: Reader, raw: Table, name: str, keys: tuple[str, ...]) -> dict[str, float]:
    """A table of numbers that must all be there."""
    table, where = read.table(raw, name, "bench.toml"), f"bench.toml [{name}]"
    read.only(table, where, (*keys, "basis"))
    read.basis(table, where)
    return {key: read.number(table, key, where, high=1e6) for key in keys}


def read_bench(read: Reader) -> tuple[dict[str, float], dict[str, float]]:
    """Numbers of the bench supply, and levels of the low-voltage lines."""
    raw = read.load("bench")
    return _needed(read, raw, "supply", SUPPLY), _needed(read, raw, "levels", LEVELS)
