"""Taking a reading from a live multimeter: wait until it stands still."""

from __future__ import annotations

import json
import math
import time

from chargepath.base.errors import ReadingError
from chargepath.electrical.steady import Steady, parse_probe
from rainfront.instruments.live import connect, lines_of
from rainfront.reference.models import DiodeMeter

WAIT_S = 8.0


def take(meter: DiodeMeter, touch: dict[str, str] | None = None, *, first: bool = True) -> float:
    """Wait for a reading that stands still [mV].

    Parameters
    ----------
    meter : DiodeMeter
        With a live address.
    touch : dict, optional
        What a simulated meter is to put its probe on; a real meter refuses that and is read all the same.
    first : bool
        False where the probe has to be lifted off the line before.

    Raises
    ------
    ReadingError
        It cannot be reached, fell silent, or nothing stood still in time.

    """
    if not meter.is_live:
        raise ReadingError(
            f"{meter} has no live address", "meter", "set it on the references page, or type the reading"
        )
    with connect(meter.host, int(meter.port or 0), f"{meter}") as made:
        if touch is not None:
            made.sendall(json.dumps({"touch": touch}).encode() + b"\n")
        steady, until, last = Steady(lifted=first or touch is not None), time.monotonic() + WAIT_S, None
        try:
            for line in lines_of(made):
                sample = parse_probe(line)
                if sample is not None:
                    last = sample[1]
                    value = steady.feed(*sample)
                    if value is not None:
                        return value
                if time.monotonic() > until:
                    break
        except OSError as error:
            raise ReadingError(f"{meter} fell silent", "meter", "switch it on, or type the reading") from error
    if last is not None and math.isinf(last):
        raise ReadingError(
            "the meter shows overrange", "meter", "an open line looks like a probe in the air: press o if it is open"
        )
    raise ReadingError(f"nothing stood still for {WAIT_S:.0f} s", "meter", "hold the probe still, or type the reading")
