"""Taking a reading from a live multimeter: wait until it stands still."""

from __future__ import annotations

import json
import math
import time

from chargepath.base.errors import ReadingError
from chargepath.electrical.steady import Steady, parse_probe
from rainfront.instruments.live import connect, lines_until

WAIT_S = 8.0


def take(host: str, port: int, name: str, touch: dict[str, str] | None = None, *, first: bool = True) -> float:
    """Wait for a reading that stands still [mV].

    Parameters
    ----------
    host, port, name : str, int, str
        Where the multimeter answers, and what it is called in an error.
    touch : dict, optional
        What a simulated meter is to put its probe on; a real meter refuses that and is read all the same.
    first : bool
        False where the probe has to be lifted off the line before.

    Raises
    ------
    ReadingError
        It cannot be reached, fell silent, or nothing stood still in time.

    """
    last, seen = None, False
    with connect(host, port, "meter") as made:
        end, steady = time.monotonic() + WAIT_S, Steady(lifted=first or touch is not None)
        try:
            if touch is not None:
                made.sendall(json.dumps({"touch": touch}).encode() + b"\n")
            for line in lines_until(made, end):
                seen = True
                sample = parse_probe(line)
                if sample is not None:
                    last = sample[1]
                    value = steady.feed(*sample)
                    if value is not None:
                        return value
        except OSError as error:
            if not seen or not isinstance(error, TimeoutError):
                raise ReadingError(f"{name} fell silent", "meter", "switch it on, or type the reading") from error
    if last is not None and math.isinf(last):
        raise ReadingError(
            "the meter shows overrange", "meter", "an open line looks like a probe in the air: press o if it is open"
        )
    raise ReadingError(f"nothing stood still for {WAIT_S:.0f} s", "meter", "hold the probe still, or type the reading")
