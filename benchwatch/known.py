"""What the watch has to know after it was killed: which supplies there are, and which of them was feeding a cell."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from benchwatch.line import Address

FILE, MOST_SUPPLIES = "known.json", 8
OUTCOME = ("run", "state", "says", "off", "moved_mah")


@dataclass(frozen=True, kw_only=True)
class Known:
    """What is written down.

    Attributes
    ----------
    supplies : tuple of Address
        Supplies that were spoken to, the last one first.
    feeding : int or None
        The run whose supply, the first of `supplies`, may be on.
    ended : tuple of dict
        How the last runs ended, each the fields of a `keeper.Outcome`.

    """

    supplies: tuple[Address, ...] = field(default=())
    feeding: int | None = None
    ended: tuple[dict[str, Any], ...] = field(default=())

    @classmethod
    def read(cls, folder: Path) -> Known:
        """Read the file; one that is missing or spoiled says nothing."""
        try:
            raw: Any = json.loads((folder / FILE).read_text("utf-8"))
            supplies = tuple(
                Address(host=str(row["host"]), port=int(row["port"]), thermo_port=row.get("thermo_port"))
                for row in raw["supplies"]
            )
            ended = tuple({name: row[name] for name in OUTCOME} for row in raw["ended"])
            return cls(supplies=supplies, feeding=None if raw["feeding"] is None else int(raw["feeding"]), ended=ended)
        except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError):
            return cls()

    def write(self, folder: Path) -> None:
        """Write the file as a whole, so that a kill leaves the old one or the new one.

        Raises
        ------
        OSError
            It cannot be stored: the disk is full.

        """
        made = folder / f"{FILE}.{os.getpid()}"
        try:
            with made.open("w", encoding="utf-8") as out:
                json.dump(asdict(self), out)
                out.flush()
                os.fsync(out.fileno())
            made.replace(folder / FILE)
        except OSError:
            with contextlib.suppress(OSError):
                made.unlink(missing_ok=True)
            raise

    def at(self, supply: Address) -> Known:
        """The same with this supply as the first one."""
        rest = tuple(row for row in self.supplies if (row.host, row.port) != (supply.host, supply.port))
        return replace(self, supplies=(supply, *rest)[:MOST_SUPPLIES])
