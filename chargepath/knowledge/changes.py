"""A shop's own numbers in place of shipped ones: named by their path, kept apart, validated by the same loader."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

# Files whose numbers a shop may change; the rest is physics, standards or wording.
OPEN_TO_CHANGE = ("faults", "checks", "routes", "costs", "scale", "proof", "upkeep")


@dataclass(frozen=True)
class Change:
    """One number changed: `path` is file, table and keys, joined by dots, as in ``faults.port_fouled.weight``."""

    path: str
    value: float

    @property
    def stem(self) -> str:
        """File that it belongs to."""
        return self.path.partition(".")[0]

    def put_into(self, table: dict[str, Any]) -> bool:
        """Put the number in its place; False where there is no number."""
        *keys, last = self.path.split(".")[1:]
        for key in keys:
            found = table.get(key)
            if not isinstance(found, dict):
                return False
            table = found
        if not is_number(table.get(last)):
            return False
        table[last] = self.value
        return True


# Amounts of money among the numbers that ship: file, and the key that an amount stands under.
MONEY = {
    "routes": ("part", "part_on"),
    "costs": ("rate_per_minute", "wait_per_minute", "comeback_handling", "day_price", "tie", "default_value"),
}


def money_in(stem: str, table: dict[str, Any]) -> Iterator[tuple[str, float]]:
    """Path and amount of every sum of money in a file, zeros left out."""
    for path, found in numbers_in(table, stem):
        keys = path.split(".")
        if {*keys[1:]} & {*MONEY.get(stem, ())} and isinstance(found, int | float) and found:
            yield path, float(found)


def is_number(found: Any) -> bool:
    """Whether a value of a knowledge file is a number (a word of the likelihood scale stands for one too)."""
    return (
        isinstance(found, int | float | str)
        and not isinstance(found, bool)
        and (not isinstance(found, str) or found.startswith(("almost", "usually", "often", "sometimes", "rarely")))
    )


def number_at(known: Any, path: str) -> float | None:
    """What a knowledge holds under a path, words of the scale read; None where it keeps it in another shape.

    >>> from chargepath.knowledge.loader import shipped
    >>> number_at(shipped(), "checks.plug_flip.leak.one_side") == shipped().checks["plug_flip"].leak["one_side"]
    True
    """
    found: Any = known
    for key in path.split("."):
        if isinstance(found, Mapping):
            found = found.get(key)
        elif hasattr(found, key):
            found = getattr(found, key)
        else:
            found = getattr(found, "factors", {}).get(key)
    return float(found) if isinstance(found, int | float) and not isinstance(found, bool) else None


def numbers_in(table: dict[str, Any], path: str) -> Iterator[tuple[str, Any]]:
    """Every number below a path, with its own path."""
    for key, found in table.items():
        here = f"{path}.{key}"
        if isinstance(found, dict):
            yield from numbers_in(found, here)
        elif is_number(found):
            yield here, found
