"""The thermocouple on the cell, read on a thread of its own: the newest temperature and its age."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import time
from collections.abc import Iterator

from benchwatch.line import CONNECT_S, LONGEST_BYTES, Address

# A temperature that is older says nothing any more [s]; a bench has none outside these [°C].
STALE_S, LOW_C, HIGH_C = 4.0, -60.0, 200.0


class Thermocouple:
    """The newest temperature; None where there is no thermocouple, it fell silent, or it says what cannot be."""

    def __init__(self, at: Address) -> None:
        self._found: tuple[float, float] | None = None
        self._socket: socket.socket | None = None
        if at.thermo_port:
            with contextlib.suppress(OSError, ValueError, OverflowError):
                self._socket = socket.create_connection((at.host, at.thermo_port), timeout=CONNECT_S)
                self._socket.settimeout(None)
                threading.Thread(target=self._read, name="thermocouple", daemon=True).start()

    @property
    def temp_c(self) -> float | None:
        """The temperature, while it is fresh [°C]."""
        found = self._found
        return None if found is None or time.monotonic() - found[1] > STALE_S else found[0]

    def _read(self) -> None:
        assert self._socket is not None
        with contextlib.suppress(OSError):
            for line in _lines(self._socket):
                try:
                    found = float(json.loads(line)["c"])
                except (ValueError, TypeError, KeyError, RecursionError):
                    continue
                # What cannot be is no news: the last temperature grows old and is then none.
                if LOW_C < found < HIGH_C:
                    self._found = found, time.monotonic()
        self._found = None

    def close(self) -> None:
        """Hang up; the thread ends with the connection."""
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.shutdown(socket.SHUT_RDWR)
            self._socket.close()


def _lines(made: socket.socket) -> Iterator[bytes]:
    """Whole lines, until it is closed; one without an end is thrown away."""
    rest = b""
    while data := made.recv(4096):
        *whole, rest = (rest + data).split(b"\n")
        if len(rest) > LONGEST_BYTES:
            rest = b""
        yield from whole
