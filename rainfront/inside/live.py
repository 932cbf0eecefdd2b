"""Taking a reading from a live multimeter, by way of the process that reads the instruments."""

from __future__ import annotations

from chargepath.base.errors import ReadingError
from rainfront.instruments.asking import TAKES_S, ask
from rainfront.reference.models import DiodeMeter


def steady_reading(meter: DiodeMeter, touch: dict[str, str] | None = None, *, first: bool = True) -> float:
    """Wait for a reading that stands still [mV].

    `touch` is what a simulated meter is to put its probe on; `first` is False where the probe has to be lifted before.

    Raises
    ------
    ReadingError
        It has no live address, cannot be reached, fell silent, or nothing stood still in time.

    """
    if not meter.is_live:
        raise ReadingError(
            f"{meter} has no live address", "meter", "set it on the references page, or type the reading"
        )
    at = {"host": meter.host, "port": int(meter.port or 0), "name": str(meter)}
    return float(ask("take", within=TAKES_S, touch=touch, first=first, **at)["value"])
