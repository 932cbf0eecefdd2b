"""Why a cell is not charged, and what to do instead, in words."""

from __future__ import annotations

from dataclasses import dataclass

from chargepath.base.quantities import figure, shortest
from chargepath.repair.cell import Refusal


@dataclass(frozen=True)
class Refused:
    """One reason: what is so, and what to do instead."""

    says: str
    instead: str


NEW = "and a new one."
WORDS = {
    "swollen": ("it is swollen", f"Do not press it flat or pierce it: into the fire-safe box, {NEW}"),
    "wet": ("it is wet", "Out with it, dried and looked at; a cell that was wet inside is replaced."),
    "dented": ("it is dented or cut", f"Into the fire-safe box, {NEW}"),
    "hot": ("it is hot by itself", f"Move it away from what burns, leave it alone, {NEW}"),
    "deep": (
        "it reads {value} V, under {limit}",
        "Copper may have gone into solution; it can short while it charges. Fit a new one; do not revive it.",
    ),
    "over": (
        "it reads {value} V and may have {limit}",
        "Off what charges it; out, into the fire-safe box, discarded by local rules. Then find what charged it so far.",
    ),
    "series": (
        "it is a pack of two cells in series",
        "A bench supply does not keep the two alike: one would pass its limit. Read each of them at the tap between "
        "them, then charge it in its own device, or by a charger that balances.",
    ),
    "cold": (
        "its temperature is {short} °C, under {short_limit}",
        "Lithium plates out in the cold. Let it come to the room first.",
    ),
    "warm": (
        "its temperature is {short} °C, over {short_limit}",
        "Let it cool by itself; warm without reason: a new one.",
    ),
    "bare": (
        "a bare 5 V lead has no limit that fits a cell",
        "It pushes past {limit} V. A supply with both limits set, or the device's own charger.",
    ),
    "volts": ("{value} V is over the cell's {limit}", "Set {limit} V, with the leads open, before they go on."),
    "amps": ("{value} A is over the {limit} that a cell {why} may have", "Set {limit} A or less.{later}"),
    "then": ("{value} A later is over the {limit} that a cell of this size may have", "{limit} A or less."),
}


def refusal_words(found: Refusal) -> Refused:
    """One refusal in words."""
    named = {
        "value": figure(found.value, 2),
        "limit": figure(found.limit, 2),
        "short": shortest(found.value),
        "short_limit": shortest(found.limit),
        "why": "under the recovery threshold" if found.recovers_v else "of this size",
        "later": f" It may have more from {figure(found.recovers_v, 1)} V on." if found.recovers_v else "",
    }
    says, instead = WORDS[found.id]
    return Refused(says.format(**named), instead.format(**named))
