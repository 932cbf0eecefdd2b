"""The lines of an instrument: whole ones, within one deadline, none too long, no more than an instrument says."""

from __future__ import annotations

import time

from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import Wire

LONGEST, BYTES_A_SECOND = 256, 65_536


class WireLines:
    """The lines that come in over a wire.

    Parameters
    ----------
    wire : Wire
    end : str
        What ends a line; a carriage return before it is no part of the line.
    longest : int
        A line of more bytes is none [bytes].

    """

    def __init__(self, wire: Wire, end: str = "\n", longest: int = LONGEST) -> None:
        self.wire, self._end, self._longest = wire, end.encode(), longest
        self._rest, self._since, self._bytes = b"", time.monotonic(), 0

    def line(self, within: float) -> str:
        """The next line, whole within so long [s] however slowly it drips in.

        Raises
        ------
        Trouble
            Silent, or more than an instrument says.

        """
        until = time.monotonic() + within
        while True:
            found, part, rest = self._rest.partition(self._end)
            if part:
                self._rest = rest
                if len(found.rstrip(b"\r")) > self._longest:
                    raise Trouble(TroubleKind.BABBLE, f"it says a line of more than {self._longest} bytes")
                return found.decode("utf-8", errors="replace").strip("\r\n\0 ")
            if len(self._rest) > self._longest + 1:
                self._rest = b""
                raise Trouble(TroubleKind.BABBLE, f"it says {self._longest} bytes without the end of a line")
            left = until - time.monotonic()
            if left <= 0:
                half = "half a line" if self._rest.strip() else "nothing"
                raise Trouble(TroubleKind.SILENT, f"it said {half} for {within:g} s")
            self._take(left)

    def newest(self, within: float) -> str:
        """The newest whole line, as soon as there is one; what has piled up before it is dropped.

        Raises
        ------
        Trouble
            As `line`.

        """
        found = self.line(within)
        while self._end in self._rest:
            found = self.line(0)
        return found

    def drop(self) -> bytes:
        """Drop what has come in already, and say what it was."""
        dropped = self._rest
        self._rest = b""
        while data := self.wire.wait(0):
            self._count(len(data))
            dropped = (dropped + data)[:LONGEST]
        return dropped

    def _take(self, seconds: float) -> None:
        data = self.wire.wait(seconds)
        self._count(len(data))
        self._rest += data

    def _count(self, more: int) -> None:
        now = time.monotonic()
        if now - self._since > 1.0:
            self._since, self._bytes = now, 0
        self._bytes += more
        if self._bytes > BYTES_A_SECOND:
            raise Trouble(TroubleKind.BABBLE, "it says more in a second than an instrument can")
